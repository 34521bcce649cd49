"""Camera, Stand, Straighten and Bend back as steps: on a made take past cards in depth with a known camera."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from camerapaths import path_error, zoomed
from cardscenes import CardScene, card_scene

from transmixis.core.build.place import sampled_at
from transmixis.core.build.stand import facing, spot_on_ground, ways_at
from transmixis.core.errors import Cancelled, UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.pose import Camera
from transmixis.core.plot import Solid
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.media.exchange.usd import read_scene
from transmixis.media.still import write_still
from transmixis.shot.exchange import read_back
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.stepexport import export_step
from transmixis.shot.steps import kind_of
from transmixis.shot.stored import AnalysisStore
from transmixis.shot.workorder import add_step

SIZE, LENGTH = (270, 480), 12


@pytest.fixture(scope="module")
def scene() -> CardScene:
    return card_scene(1, SIZE, LENGTH)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory, scene: CardScene) -> Path:
    root = tmp_path_factory.mktemp("cards")
    for n, frame in enumerate(scene.frames, 1):
        write_still(root / f"cards.{n:04d}.png", frame, kind="uint16")
    write_still(root / "grey.png", np.full((*SIZE, 3), 0.3, np.float32), kind="uint16")
    return root


def shot_of(scene: CardScene, **params: Any) -> Shot:
    plates = (Plate(id="hero", role="hero", path="cards.0001.png"), Plate(id="grey", role="still", path="grey.png"))
    shot = Shot(code="A", length=LENGTH, width=SIZE[1], height=SIZE[0], plates=plates)
    shot, step = add_step(shot, "camera_solve")
    return shot.with_step(step.model_copy(update={"params": {"focal": scene.focal, **params}}))


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> AnalysisStore:
    """The solve is made once for all tests here."""
    return AnalysisStore(tmp_path_factory.mktemp("kept"))


def renderer(shot: Shot, folder: Path, store: AnalysisStore) -> Renderer:
    return Renderer(shot, Material(folder), analyses=store)


def with_marks(scene: CardScene, folder: Path, store: AnalysisStore, **more: Any) -> Shot:
    """Three solved points said to be the ground, and the camera's height over it."""
    shot = shot_of(scene)
    r = renderer(shot, folder, store)
    r.product("step:camera_solve", 6)
    handles = {h.param: h for h in r.handles("camera_solve", 6)}
    dots = sorted((d for d in handles["ground"].facts["dots"] if d[3] and d[1] > 150), key=lambda d: d[0])
    three = [dots[0][:2], dots[len(dots) // 2][:2], dots[-1][:2]]
    step = kind_of("camera_solve").edited(shot.step("camera_solve"), handles["ground"], 6, three)
    assert step.params["at"] == 6
    return shot.with_step(step.model_copy(update={"params": {**step.params, **more}}))


def test_the_camera_of_a_take_is_a_product(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    r = renderer(shot_of(scene), folder, store)
    cameras = [r.product("step:camera_solve", n).camera for n in range(1, LENGTH + 1)]
    assert all(c is not None and c.known for c in cameras)
    assert path_error(cameras, scene.place) < 2e-3  # type: ignore[arg-type]
    read = {x.name: x for x in r.measure("camera_solve", 5)}
    assert 0 < read["reprojection"].value < 0.15  # type: ignore[operator]
    assert read["points seen"].value > 40  # type: ignore[operator]
    assert 30 < read["spread"].value <= 100  # type: ignore[operator]
    # 1.4 m of way, mostly across, past things 5 to 9 m away and a wall at 14 m
    assert np.degrees(1.4 / 14) < read["parallax"].value < np.degrees(1.5 / 5)  # type: ignore[operator]
    plot = r.plot("camera_solve", 5)
    assert plot is not None
    assert isinstance(plot.panels[0], Solid)
    assert plot.panels[0].way.shape == (LENGTH, 3)
    assert "not measured" in plot.words
    assert f"{scene.focal:.0f} px" in plot.words


def test_a_solve_that_was_cut_off_does_not_follow_again(scene: CardScene, folder: Path, tmp_path: Path) -> None:
    """Killed while it solves: the features followed so far are with the production, and go when it is done."""

    def stop_in_the_solve(share: float, words: str, left: float | None) -> None:
        if words == "solving the camera":
            stopped.cancel()

    stopped = Progress(stop_in_the_solve)
    first = Renderer(shot_of(scene), Material(folder), analyses=AnalysisStore(tmp_path))
    first.progress = stopped
    with pytest.raises(Cancelled):
        first.analysis("camera_solve")
    (half,) = tmp_path.iterdir()
    assert ".half" in half.name
    again = Renderer(shot_of(scene), Material(folder), analyses=AnalysisStore(tmp_path))
    told: list[str] = []
    again.progress = Progress(lambda share, words, left: told.append(words))
    table = again.analysis("camera_solve")
    assert "solving the camera" in told
    assert "following features" not in told
    assert [p.name for p in tmp_path.iterdir()] == [half.name.replace(".half", "")]
    assert np.array_equal(table["turn"], Renderer(shot_of(scene), Material(folder)).analysis("camera_solve")["turn"])


def test_dots_do_not_wait_for_the_solve(scene: CardScene, folder: Path) -> None:
    """What is drawn over the picture is asked for where the picture is made: it says that there is nothing yet."""
    r = renderer(shot_of(scene), folder, AnalysisStore(None))
    (handle,) = r.handles("camera_solve", 3)
    assert "Not solved yet" in handle.note
    assert handle.facts["dots"] == []
    assert not r.has_analysis("camera_solve")


def test_readings_tell_of_their_own_frame(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    r = renderer(shot_of(scene), folder, store)
    table = r.analysis("camera_solve")
    for n in (1, 7, LENGTH):
        read = {x.name: x.value for x in r.measure("camera_solve", n)}
        assert read["points seen"] == table["seen"][n - 1].sum()
        assert read["reprojection"] == pytest.approx(table["error"][n - 1])


def test_a_thing_without_its_matte_is_not_solved_as_the_place(scene: CardScene, folder: Path) -> None:
    r = renderer(shot_of(scene, what="a thing on the matte"), folder, AnalysisStore(None))
    with pytest.raises(UserError, match="connect a matte"):
        r.product("step:camera_solve", 1)


def test_marks_lay_the_place_out(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot = with_marks(scene, folder, store, height=1.6)
    r = renderer(shot, folder, store)
    camera = r.product("step:camera_solve", 6).camera
    assert camera is not None
    assert camera.place[1] == pytest.approx(-1.6)
    plain = renderer(shot_of(scene), folder, store).product("step:camera_solve", 6).camera
    assert plain is not None
    # what is seen has not changed: the marks lie on the ground, and are seen where they were pressed
    at = np.array(shot.step("camera_solve").params["ground"])
    way = camera.directions(at)
    ground = camera.place - way * (camera.place[1] / way[:, 1])[:, None]
    assert camera.project(ground) == pytest.approx(at, abs=1e-6)
    handles = {h.param: h for h in r.handles("camera_solve", 9)}
    assert not handles["ground"].here
    assert len(handles["ground"].value) == 3
    assert "frame 6" in handles["ground"].note
    kept = kind_of("camera_solve").edited(shot.step("camera_solve"), handles["ground"], 9, [])
    assert kept == shot.step("camera_solve")


def test_a_card_stands_and_does_not_slide(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    """A place of the scene that was pressed in one frame lies where it is seen in all others."""
    shot = shot_of(scene)
    shot, step = add_step(shot, "stand_in")
    assert step.inputs == {"back": "plate:hero", "camera": "step:camera_solve"}
    base = renderer(shot, folder, store)
    camera = base.product("step:camera_solve", 1).camera
    assert camera is not None
    truth = [
        Camera(scene.focal, (SIZE[1] / 2, SIZE[0] / 2), scene.turn[n], -scene.turn[n] @ scene.place[n]) for n in range(LENGTH)
    ]
    every = np.array([t.project(scene.spots) for t in truth])
    inside = ((every > 20) & (every < (SIZE[1] - 20, SIZE[0] - 20))).all(axis=(0, 2))
    spot = scene.spots[int(np.flatnonzero(inside)[0])]
    # the length of the way is the solve's unit
    unit = float(np.linalg.norm(scene.place - scene.place[0], axis=1).max())
    far = float(np.linalg.norm(spot - scene.place[5])) / unit
    at = truth[5].project(spot[None])[0]
    params = {"foot": [at.tolist()], "at": 6, "where": "at a distance", "distance": far, "width": 0.25, "shutter": 0}
    shot = shot.with_step(shot.step(step.id).model_copy(update={"params": params}))
    r = renderer(shot, folder, store)
    for n in (1, 6, 12):
        (handle,) = r.handles("stand_in", n)
        assert np.hypot(*(np.array(handle.value[0]) - truth[n - 1].project(spot[None])[0])) < 0.2  # of 155 px of parallax
        p = r.product("step:stand_in", n)
        assert p.matte is not None
        rows, columns = np.nonzero(p.matte > 0.5)
        assert rows.max() + 1 == pytest.approx(handle.value[0][1], abs=2)
        assert columns.mean() + 0.5 == pytest.approx(handle.value[0][0], abs=2)
    hold = r.measure("stand_in", 6)[0]
    assert hold.name == "hold"
    assert hold.value == pytest.approx(r.product("step:camera_solve", 6).camera.error)  # type: ignore[union-attr]
    assert "not measured" in hold.note


def test_a_box_is_seen_from_outside_and_hidden_by_mattes(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot = with_marks(scene, folder, store, height=1.6)
    shot, step = add_step(shot, "stand_in")
    params = {"foot": [[260.0, 230.0]], "at": 6, "thing": "a box", "width": 0.4, "height": 0.5, "depth": 0.3, "turn": 30}
    shot = shot.with_step(step.model_copy(update={"params": params}))
    r = renderer(shot, folder, store)
    p = r.product("step:stand_in", 6)
    assert p.matte is not None
    assert 50 < p.matte.sum() < 0.5 * SIZE[0] * SIZE[1]
    inside = p.matte > 0.99
    tones = {round(float(v), 2) for v in np.unique(p.picture[inside][:, 0].round(2))}  # type: ignore[index]
    assert len(tones) >= 4  # two sides and their fields
    shut = {**step.inputs, "before": "plate:grey"}
    with pytest.raises(UserError, match="gives no matte"):
        renderer(shot.with_step(shot.step(step.id).model_copy(update={"inputs": shut})), folder, store).product(
            "step:stand_in", 6
        )


def test_what_is_not_set_is_said(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot, step = add_step(shot_of(scene), "stand_in")
    r = renderer(shot, folder, store)
    p = r.product("step:stand_in", 2)
    assert p.matte is not None
    assert p.matte.max() == 0
    assert [x.value for x in r.measure("stand_in", 2)] == [None, None]
    set_up = {"params": {"foot": [[240.0, 200.0]], "at": 6}}
    with pytest.raises(UserError, match="ground is not known"):
        renderer(shot.with_step(step.model_copy(update=set_up)), folder, store).product("step:stand_in", 6)
    marked, step = add_step(with_marks(scene, folder, store, height=1.6), "stand_in")
    camera = renderer(marked, folder, store).product("step:camera_solve", 6).camera
    assert camera is not None
    above = camera.project(camera.place + np.array([[0, -1.0, 10.0]]))[0].tolist()
    sky = marked.with_step(step.model_copy(update={"params": {"foot": [above], "at": 6}}))
    with pytest.raises(UserError, match="horizon"):
        renderer(sky, folder, store).product("step:stand_in", 6)


# -- the lens


@pytest.mark.parametrize("size", ["as large as before", "small enough for all of it"])
def test_bending_back_undoes_straightening(folder: Path, scene: CardScene, store: AnalysisStore, size: str) -> None:
    plates = (Plate(id="hero", role="hero", path="cards.0001.png"),)
    shot = Shot(code="A", length=LENGTH, width=SIZE[1], height=SIZE[0], plates=plates)
    lens = {"focal": 500.0, "k1": -0.12, "k2": 0.02, "size": size}
    shot, one = add_step(shot, "straighten")
    shot = shot.with_step(one.model_copy(update={"params": lens}))
    shot, two = add_step(shot, "bend_back")
    inputs = {"front": f"step:{one.id}"}
    shot = shot.with_step(two.model_copy(update={"params": lens, "inputs": inputs}))
    r = renderer(shot, folder, store)
    plate, back = r.product("plate:hero", 3).picture, r.product(f"step:{two.id}", 3)
    assert plate is not None
    assert back.picture is not None
    assert back.matte is not None
    whole = back.matte[8:-8, 8:-8]
    assert (whole.min() > 0.999) == (size != "as large as before")
    there = back.matte > 0.999
    off = np.abs(back.picture[..., :3] - plate)[there]
    assert np.median(off) < 0.01  # resampled twice
    read = r.measure(one.id, 3)[0]
    model = Lens(500.0, (240.0, 135.0), -0.12, 0.02)
    assert read.value == model.returns(SIZE) < 1e-6
    assert f"{abs(model.bends(SIZE)):.1f} px" in read.note


def test_the_bend_is_proposed_from_edges_drawn_along(tmp_path: Path) -> None:
    """Bars that a lens with a known bend has recorded: strokes beside them, the proposal, and what is left over then."""
    true = Lens(480.0, (240.0, 135.0), -0.2)
    bars = np.full((*SIZE, 3), 0.2, np.float32)
    bars[40:52] = bars[212:224] = bars[:, 60:72] = bars[:, 400:412] = 0.6
    write_still(tmp_path / "bars.png", sampled_at(bars, true.bent_map(SIZE), "carry"), kind="uint16")
    shot = Shot(code="A", length=1, width=SIZE[1], height=SIZE[0], plates=(Plate(id="hero", role="hero", path="bars.png"),))
    shot, step = add_step(shot, "straighten")
    r = Renderer(shot, Material(tmp_path))
    (handle,) = r.handles(step.id, 1)
    assert handle.here
    t = np.linspace(0, 1, 30)[:, None]
    ends = (((30, 40), (450, 40)), ((30, 212), (450, 212)), ((60, 20), (60, 250)), ((400, 20), (400, 250)))
    strokes = [("in", true.seen(np.array(a) + t * (np.array(b) - np.array(a)))) for a, b in ends]
    drawn = kind_of("straighten").edited(step, handle, 1, [*strokes, ("out", [(5.0, 5.0), (200.0, 90.0)])])
    shot = shot.with_step(drawn)
    r = Renderer(shot, Material(tmp_path))
    off = {x.name: x.value for x in r.measure(step.id, 1)}["edges off straight"]
    assert off is not None
    assert off > 0.5
    made = r.propose(step.id)
    assert made is not None
    assert made.effects[0].now == pytest.approx(off)
    assert made.effects[0].then < 0.1
    assert "frame's width" in made.gains
    new = drawn.model_copy(update={"params": {**drawn.params, **made.values}})
    there = Renderer(shot.with_step(new), Material(tmp_path))
    left = {x.name: x.value for x in there.measure(step.id, 1)}["edges off straight"]
    assert left == pytest.approx(made.effects[0].then, abs=0.01)
    assert there.propose(step.id) is None
    row = there.product(f"step:{step.id}", 1).picture
    assert row is not None
    rise = np.diff(row[..., 0], axis=0)[20:70, 100:390]
    assert np.ptp(rise.argmax(axis=0)) <= 1  # the bar's upper edge is straight now


def test_a_lens_without_its_focal_length_is_refused(folder: Path, scene: CardScene, store: AnalysisStore) -> None:
    plates = (Plate(id="hero", role="hero", path="cards.0001.png"),)
    shot, step = add_step(Shot(code="A", length=LENGTH, width=SIZE[1], height=SIZE[0], plates=plates), "straighten")
    bare = renderer(shot, folder, store)
    assert bare.product("step:straighten", 1).picture is bare.product("plate:hero", 1).picture
    unset = bare.measure("straighten", 1)[0]
    assert unset.value is None
    assert "set yet" in unset.note
    shot = shot.with_step(step.model_copy(update={"params": {"k1": -0.1}}))
    with pytest.raises(UserError, match="focal length"):
        renderer(shot, folder, store).product("step:straighten", 1)


def test_a_picture_is_taken_from_where_the_map_says() -> None:
    ramp = np.repeat(np.arange(20, dtype=np.float32)[None, :, None], 10, 0)
    at = np.full((2, 2, 2), 5.0)
    at[0, 0] = (7.25, 3.0)
    at[1, 1] = np.nan
    made = sampled_at(ramp, at)
    assert made[0, 0, 0] == pytest.approx(6.75)
    assert made[1, 1, 0] == 0


# -- for other programs


def test_a_step_s_camera_and_lens_are_written(tmp_path: Path, scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot = with_marks(scene, folder, store, height=1.6)
    r = renderer(shot, folder, store)
    words = export_step(r, "camera_solve", tmp_path / "c.usda", Progress())
    assert f"{LENGTH} of {LENGTH} frames" in words
    back = read_scene(tmp_path / "c.usda")
    assert back.cameras[0].metres
    assert back.cameras[0].level
    assert back.rate == 24
    ours = r.product("step:camera_solve", 4)
    assert ours.camera is not None
    assert ours.cloud is not None
    assert back.cameras[3].shift == pytest.approx(ours.camera.shift, abs=1e-9)
    assert back.points == pytest.approx(ours.cloud[:, :3], rel=1e-5, abs=1e-5)
    export_step(r, "camera_solve", tmp_path / "new" / "c.yaml", Progress())
    assert read_back(tmp_path / "new" / "c.yaml")["focal_px"] == pytest.approx(scene.focal)
    with pytest.raises(UserError, match="there already"):
        export_step(r, "camera_solve", tmp_path / "c.usda", Progress())
    with pytest.raises(UserError, match=r"end with \.json"):
        export_step(r, "camera_solve", tmp_path / "c.csv", Progress())


def test_a_zoom_is_solved_by_the_step_and_written_as_a_camera_only(tmp_path: Path) -> None:
    zoom = zoomed(LENGTH, 1.3)
    made = card_scene(1, SIZE, LENGTH, zoom=zoom)
    for n, frame in enumerate(made.frames, 1):
        write_still(tmp_path / f"cards.{n:04d}.png", frame, kind="uint16")
    r = Renderer(shot_of(made, focal=0.0, zoom="changes; find it for every frame"), Material(tmp_path))
    cameras = [r.product("step:camera_solve", n).camera for n in range(1, LENGTH + 1)]
    assert [c.focal for c in cameras if c is not None] == pytest.approx(made.focal * zoom, rel=0.02)
    plot = r.plot("camera_solve", 3)
    assert plot is not None
    assert cameras[0] is not None
    assert cameras[-1] is not None
    assert f"Focal length {cameras[0].focal:.0f} to {cameras[-1].focal:.0f} px." in plot.words
    export_step(r, "camera_solve", tmp_path / "c.usda", Progress())
    assert read_scene(tmp_path / "c.usda").cameras[-1].focal == pytest.approx(cameras[-1].focal)
    with pytest.raises(UserError, match="zoomed"):
        export_step(r, "camera_solve", tmp_path / "c.yaml", Progress())
    assert not (tmp_path / "c.yaml").exists()


def test_a_step_s_track_is_written(tmp_path: Path, scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot, step = add_step(shot_of(scene), "point_track")
    shot = shot.with_step(step.model_copy(update={"params": {"point": [[240.0, 135.0]], "half": 14, "reference": 1}}))
    r = renderer(shot, folder, store)
    export_step(r, step.id, tmp_path / "new" / "p.csv", Progress())
    export_step(r, step.id, tmp_path / "other" / "p.json", Progress())
    rows = read_back(tmp_path / "new" / "p.csv")["tracks"][0]["frames"]
    assert rows == read_back(tmp_path / "other" / "p.json")["tracks"][0]["frames"]
    motion = r.product(f"step:{step.id}", 5).motion
    assert motion is not None
    assert [rows[4]["x"], rows[4]["y"]] == pytest.approx(moved_points(motion.matrix, motion.about)[0])
    shot, place = add_step(shot, "place")
    with pytest.raises(UserError, match="neither a motion, a camera nor shapes"):
        export_step(renderer(shot, folder, store), place.id, tmp_path / "x.csv", Progress())


def test_a_card_goes_in_depth_by_its_pins(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    """Pinned nearer to the camera and to a side, it lies where the camera sees that place, grows as it comes nearer, and is smeared by its own way."""
    shot = with_marks(scene, folder, store, height=1.6)
    shot, step = add_step(shot, "stand_in")
    params = {"foot": [[200.0, 240.0]], "at": 6, "width": 0.2, "shutter": 0.0}
    pins = {
        "away": (Pin(frame=4, value=0.0, easing="linear"), Pin(frame=9, value=-1.0, easing="linear")),
        "right": (Pin(frame=4, value=0.0, easing="linear"), Pin(frame=9, value=-0.3, easing="linear")),
    }
    still = shot.with_step(shot.step(step.id).model_copy(update={"params": params}))
    goes = shot.with_step(shot.step(step.id).model_copy(update={"params": params, "pins": pins}))
    r, rests = renderer(goes, folder, store), renderer(still, folder, store)

    def at(r: Renderer, n: int) -> Array:
        camera = r.product("step:camera_solve", n).camera
        assert camera is not None
        set_at = r.product("step:camera_solve", 6).camera
        assert set_at is not None
        foot = spot_on_ground(set_at, (200.0, 240.0))
        right, ahead = ways_at(facing(set_at, foot))
        gone = np.interp(n, [4, 9], [0, 1])
        return np.asarray(camera.project((foot + gone * (-ahead - 0.3 * right))[None])[0])

    sizes = []
    for n in (4, 6, 9):
        p = r.product("step:stand_in", n)
        assert p.matte is not None
        rows, columns = np.nonzero(p.matte > 0.5)
        # the marks of this scene lie on a plane above the camera, so that it hangs from it
        assert rows.min() == pytest.approx(at(r, n)[1], abs=2)
        assert columns.mean() + 0.5 == pytest.approx(at(r, n)[0], abs=2)
        sizes.append(np.ptp(columns))
        (handle,) = r.handles("stand_in", n)
        assert np.hypot(*(np.array(handle.value[0]) - at(r, n))) < 0.5
    assert sizes[2] > 1.1 * sizes[0]
    assert "it goes at" in r.measure("stand_in", 6)[0].note
    assert "it rests" in r.measure("stand_in", 11)[0].note
    assert "it goes" not in rests.measure("stand_in", 6)[0].note
    # smeared by the camera's way and its own together, as long as both carry it in the frame's time
    for moved, shot_of_it in ((0.0, still), (1.0, goes)):
        wide = shot_of_it.with_step(shot_of_it.step(step.id).model_copy(update={"params": {**params, "shutter": 360.0}}))
        m = renderer(wide, folder, store).product("step:stand_in", 6).matte
        assert m is not None
        row = m[int(np.nonzero(m > 0.5)[0].mean())]
        smear = ((row > 0.03).sum() - (row > 0.97).sum()) / 2
        steps = [at(r, n) if moved else at(r, n) - _own(r, n, at) for n in (5, 7)]
        assert smear == pytest.approx(abs(steps[1][0] - steps[0][0]) / 2, rel=0.25, abs=1.5)


def _own(r: Renderer, n: int, at: Any) -> Array:
    """What the card's own way adds to where it is seen."""
    camera, set_at = (r.product("step:camera_solve", k).camera for k in (n, 6))
    assert camera is not None
    assert set_at is not None
    return np.asarray(at(r, n) - camera.project(_set_foot(set_at)[None])[0])


def _set_foot(set_at: Camera) -> Array:
    """Where the card stands that does not go."""
    return spot_on_ground(set_at, (200.0, 240.0))


def test_where_it_is_pressed_anew_it_stands_there(scene: CardScene, folder: Path, store: AnalysisStore) -> None:
    shot = with_marks(scene, folder, store, height=1.6)
    shot, step = add_step(shot, "stand_in")
    shot = shot.with_step(shot.step(step.id).model_copy(update={"params": {"foot": [[200.0, 240.0]], "at": 6, "right": 0.5}}))
    r = renderer(shot, folder, store)
    (handle,) = r.handles("stand_in", 6)
    assert handle.value[0] != pytest.approx((200.0, 240.0), abs=2)  # half a metre to the right of it
    again = kind_of("stand_in").edited(shot.step(step.id), handle, 6, [(220.0, 235.0)])
    assert (again.params["foot"], again.params["right"]) == ([[220.0, 235.0]], 0.0)
