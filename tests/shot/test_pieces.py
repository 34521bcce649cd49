"""Analyses in pieces: what each depends on, what is kept, gone on with and made anew; attachment; products with a type."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from walls import seen_through, wall

from transmixis.core.errors import Cancelled, UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.refs import refs_of
from transmixis.shot.render import Renderer
from transmixis.shot.stepjob import added, changed
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.steps.tracking import Track
from transmixis.shot.stored import AnalysisStore
from transmixis.shot.workorder import add_step

LENGTH, SPEED = 60, (0.9, -0.4)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wall that passes by, 0.9 px to the right and 0.4 up a frame."""
    root = tmp_path_factory.mktemp("pieces")
    rng = np.random.default_rng(6)
    big = wall(11, (120, 200))
    for n in range(1, LENGTH + 1):
        shift = np.array([[1, 0, SPEED[0] * (n - 30)], [0, 1, SPEED[1] * (n - 30)], [0, 0, 1.0]])
        frame = seen_through(big, shift)[20:100, 30:170]
        write_still(root / f"wall.{n:04d}.png", frame + rng.normal(0, 0.002, frame.shape).astype(np.float32), kind="uint16")
    write_still(root / "card.png", np.full((20, 30, 3), (0.7, 0.2, 0.1), np.float32), kind="uint8")
    return root


def tracked(**params: Any) -> Shot:
    plates = (Plate(id="hero", role="hero", path="wall.0001.png"), Plate(id="card", role="still", path="card.png"))
    shot = Shot(code="A", length=LENGTH, width=140, height=80, plates=plates)
    shot, step = add_step(shot, "point_track")
    return shot.with_step(step.model_copy(update={"params": {"point": [[70.0, 40.0]], "half": 14, "reference": 30, **params}}))


def places(renderer: Renderer, frames: Any) -> np.ndarray:
    out = []
    for n in frames:
        m = renderer.product("step:point_track", n).motion
        assert m is not None
        assert m.known, (n, m.why)
        out.append(moved_points(m.matrix, np.array([[70.0, 40.0]]))[0])
    return np.array(out)


def counted(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    made: list[str] = []
    real = Track.analyse_piece
    monkeypatch.setattr(
        Track, "analyse_piece", lambda self, i, p, piece, b, pr: made.append(piece.name) or real(self, i, p, piece, b, pr)
    )
    return made


def test_a_point_is_followed_both_ways_to_a_hundredth_of_a_pixel(folder: Path) -> None:
    r = Renderer(tracked(), Material(folder))
    there = places(r, range(1, LENGTH + 1))
    truth = np.array([[70, 40]]) + (np.arange(1, LENGTH + 1)[:, None] - 30) * np.array(SPEED)
    assert np.abs(there - truth).max() < 0.03


def test_what_is_asked_for_is_followed_and_no_more(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    made = counted(monkeypatch)
    r = Renderer(tracked(), Material(folder))
    places(r, [35])
    assert made == ["30+0"]
    places(r, [60])
    assert made == ["30+0", "30+1"]
    assert r.motion_if_there("point_track", 40) is not None
    assert r.motion_if_there("point_track", 10) is None
    assert made == ["30+0", "30+1"]


def test_a_seat_makes_only_its_stretch_anew(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    made = counted(monkeypatch)
    shot, material, analyses = tracked(), Material(folder), AnalysisStore(None)
    before = places(Renderer(shot, material, analyses=analyses), range(1, LENGTH + 1))
    assert sorted(made) == ["30+0", "30+1", "30-0", "30-1"]
    made.clear()
    seat = set_pin(shot.step("point_track"), "seat", Pin(frame=50, value=[[80.0, 40.0]], easing="linear"))
    seated = Renderer(shot.with_step(seat), material, analyses=analyses)
    after = places(seated, range(1, LENGTH + 1))
    assert "30-0" not in made
    assert "30-1" not in made
    assert set(made) <= {"30+0", "50-0", "50+0"}
    assert after[49] == pytest.approx([80, 40])
    by_hand, reference = (seated.measure("point_track", n)[0] for n in (50, 30))
    assert by_hand.value is None  # how well a hand has set it was not measured
    assert reference.value == 0
    assert np.array_equal(after[:30], before[:30])
    keys = [Keys(s, material) for s in (shot, shot.with_step(seat))]
    same = [n for n in range(1, LENGTH + 1) if keys[0].frame("step:point_track", n) == keys[1].frame("step:point_track", n)]
    assert set(range(1, 30)) <= set(same) or len(same) == 0  # what the seat does not reach keeps its key
    assert keys[0].frame("step:point_track", 50) != keys[1].frame("step:point_track", 50)


def test_cut_off_it_goes_on_where_it_was(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The pieces that were done are read from the disk; the result is that of one run, to the last bit."""
    shot = tracked()
    whole = places(Renderer(shot, Material(folder)), range(31, LENGTH + 1))
    r = Renderer(shot, Material(folder), analyses=AnalysisStore(tmp_path / "kept"))
    r.progress = Progress(lambda share, words, left: r.progress.cancel() if "frame 50" in words else None)
    with pytest.raises(Cancelled):
        places(r, [60])
    assert len(list((tmp_path / "kept").glob("*.npz"))) == 1
    made = counted(monkeypatch)
    again = Renderer(shot, Material(folder), analyses=AnalysisStore(tmp_path / "kept"))
    assert np.array_equal(places(again, range(31, LENGTH + 1)), whole)
    assert made == ["30+1"]
    for f in (tmp_path / "kept").glob("*.npz"):
        f.write_bytes(f.read_bytes()[:40])  # broken files are made anew, those that others start from too
    made.clear()
    third = Renderer(shot, Material(folder), analyses=AnalysisStore(tmp_path / "kept"))
    assert np.array_equal(places(third, [60]), whole[-1:])
    assert made == ["30+0", "30+1"]


def test_a_piece_depends_on_the_frames_that_it_looks_at(folder: Path, tmp_path: Path) -> None:
    for n in range(1, LENGTH + 1):
        (tmp_path / f"wall.{n:04d}.png").write_bytes((folder / f"wall.{n:04d}.png").read_bytes())
    shot = tracked()
    old = Keys(shot, Material(tmp_path)).plan("point_track").keys
    (tmp_path / "wall.0050.png").write_bytes((folder / "wall.0049.png").read_bytes())
    new = Keys(shot, Material(tmp_path)).plan("point_track").keys
    assert {n for n in old if old[n] != new[n]} == {"30+1"}
    (tmp_path / "wall.0030.png").write_bytes((folder / "wall.0031.png").read_bytes())
    assert not set(Keys(shot, Material(tmp_path)).plan("point_track").keys.values()) & set(
        new.values()
    )  # the reference counts for all


def test_a_piece_depends_on_the_frame_that_it_was_seated_in() -> None:
    """There its surroundings are looked at, to tell where it goes from rest."""
    step = tracked().steps[0]
    kind = kind_of(step.kind)
    seat = Pin(frame=12, value=[[60.0, 50.0]])
    pieces = kind.pieces(LENGTH, kind.Params(**step.params), {"seat": (seat,)})
    from_seat = [p for p in pieces if p.depends["seat"][0] == 12]
    assert from_seat
    assert all(12 in p.frames for p in from_seat)
    assert all(len(set(p.frames)) == len(p.frames) for p in pieces)


def test_a_missing_frame_is_lost_and_the_rest_goes_on(folder: Path, tmp_path: Path) -> None:
    for n in range(1, LENGTH + 1):
        if n != 40:
            (tmp_path / f"wall.{n:04d}.png").write_bytes((folder / f"wall.{n:04d}.png").read_bytes())
    r = Renderer(tracked(), Material(tmp_path))
    whole = places(r, [39, 41, 60])
    assert np.abs(np.diff(whole, axis=0)[0] - 2 * np.array(SPEED)).max() < 0.05
    reading = r.measure("point_track", 40)[0]
    assert reading.value is None
    assert "40" in reading.note


def test_what_is_set_wrong_is_said(folder: Path) -> None:
    r = Renderer(tracked(point=[]), Material(folder))
    motion = r.product("step:point_track", 3).motion
    assert motion is not None
    assert not motion.known
    assert "nothing to follow" in motion.why
    late = Renderer(tracked(first=10, last=50), Material(folder))
    assert late.measure("point_track", 55)[0].note == "the track does not go so far"
    assert late.measure("point_track", 45)[0].value is not None
    off = tracked()
    off = off.with_step(off.step("point_track").model_copy(update={"on": False}))
    gone = Renderer(off, Material(folder)).product("step:point_track", 3).motion
    assert gone is not None
    assert "switched off" in gone.why


# -- attachment


def hung(**params: Any) -> Shot:
    shot, step = add_step(tracked(), "lay_in", inputs={"front": "plate:card", "back": "plate:hero"})
    corners = [[60.0, 30.0], [80, 30], [80, 50], [60, 50]]
    return shot.with_step(step.model_copy(update={"params": {"corners": corners, "at": 30, "shutter": 0, **params}}))


def middle(renderer: Renderer, n: int) -> np.ndarray:
    matte = renderer.product("step:lay_in", n).matte
    assert matte is not None
    ys, xs = np.mgrid[0 : matte.shape[0], 0 : matte.shape[1]] + 0.5
    return np.array([(xs * matte).sum(), (ys * matte).sum()]) / matte.sum()


def test_what_is_attached_goes_along_and_reads_its_hold(folder: Path) -> None:
    r = Renderer(hung(), Material(folder))
    for n in (10, 30, 45):
        assert middle(r, n) == pytest.approx(np.array([70, 40]) + (n - 30) * np.array(SPEED), abs=0.1)
        hold = r.measure("lay_in", n)[0]
        assert (hold.name, hold.unit) == ("hold", "px")
        assert hold.value is not None
    loose = hung()
    loose = loose.with_step(loose.step("lay_in").model_copy(update={"inputs": {"front": "plate:card", "back": "plate:hero"}}))
    free = Renderer(loose, Material(folder))
    assert middle(free, 10) == pytest.approx([70, 40], abs=0.1)
    assert [x.name for x in free.measure("lay_in", 10)] == ["enlargement"]


def test_where_the_motion_is_not_known_it_is_hidden_or_held(folder: Path) -> None:
    for lost, there, on in (("hide it", False, 0), ("hold its last place", True, 10), ("carry it on", True, 20)):
        shot = hung(lost=lost)
        shot = shot.with_step(
            shot.step("point_track").model_copy(update={"params": {**shot.step("point_track").params, "last": 40}})
        )
        r = Renderer(shot, Material(folder))
        matte = r.product("step:lay_in", 50).matte
        assert matte is not None
        assert bool(matte.any()) == there
        reading = r.measure("lay_in", 50)[0]
        assert reading.value is None
        assert "does not go so far" in reading.note
        if there:
            assert middle(r, 50) == pytest.approx(np.array([70, 40]) + on * np.array(SPEED), abs=0.3)
            far = 10 if on == 10 else 22  # no further than twelve frames
            assert middle(r, 60) == pytest.approx(np.array([70, 40]) + far * np.array(SPEED), abs=0.3)
    early = hung(at=55)
    early = early.with_step(
        early.step("point_track").model_copy(update={"params": {**early.step("point_track").params, "last": 40}})
    )
    with pytest.raises(UserError, match="not known at frame 55"):
        Renderer(early, Material(folder)).product("step:lay_in", 20)


def test_against_the_motion_it_goes_the_other_way(folder: Path) -> None:
    r = Renderer(hung(way="against it"), Material(folder))
    for n in (10, 45):
        assert middle(r, n) == pytest.approx(np.array([70, 40]) - (n - 30) * np.array(SPEED), abs=0.1)


def test_a_plate_is_steadied_by_a_track(folder: Path) -> None:
    shot, step = add_step(tracked(follows="position, turn and size"), "steady")
    track = shot.step("point_track")
    shot = shot.with_step(track.model_copy(update={"inputs": {"plate": "plate:hero"}}))
    settings = {"by": "a track", "strength": 1.0, "reference": 30, "border": "leave empty"}
    still = shot.with_step(
        step.model_copy(update={"params": settings, "inputs": {"plate": "plate:hero", "motion": "step:point_track"}})
    )
    r = Renderer(still, Material(folder))
    base = r.product("step:steady", 30).picture
    assert base is not None
    for n in (12, 48):
        picture = r.product("step:steady", n).picture
        assert picture is not None
        inner = (slice(24, 56), slice(40, 100))
        assert np.abs(picture[inner] - base[inner]).mean() < 0.012
        left = r.measure("steady", n)[0]
        assert left.value is not None
        assert left.value < 0.1
    loose = still.with_step(still.step("steady").model_copy(update={"inputs": {"plate": "plate:hero"}}))
    with pytest.raises(UserError, match="No track is connected"):
        Renderer(loose, Material(folder)).product("step:steady", 12)
    gone = still.with_step(
        still.step("point_track").model_copy(update={"params": {**still.step("point_track").params, "first": 40}})
    )
    late = gone.with_step(gone.step("steady").model_copy(update={"params": {**settings, "reference": 5}}))
    with pytest.raises(UserError, match="not known at the reference frame"):
        Renderer(late, Material(folder)).product("step:steady", 12)


def test_calmed_motion_keeps_the_way_and_loses_the_trembling(folder: Path) -> None:
    r = Renderer(hung(calm=5), Material(folder))
    for n in (1, 30, 60):
        assert middle(r, n) == pytest.approx(np.array([70, 40]) + (n - 30) * np.array(SPEED), abs=0.1)


def test_an_edit_of_a_track_far_away_leaves_pictures_as_they_are(folder: Path) -> None:
    """A seat at frame 55 re-makes what lies near it, not the frames behind the next seat."""
    material = Material(folder)
    shot = hung()
    step = set_pin(shot.step("point_track"), "seat", Pin(frame=10, value=[[52.0, 48.0]], easing="linear"))
    near = shot.with_step(step)
    both = near.with_step(set_pin(step, "seat", Pin(frame=55, value=[[92.0, 30.0]], easing="linear")))
    a, b = Keys(near, material), Keys(both, material)
    assert a.frame("step:lay_in", 5) == b.frame("step:lay_in", 5)
    assert a.frame("step:lay_in", 54) != b.frame("step:lay_in", 54)
    assert a.frame("step:lay_in", 56) != b.frame("step:lay_in", 56)


def test_a_slot_takes_many_in_order(folder: Path) -> None:
    shot = hung()
    for k, x in enumerate((58, 74)):
        outline = f"outline=[[1,{x},20],[2,{x + 8},20],[3,{x + 8},60],[4,{x},60]]"
        shot, step = added(shot, "shapes", f"Post {k}", ["motion="], [outline, "at=30"], [])
        shot, _ = changed(shot, "lay_in", [f"{'before' if k == 0 else 'before.2'}=step:{step.id}"], [], [])
    kind = KINDS["lay_in"]
    slot = next(s for s in kind.slots if s.many)
    assert list(refs_of(shot.step("lay_in"), slot).values()) == ["step:shapes", "step:shapes2"]
    r = Renderer(shot, Material(folder))
    matte = r.product("step:lay_in", 30).matte
    assert matte is not None
    assert matte[40, 62] < 0.02
    assert matte[40, 78] < 0.02
    assert matte[40, 70] > 0.98
    before = Keys(shot, r.material).frame("step:lay_in", 30)
    second = shot.step("shapes2").model_copy(update={"params": {**shot.step("shapes2").params, "feather": 4.0}})
    assert Keys(shot.with_step(second), r.material).frame("step:lay_in", 30) != before


# -- steps from words


def test_what_does_not_fit_is_one_sentence(folder: Path) -> None:
    shot = hung()
    for inputs, settings, pins, words in (
        (["motion=plate:none"], [], [], "no plate"),
        (["motion=step:none"], [], [], "no step"),
        (["motion=step:lay_in"], [], [], "gives no motion"),
        (["nothing=plate:hero"], [], [], "no slot"),
        (["front.2=plate:hero"], [], [], "no slot"),
        ([], ["opacity=9"], [], "opacity"),
        ([], ["brightness=1"], [], "no parameter"),
        ([], ["opacity"], [], "cannot be read"),
        ([], [], ["opacity@0=1"], "no frame"),
        ([], [], ["opacity@61=1"], "no frame"),
        ([], [], ["opacity@x=1"], "no frame"),
        ([], [], ["opacity@3=wide"], "opacity"),
    ):
        with pytest.raises(UserError, match=words):
            changed(shot, "lay_in", inputs, settings, pins)
    with pytest.raises(UserError, match="wait for each other"):
        changed(shot, "point_track", ["plate=step:lay_in"], [], [])
    with pytest.raises(UserError, match="knows no step"):
        added(shot, "sparkle", "", [], [], [])


def test_values_are_json_or_words() -> None:
    shot, step = changed(
        hung(), "lay_in", [], ["opacity=0.5", "lost=hold its last place", "corners=[[1,2],[3,4],[5,6],[7,8]]"], ["opacity@9=0.25"]
    )
    assert step.params["opacity"] == 0.5
    assert step.params["lost"] == "hold its last place"
    assert step.params["corners"][3] == [7, 8]
    assert [(p.frame, p.value) for p in step.pins["opacity"]] == [(9, 0.25)]
    assert shot.step("lay_in") == step
    assert isinstance(step, Step)
    named, _ = added(hung(), "shapes", "Kite", [], [], [])
    _, by_name = changed(named, "Kite", [], ["feather=2"], [])
    assert by_name.params["feather"] == 2


def test_a_tracks_plot_tells_what_has_been_followed(folder: Path) -> None:
    """Before, nothing; after a stretch, its frames; where it was lost, the frames by name."""
    renderer = Renderer(tracked(last=40), Material(folder))
    before = renderer.plot("point_track", 30)
    assert before is not None
    path, error, _ = before.panels
    assert np.isfinite(error.values).sum() == 1  # type: ignore[union-attr]  # the reference frame
    assert before.words == "Followed on 1 of 60 frames; not known at 41 to 60."
    for n in (31, 35, 40):
        places(renderer, [n])
    after = renderer.plot("point_track", 30)
    assert after is not None
    path, error, speed = after.panels
    known = np.isfinite(error.values)  # type: ignore[union-attr]
    assert known[29:40].all()
    assert speed.values[30:38] == pytest.approx(np.full(8, np.hypot(*SPEED)), abs=0.03)  # type: ignore[union-attr]
    assert path.points[39] - path.points[29] == pytest.approx(10 * np.array(SPEED), abs=0.1)  # type: ignore[union-attr]
    assert (np.nanmax(path.points, axis=0) + np.nanmin(path.points, axis=0)) == pytest.approx((0, 0), abs=1e-9)  # type: ignore[union-attr]
    assert after.words == f"Followed on {known.sum()} of 60 frames; not known at 41 to 60."


# -- the pattern that is proposed


@pytest.fixture(scope="module")
def turning(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The same wall, turning by 4 degrees a frame about a point that moves 1 px a frame."""
    root = tmp_path_factory.mktemp("turning")
    big = wall(11, (240, 280))
    for n in range(1, 13):
        c, s = np.cos(np.radians(4 * (n - 1))), np.sin(np.radians(4 * (n - 1)))
        there = np.array([[1, 0, 70.0 + n - 1], [0, 1, 40.0], [0, 0, 1]])
        way = there @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ np.array([[1, 0, -140.0], [0, 1, -120.0], [0, 0, 1]])
        write_still(root / f"wall.{n:04d}.png", seen_through(big, way)[:80, :140], kind="uint16")
    return root


def test_turn_and_size_are_proposed_for_a_thing_that_turns(turning: Path) -> None:
    shot = tracked(reference=1, half=20).model_copy(update={"length": 12})
    made = Renderer(shot, Material(turning)).propose("point_track")
    assert made is not None
    assert made.values["follows"] == "position, turn and size"
    assert "turns" in made.reason
    params = {**shot.step("point_track").params, **made.values}
    r = Renderer(shot.with_step(shot.step("point_track").model_copy(update={"params": params})), Material(turning))
    for n in (6, 12):
        motion = r.product("step:point_track", n).motion
        assert motion is not None
        assert motion.known
        assert moved_points(motion.matrix, np.array([[70.0, 40.0]]))[0] == pytest.approx([70 + n - 1, 40], abs=0.05)
        assert np.degrees(np.arctan2(motion.matrix[1, 0], motion.matrix[0, 0])) == pytest.approx(4 * (n - 1), abs=0.3)


def test_a_larger_pattern_is_proposed_where_all_moves_alike(folder: Path) -> None:
    r = Renderer(tracked(half=6), Material(folder))
    made = r.propose("point_track")
    assert made is not None
    assert made.values["half"] > 10
    (effect,) = made.effects
    assert 0 < effect.then < effect.now
    assert Renderer(tracked(point=[]), Material(folder)).propose("point_track") is None
    again = Renderer(tracked(half=made.values["half"]), Material(folder))
    assert again.propose("point_track") is None
