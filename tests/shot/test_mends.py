"""The mends as steps: Even out, Steady, Dust and Conform on plates whose truth is known."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from movingplates import SIZE, centred, made_picture, seen, with_people

from transmixis.core.errors import UserError
from transmixis.core.motion.camera import anchor_of
from transmixis.core.motion.coding import grey_of
from transmixis.core.motion.steady import corrections, from_points, moved, zoom_needed
from transmixis.core.progress import Progress
from transmixis.core.readings import FAULT
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.bare import bare_shot
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.platejobs import Worse, mend_plate
from transmixis.shot.render import Renderer
from transmixis.shot.steps.even_out import ALL, ONLY_FLICKER
from transmixis.shot.steps.screen_key import soft_lost
from transmixis.shot.surveys import Surveys
from transmixis.shot.workorder import add_step, first_work_order

N = 12


def written(folder: Path, frames: list[np.ndarray]) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(1)
    for i, f in enumerate(frames):
        grainy = f + rng.normal(0, 0.0015, f.shape).astype(np.float32)
        write_still(folder / f"plate.{i + 1:04d}.png", np.clip(grainy, 0, 1), kind="uint16")
    return folder / "plate.0001.png"


def renderer_for(shot: Shot) -> Renderer:
    return Renderer(shot, Material(Path.cwd()), FrameCache(1 << 29))


def with_proposal(shot: Shot, step_id: str) -> Shot:
    proposal = renderer_for(shot).propose(step_id)
    assert proposal is not None
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **proposal.values}}))


@pytest.fixture
def flickering(tmp_path: Path) -> tuple[Shot, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(4)
    picture = seen(made_picture(70))
    gains = ((1 + rng.uniform(-0.04, 0.04, (N, 1))) * (1 + rng.uniform(-0.02, 0.02, (N, 3)))).astype(np.float32)
    frames = []
    for i in range(N):
        f = picture * gains[i]
        f[60:, 20 + 20 * i : 90 + 20 * i] = 0.02
        frames.append(f)
    shot, _ = bare_shot(written(tmp_path / "flicker", frames))
    return shot, picture, gains


def test_even_out_leaves_at_most_a_quarter_of_a_per_cent(flickering: tuple[Shot, np.ndarray, np.ndarray]) -> None:
    shot, picture, gains = flickering
    shot, step = add_step(shot, "even_out")
    shot = with_proposal(shot, step.id)
    r = renderer_for(shot)
    anchor = int(shot.step("even_out").params["anchor"])
    want = picture * gains[anchor - 1]
    for n in range(1, N + 1):
        out = r.product("step:even_out", n).picture
        clear = np.ones(SIZE, bool)
        clear[60:, 20 + 20 * (n - 1) : 90 + 20 * (n - 1)] = False
        ratio = np.median(out[clear] / want[clear], axis=0)
        assert np.abs(ratio - 1).max() < 0.0025
        assert all(q.state != FAULT for q in r.measure("even_out", n)), r.measure("even_out", n)


def test_even_out_keeps_a_slow_change_and_runs_between_anchors(tmp_path: Path) -> None:
    picture = seen(made_picture(71))
    slow = 2 ** np.linspace(0, -0.6, 16)
    fast = 1 + 0.03 * np.array([1, -1] * 8)
    shot, _ = bare_shot(written(tmp_path / "dusk", [picture * float(a * b) for a, b in zip(slow, fast, strict=True)]))
    shot, step = add_step(shot, "even_out")
    kept = shot.with_step(step.model_copy(update={"params": {"takes": "flicker only", "strength": 1.0}}))
    r = renderer_for(kept)
    level = [float(np.median(r.product("step:even_out", n).picture / picture)) for n in (4, 8, 12)]
    assert level == pytest.approx([float(slow[n - 1]) for n in (4, 8, 12)], rel=0.02)
    run = shot.with_step(step.model_copy(update={"params": {"anchor": 1, "second": 16, "strength": 1.0}}))
    r = renderer_for(run)
    first, middle, last = (float(np.median(r.product("step:even_out", n).picture / picture)) for n in (1, 8, 16))
    assert first > middle > last
    assert float(np.median(r.product("step:even_out", 1).picture / picture)) == pytest.approx(slow[0] * fast[0], rel=0.005)


def test_steady_takes_the_trembling_out(tmp_path: Path) -> None:
    picture, rng = made_picture(72), np.random.default_rng(6)
    path = rng.normal(0, 0.8, (N, 2))
    path[0] = 0
    shot, _ = bare_shot(
        written(tmp_path / "shaky", [with_people(seen(picture, centred(x, y)), i) for i, (x, y) in enumerate(path)])
    )
    shot, step = add_step(shot, "steady")
    shot = with_proposal(shot, step.id)
    shot = shot.with_step(
        shot.step("steady").model_copy(update={"params": {**shot.step("steady").params, "border": "leave empty"}})
    )
    r = renderer_for(shot)
    still = seen(picture)
    for n in (2, 6, N):
        out, was = r.product("step:steady", n).picture, r.product("plate:hero", n).picture
        quiet = (slice(20, 190), slice(312, 370))  # nobody walks there
        out, was, want = (cv2.GaussianBlur(x, (0, 0), 1.5)[quiet] for x in (out, was, still))  # the finest detail is resampled
        assert np.abs(out - want).mean() < 0.25 * np.abs(was - want).mean()
        left = {q.name: q for q in r.measure("steady", n)}
        assert left["shift left"].value is not None
        assert left["shift left"].value < 0.1
    off = shot.with_step(shot.step("steady").model_copy(update={"params": {**shot.step("steady").params, "strength": 0.0}}))
    for n in (2, 6):  # with nothing taken out the reading is the trembling itself
        left = {q.name: q for q in renderer_for(off).measure("steady", n)}
        assert left["shift left"].value == pytest.approx(float(np.hypot(*path[n - 1])), abs=0.1)


def test_two_points_steady_position_rotation_and_scale(tmp_path: Path) -> None:
    picture = made_picture(73)
    moves = [centred(0, 0)] + [centred(1.5 * i, -i, 0.23 * i, 1 + 0.002 * i) for i in range(1, 6)]
    shot, _ = bare_shot(written(tmp_path / "turning", [seen(picture, m) for m in moves]))
    corners = anchor_of(grey_of(seen(picture))).corners
    inside = corners[(corners[:, 0] > 60) & (corners[:, 0] < 320) & (corners[:, 1] > 50) & (corners[:, 1] < 170)]
    a, b = inside[np.argmin(inside[:, 0])], inside[np.argmax(inside[:, 0])]
    params = {
        "by": "two points",
        "strength": 1.0,
        "border": "leave empty",
        "x1": float(a[0]),
        "y1": float(a[1]),
        "x2": float(b[0]),
        "y2": float(b[1]),
    }
    shot, step = add_step(shot, "steady")
    shot = shot.with_step(step.model_copy(update={"params": params}))
    out = renderer_for(shot).product("step:steady", 6).picture
    inner = (slice(60, 150), slice(100, 280))
    blur = lambda x: cv2.GaussianBlur(x, (0, 0), 1.5)  # noqa: E731  (what is left is resampling of the finest detail)
    assert np.abs(blur(out)[inner] - blur(seen(picture))[inner]).mean() < 0.008


def test_the_zoom_is_just_enough() -> None:
    moves = [centred(0, 0), centred(6, 0), centred(0, -4, 0.6)]
    zoom = zoom_needed(moves, SIZE)
    assert 1.02 < zoom < 1.08
    ones = np.ones((*SIZE, 3), np.float32)
    for m in moves:
        assert moved(ones, m, zoom).min() > 0.99
        assert moved(ones, m, 1.0).min() < 0.01 or m == moves[0]


def test_corrections_of_a_lost_frame_and_of_a_kept_pan() -> None:
    path = [centred(3.0 * i + (0.5 if i % 2 else -0.5), 0) for i in range(30)]
    full = corrections([*path[:10], None, *path[11:]], 0, 1.0, 0)
    assert full[10].x == pytest.approx(path[0].x - (path[9].x + path[11].x) / 2, abs=0.1)
    smooth = corrections(path, 0, 1.0, 6)
    after = [m.x + p.x for m, p in zip(smooth, path, strict=True)]
    assert np.std(np.diff(after)) < 0.1
    assert np.mean(np.diff(after)) == pytest.approx(3.0, abs=0.1)
    assert from_points(np.array([[1.0, 2]]), np.array([[4.0, 6]]), (0, 0)).x == 3.0


def test_dust_is_taken_out_and_nothing_else_changes(tmp_path: Path) -> None:
    picture, rng = made_picture(74), np.random.default_rng(8)
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    light = 1 - 0.25 * np.clip(1.5 - np.hypot(xx - 200, yy - 90) / 7, 0, 1).astype(np.float32)
    path = np.cumsum(rng.normal(0, 4, (16, 2)), axis=0)
    path = np.clip(path - path[0], -20, 20)
    clean = [seen(picture, centred(x, y)) for x, y in path]
    shot, _ = bare_shot(written(tmp_path / "dusty", [f * light[..., None] for f in clean]))
    shot, step = add_step(shot, "dust")
    shot = with_proposal(shot, step.id)
    r = renderer_for(shot)
    spot = np.hypot(xx - 200, yy - 90) < 7
    for n in (1, 8, 16):
        out, was = r.product("step:dust", n).picture, r.product("plate:hero", n).picture
        assert np.abs(out[spot] - clean[n - 1][spot]).mean() < 0.35 * np.abs(was[spot] - clean[n - 1][spot]).mean()
        far = np.hypot(xx - 200, yy - 90) > 40
        assert np.array_equal(out[far], was[far])
    left = r.measure("dust", 8)[0]
    assert left.value is not None
    assert left.value < 1.5
    untouched = renderer_for(shot.with_step(step)).measure("dust", 8)[0]
    assert untouched.value == pytest.approx(25, abs=6)  # a tent as deep as that at its very tip only
    by_hand = shot.with_step(step.model_copy(update={"params": {"by_hand": [[100, 60, 6]]}}))
    filled = renderer_for(by_hand).product("step:dust", 3).picture
    assert not np.array_equal(filled[55:65, 95:105], r.product("plate:hero", 3).picture[55:65, 95:105])
    again = renderer_for(by_hand).product("step:dust", 3).picture
    assert np.array_equal(filled, again)


def test_conform_takes_other_rates_and_leaves_doubled_frames_out(tmp_path: Path) -> None:
    wide = np.concatenate([made_picture(75), made_picture(76)], axis=1)
    real = [wide[24 : 24 + SIZE[0], 24 + 4 * i : 24 + 4 * i + SIZE[1]] for i in range(12)]
    shot, _ = bare_shot(written(tmp_path / "sixty", real))
    shot, step = add_step(shot, "conform")

    def at(n: int, **params: object) -> np.ndarray:
        s = shot.with_step(step.model_copy(update={"params": params}))
        return renderer_for(s).product("step:conform", n).picture  # type: ignore[return-value]

    assert np.array_equal(at(3, speed=2.5), renderer_for(shot).product("plate:hero", 6).picture)
    halves = np.abs(at(2, speed=0.5, frames="follow the motion")[20:-20, 30:-30] - _half(wide)[20:-20, 30:-30]).mean()
    mixed = np.abs(at(2, speed=0.5, frames="blend")[20:-20, 30:-30] - _half(wide)[20:-20, 30:-30]).mean()
    assert halves < 0.5 * mixed
    with pytest.raises(UserError, match="has no frame"):
        at(8, speed=2.5)


def _half(wide: np.ndarray) -> np.ndarray:
    """What a camera would have seen half way between the first two frames."""
    return wide[24 : 24 + SIZE[0], 26 : 26 + SIZE[1]]


def test_conform_proposes_to_leave_doubled_frames_out(tmp_path: Path) -> None:
    wide = np.concatenate([made_picture(77), made_picture(78)], axis=1)
    real = [wide[24 : 24 + SIZE[0], 24 + 3 * i : 24 + 3 * i + SIZE[1]] for i in range(8)]
    folder = tmp_path / "doubled"
    written(folder, real)
    files = sorted(folder.glob("*.png"))
    frames = [f.read_bytes() for f in files for _ in range(2)]
    for i, data in enumerate(frames):
        (folder / f"plate.{i + 1:04d}.png").write_bytes(data)
    shot, _ = bare_shot(folder / "plate.0001.png")
    shot, step = add_step(shot, "conform")
    proposal = renderer_for(shot).propose(step.id)
    assert proposal
    assert "every second frame is doubled" in proposal.reason.lower()
    assert proposal.values["repeats"] == "leave out"


def test_a_mend_stands_between_the_plate_and_what_uses_it(tiny_plates: Path) -> None:
    shot, _ = bare_shot(tiny_plates / "take.0001.png")
    shot = first_work_order(shot)
    shot, even = add_step(shot, "even_out")
    assert shot.step("screen_key").inputs["plate"] == f"step:{even.id}"
    assert shot.step("exposure").inputs["plate"] == "plate:hero"
    shot, steady = add_step(shot, "steady")
    assert steady.inputs["plate"] == f"step:{even.id}"
    assert shot.step("screen_key").inputs["plate"] == f"step:{steady.id}"


def test_a_survey_goes_on_where_it_was_cut_off(tmp_path: Path) -> None:
    shot, _ = bare_shot(written(tmp_path / "plate", [seen(made_picture(79), centred(0.1 * i, 0)) for i in range(5)]))
    first = Renderer(shot, Material(Path.cwd()), surveys=Surveys(tmp_path / "analysis"))
    for n in (1, 2, 3):
        first.surveys.scan(first, "plate:hero", n)
    again = Renderer(shot, Material(Path.cwd()), surveys=Surveys(tmp_path / "analysis"))
    assert again.surveys.missing_scans(again, "plate:hero") == [4, 5]
    broken = next((tmp_path / "analysis" / "scans").glob("*.npz"))
    broken.write_bytes(b"cut off")
    assert again.surveys.whole(again, "plate:hero", Progress()).count == 5


def test_a_steady_proposal_foretells_what_is_then_measured(tmp_path: Path) -> None:
    """Its effect is not a constant: it is tried on a few frames, and the readings then say the same."""
    rng = np.random.default_rng(8)
    picture = made_picture(71)
    path = np.vstack([[0, 0], rng.normal(0, 1.2, (N - 1, 2))])
    shot, _ = bare_shot(written(tmp_path / "shaky", [seen(picture, centred(x, y)) for x, y in path]))
    shot, step = add_step(shot, "steady")
    proposal = renderer_for(shot).propose(step.id)
    assert proposal is not None
    (effect,) = proposal.effects
    assert 0 < effect.then < 0.2 < effect.now < 6
    r = renderer_for(with_proposal(shot, step.id))
    left = [q.value for n in range(1, N + 1) for q in r.measure(step.id, n) if q.name == "shift left" and q.value is not None]
    assert effect.then <= max(left) + 1e-9
    assert effect.then > 0.2 * max(left)
    assert "5 frames" in proposal.gains


def test_what_a_black_point_takes_from_hair_is_counted() -> None:
    matte = np.array([[0.0, 0.02, 0.04, 0.06, 0.5, 1.0]])
    assert soft_lost([matte], 0.0) == 0
    assert soft_lost([matte], 0.05) == pytest.approx(0.06 / 0.62)
    assert soft_lost([np.ones((2, 2))], 0.5) == 0


def test_a_mend_that_makes_it_worse_by_its_own_reading_is_not_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(4)
    picture = blurred(rng.uniform(0.1, 0.6, (108, 192, 3)).astype(np.float32))
    take = written(tmp_path / "take", [picture * g for g in (1.0, 1.04, 0.97, 1.02, 0.99, 1.03)])
    out = tmp_path / "out.####.png"
    right = mend_plate(take, "even_out", {"strength": 1.0}, tmp_path / "right.####.png", Progress())
    assert right["made"] == 6
    wrong = np.linspace(0.8, 1.25, 6)[:, None] * np.ones(3)
    monkeypatch.setattr(
        "transmixis.shot.steps.even_out.factors", lambda gains, target, strength, **_: wrong if strength else np.ones((6, 3))
    )
    with pytest.raises(Worse, match=r"unevenness left is 0\.\d+ stops with the mend"):
        mend_plate(take, "even_out", {"strength": 1.0}, out, Progress())
    assert not list(tmp_path.glob("out*"))
    assert mend_plate(take, "even_out", {"strength": 1.0}, out, Progress(), anyway=True)["made"] == 6


def blurred(picture: np.ndarray) -> np.ndarray:
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), 1.5))


@pytest.mark.parametrize("takes", [ALL, ONLY_FLICKER])
def test_a_still_that_stands_for_many_frames_has_nothing_to_even_out(tmp_path: Path, takes: str) -> None:
    write_still(tmp_path / "still.png", np.full((64, 96, 3), 0.2, np.float32), kind="uint8")
    shot, _ = bare_shot(tmp_path / "still.png")
    shot, step = add_step(shot.model_copy(update={"length": 3}), "even_out")
    shot = shot.with_step(step.model_copy(update={"params": {**step.params, "takes": takes, "strength": 1.0}}))
    r = renderer_for(shot)
    for n in (1, 3):
        picture = r.product(f"step:{step.id}", n).picture
        assert picture is not None
        assert picture[..., :3] == pytest.approx(r.product("plate:hero", n).picture[..., :3])
        assert r.measure(step.id, n)[0].value == 0
