"""What is kept is what would be made anew: every step kind, random work orders, random edits, bit for bit."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tinyplates import tiny_frame

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot.digests import KeptKeys, digest
from transmixis.shot.given import refuse_cycles
from transmixis.shot.keys import CHUNK, Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS
from transmixis.shot.steps.params import facts
from transmixis.shot.workorder import add_step, first_work_order, move_step, remove_step

FRAMES, EXAMPLES = 4, 15


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A take before a screen that trembles, a still of the empty screen, a moving and a still background."""
    root = tmp_path_factory.mktemp("keys")
    rng = np.random.default_rng(3)
    wall = rng.random((80, 100, 3)).astype(np.float32) * 0.4 + 0.1
    for n in range(1, FRAMES + 2):
        write_still(root / f"take.{n:04d}.png", tiny_frame(n), kind="uint8")
        dx, dy = (int(v) for v in rng.integers(0, 6, 2))
        moving = wall[dy : dy + 48, dx : dx + 64] * (1 + 0.05 * (n % 2))
        write_still(root / f"wall.{n:04d}.png", moving, kind="uint8")
    write_still(root / "empty.png", np.full((48, 64, 3), (0.05, 0.3, 0.07), np.float32), kind="uint8")
    write_still(root / "sky.png", wall[:48, :64], kind="uint8")
    return root


def base_shot() -> Shot:
    plates = (
        Plate(id="hero", role="hero", path="take.0001.png"),
        Plate(id="clean", role="clean", path="empty.png"),
        Plate(id="wall", role="background", path="wall.0001.png"),
        Plate(id="sky", role="still", path="sky.png"),
    )
    return Shot(code="A", length=FRAMES, rate="24", width=64, height=48, plates=plates)


def random_value(dice: random.Random, model: Any, name: str) -> Any:
    """A value that the parameter may have; None for one that has a control of its own."""
    told = facts(model.model_fields[name])
    if told["control"] == "number" and "low" in told:
        low, high = float(told["low"]), float(told["high"])
        near = float(told["default"]) + dice.uniform(-1, 1) * min(high - low, max(1.0, abs(float(told["default"]))))
        return round(min(max(near, low), high), 3)
    if told["control"] == "choice":
        return dice.choice(told["options"])
    if name in ("points", "corners", "seat") and (name != "seat" or model.__name__ == "SurfaceTrackParams"):
        return [[round(dice.uniform(0, 60), 1), round(dice.uniform(0, 44), 1)] for _ in range(4)]
    if name in ("point", "seat"):
        return [[round(dice.uniform(16, 48), 1), round(dice.uniform(16, 32), 1)]]
    if name == "outline":
        return outline(dice)
    if name in ("region", "leave"):
        return [outline(dice)] if name == "region" or dice.random() < 0.3 else []
    return [round(dice.uniform(0.9, 1.1), 3)] * 3 if name == "gain" else None


def outline(dice: random.Random) -> list[list[float]]:
    """A box somewhere in the frame."""
    x, y, w, h = dice.uniform(4, 30), dice.uniform(4, 20), dice.uniform(12, 30), dice.uniform(10, 24)
    return [[i + 1, round(px, 1), round(py, 1)] for i, (px, py) in enumerate([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])]


def edited(shot: Shot, dice: random.Random) -> Shot:
    """One change such as a person makes."""
    steps = list(shot.steps)
    what = dice.choice(["on", "param", "param", "pin", "pin", "unpin", "connect", "move", "remove", "add", "plate", "rate"])
    step: Step | None = dice.choice(steps) if steps else None
    if what == "add" or step is None:
        return add_step(shot, dice.choice(sorted(KINDS)))[0] if len(steps) < 12 else shot
    model = KINDS[step.kind].Params
    names = [n for n in model.model_fields if random_value(dice, model, n) is not None]
    if what == "on":
        return shot.with_step(step.model_copy(update={"on": not step.on}))
    if what in ("param", "pin") and names:
        name = dice.choice(names)
        value = random_value(dice, model, name)
        if what == "param":
            return shot.with_step(step.model_copy(update={"params": {**step.params, name: value}}))
        return shot.with_step(
            set_pin(step, name, Pin(frame=dice.randint(1, FRAMES), value=value, easing=dice.choice(["hold", "linear"])))
        )
    if what == "unpin":
        return shot.with_step(step.model_copy(update={"pins": {}}))
    if what == "connect" and KINDS[step.kind].slots:
        slot = dice.choice(KINDS[step.kind].slots)
        if slot.takes == "motion":
            tracks = [f"step:{s.id}" for s in steps if KINDS[s.kind].product == "motion"]
            return shot.with_step(step.model_copy(update={"inputs": {**step.inputs, slot.name: dice.choice(["", *tracks])}}))
        ref = dice.choice([f"plate:{p.id}" for p in shot.plates] + [f"step:{s.id}" for s in steps if s.id != step.id])
        return shot.with_step(step.model_copy(update={"inputs": {**step.inputs, slot.name: ref}}))
    if what == "move":
        return move_step(shot, step.id, dice.randrange(len(steps)))
    if what == "remove":
        return remove_step(shot, step.id)
    if what == "plate":
        change = dice.choice(
            [{"offset": dice.randint(0, 2)}, {"space": dice.choice(["linear", "sRGB"])}, {"path": "wall.0001.png"}]
        )
        plates = [p.model_copy(update=change) if p.id in ("hero", "wall") and dice.random() < 0.5 else p for p in shot.plates]
        return shot.model_copy(update={"plates": tuple(plates)})
    return shot.model_copy(update={"rate": dice.choice(["24", "25", "12"])}) if what == "rate" else shot


def all_of(renderer: Renderer, order: list[tuple[str, int]]) -> dict[tuple[str, int], Any]:
    """Pictures, mattes and readings of every step at every frame, or the sentence that says why not."""
    out: dict[tuple[str, int], Any] = {}
    for step_id, frame in order:
        try:
            made = renderer.product(f"step:{step_id}", frame)
            motion = made.motion
            told = None if motion is None else (motion.matrix.tobytes(), motion.known, repr(motion.error), motion.why)
            arrays = (made.picture, made.matte, *(made.shape or ()))
            out[step_id, frame] = (told, *(None if a is None else (a.shape, a.tobytes()) for a in arrays))
        except UserError as e:
            out[step_id, frame] = str(e)
        renderer.measure(step_id, frame)
    # once more: a survey tells more as soon as all frames have been looked at
    return {a: (out[a], renderer.measure(*a)) for a in order}


@settings(max_examples=EXAMPLES, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(seed=st.integers(0, 1_000_000))
def test_kept_is_what_would_be_made_anew(folder: Path, seed: int) -> None:
    """A long session whose cache, analyses, readings and keys are kept over edits, against a fresh start after the edits."""
    dice = random.Random(seed)
    shot = first_work_order(base_shot())
    for kind in dice.sample(["steady", "even_out", "dust", "conform", "patch", "lay_in"], dice.randint(0, 2)):
        shot, _ = add_step(shot, kind)
    for kind in dice.sample(["point_track", "surface_track", "shapes"], dice.randint(0, 2)):
        shot, step = add_step(shot, kind)
        first = "region" if kind == "surface_track" else "point" if kind == "point_track" else "outline"
        shot = shot.with_step(step.model_copy(update={"params": {first: random_value(dice, KINDS[kind].Params, first)}}))
    shot = shot.model_copy(update={"steps": tuple(dice.sample(shot.steps, min(len(shot.steps), 7)))})
    held, kept = Renderer(shot, Material(folder)), KeptKeys()

    def session(now: Shot) -> Renderer:
        return Renderer(now, held.material, held.cache, held.analyses, held.readings, held.surveys, kept)

    all_of(session(shot), [(s.id, n) for s in shot.steps for n in range(1, FRAMES + 1)])
    for _ in range(2):
        for _ in range(dice.randint(1, 2)):
            changed = edited(shot, dice)
            try:
                refuse_cycles(changed)
            except UserError:
                continue
            shot = changed
        order = [(s.id, n) for s in shot.steps for n in range(1, FRAMES + 1)]
        now = all_of(session(shot), dice.sample(order, len(order)))
        fresh = all_of(Renderer(shot, Material(folder)), order)
        for a in order:
            assert now[a][0] == fresh[a][0], (a, shot.step(a[0]))
            assert now[a][1] == fresh[a][1], (a, shot.step(a[0]))
    held.material.forget()


# -- the named faults


def first_and(shot: Shot, folder: Path, change: Any, step_id: str, frame: int = 1) -> tuple[Any, Any, Any]:
    """What a step gives and reads before a change, after it with everything kept, and after it from a fresh start."""
    held, kept = Renderer(shot, Material(folder)), KeptKeys()
    out = []
    for now, renderer in ((shot, held), (change(shot), None), (change(shot), Renderer(change(shot), Material(folder)))):
        r = renderer or Renderer(now, held.material, held.cache, held.analyses, held.readings, held.surveys, kept)
        seen = all_of(r, [(s.id, n) for s in now.steps for n in range(1, FRAMES + 1)])
        out.append(seen[step_id, frame])
    return out[0], out[1], out[2]


def keyed(*kinds: str) -> Shot:
    shot = base_shot()
    for kind in kinds:
        shot, _ = add_step(shot, kind)
    return shot


def test_a_step_that_is_switched_off_is_off_though_its_picture_is_kept(folder: Path) -> None:
    shot = keyed("screen_key", "place")
    key = shot.step("screen_key")
    before, after, fresh = first_and(shot, folder, lambda s: s.with_step(key.model_copy(update={"on": False})), "place", 2)
    assert before[0] != after[0]
    assert after == fresh


def test_steadiness_behind_a_changed_steady_is_read_anew(folder: Path) -> None:
    shot = keyed("steady")
    steady = shot.step("steady").model_copy(update={"inputs": {"plate": "plate:wall"}})
    shot, _ = add_step(shot.with_step(steady), "steadiness", inputs={"plate": "step:steady"})

    def strong(s: Shot) -> Shot:
        return s.with_step(s.step("steady").model_copy(update={"params": {"strength": 1.0, "border": "leave empty"}}))

    before, after, fresh = first_and(shot, folder, strong, "steadiness", 3)
    assert after == fresh
    assert before[1] != after[1]


def test_grain_is_another_at_each_frame_though_the_picture_is_a_still(folder: Path) -> None:
    shot, _ = add_step(base_shot(), "match", inputs={"subject": "plate:sky", "plate": "plate:clean"})
    shot = shot.with_step(shot.step("match").model_copy(update={"params": {"grain": 4.0}}))
    r = Renderer(shot, Material(folder))
    one, two = (r.product("step:match", n).picture for n in (1, 2))
    assert not np.array_equal(one, two)
    assert np.array_equal(r.fresh("step:match", 2).picture, two)  # type: ignore[arg-type]
    shot, _ = add_step(base_shot(), "place", inputs={"front": "plate:sky", "back": ""})
    still = Renderer(shot, Material(folder))
    assert still.key("step:place", 1) == still.key("step:place", 2)  # what has no time is made once


def test_a_plate_s_offset_counts_for_its_survey_too(folder: Path) -> None:
    keys = [Keys(s, Material(folder)) for s in (base_shot(), with_plate(base_shot(), "hero", offset=1))]
    assert keys[0].frame("plate:hero", 2) != keys[1].frame("plate:hero", 2)
    assert keys[0].whole("plate:hero") != keys[1].whole("plate:hero")
    renamed = Keys(with_plate(base_shot(), "hero", name="other"), Material(folder))
    assert renamed.frame("plate:hero", 1) == keys[0].frame("plate:hero", 1)  # what it is called changes no picture


def with_plate(shot: Shot, plate_id: str, **change: Any) -> Shot:
    return shot.model_copy(update={"plates": tuple(p.model_copy(update=change) if p.id == plate_id else p for p in shot.plates)})


def test_pins_count_where_they_are_used(folder: Path) -> None:
    """The screen is learnt with the parameters of frame 1: a pin of what it uses counts there, pins of other parameters do not."""
    shot = keyed("screen_key")

    def analysis(s: Shot) -> str:
        return Keys(s, Material(folder)).analysis("screen_key")

    def pinned(name: str, frame: int, value: float) -> Shot:
        return shot.with_step(set_pin(shot.step("screen_key"), name, Pin(frame=frame, value=value, easing="hold")))

    assert analysis(pinned("black", 1, 0.05)) == analysis(shot)
    assert analysis(pinned("reach", 1, 2.0)) != analysis(shot)
    both = pinned("reach", 1, 2.0)
    later = both.with_step(set_pin(both.step("screen_key"), "reach", Pin(frame=3, value=3.0, easing="hold")))
    assert analysis(later) == analysis(both)
    k, m = Keys(both, Material(folder)), Keys(later, Material(folder))
    assert k.frame("step:screen_key", 2) == m.frame("step:screen_key", 2)
    assert k.frame("step:screen_key", 3) != m.frame("step:screen_key", 3)
    assert k.whole("step:screen_key") != m.whole("step:screen_key")


def test_a_garbage_matte_counts_for_the_picture_and_not_for_what_is_learnt(folder: Path) -> None:
    shot = keyed("garbage_matte", "screen_key")
    cut = shot.with_step(shot.step("garbage_matte").model_copy(update={"params": {"feather": 9.0}}))
    a, b = Keys(shot, Material(folder)), Keys(cut, Material(folder))
    assert a.analysis("screen_key") == b.analysis("screen_key")
    assert a.frame("step:screen_key", 1) != b.frame("step:screen_key", 1)


def test_a_file_that_changes_is_seen_at_the_next_state(folder: Path, tmp_path: Path) -> None:
    for n in (1, 2, 3, 4):
        write_still(tmp_path / f"take.{n:04d}.png", tiny_frame(n), kind="uint8")
    write_still(tmp_path / "empty.png", tiny_frame(1), kind="uint8")
    shot = Shot(code="A", length=4, width=64, height=48, plates=(Plate(id="hero", role="hero", path="take.0001.png"),))
    shot, _ = add_step(shot, "garbage_matte")
    material, kept = Material(tmp_path), KeptKeys()
    before = Keys(shot, material, kept)
    old = [before.frame("step:garbage_matte", n) for n in (1, 2, 3)], before.whole("plate:hero")
    write_still(tmp_path / "take.0002.png", tiny_frame(9) * 0.5, kind="uint8")
    after = Keys(shot, material, kept)
    new = [after.frame("step:garbage_matte", n) for n in (1, 2, 3)], after.whole("plate:hero")
    assert [a == b for a, b in zip(old[0], new[0], strict=True)] == [True, False, True]
    assert old[1] != new[1]
    (tmp_path / "take.0003.png").unlink()
    assert Keys(shot, material, kept).frame("plate:hero", 3) != new[0][2]


def test_what_is_missing_or_not_connected_says_so_by_frame(folder: Path) -> None:
    shot = base_shot().model_copy(update={"length": 9})
    shot, _ = add_step(shot, "garbage_matte")
    shot, _ = add_step(shot, "place", inputs={"front": "step:garbage_matte"})
    keys = Keys(shot, Material(folder))
    assert keys.frame("step:place", 5)
    with pytest.raises(UserError, match="no frame for frame 6"):
        keys.frame("step:place", 6)
    loose = shot.with_step(shot.step("place").model_copy(update={"inputs": {}}))
    with pytest.raises(UserError, match="needs"):
        Keys(loose, Material(folder)).frame("step:place", 1)
    for ref in ("plate:none", "step:none", "nothing"):
        with pytest.raises(UserError):
            keys.frame(ref, 1)
    # a kind that takes other frames has one all the same
    timed, _ = add_step(base_shot().model_copy(update={"length": 9}), "conform")
    assert Keys(timed, Material(folder)).frame("step:conform", 8)


def test_what_a_step_lets_through_has_its_own_key(folder: Path) -> None:
    """Off, or of a kind that is not known: the first of its inputs, or nothing; a matte that is off lets everything through."""
    strange = Step(id="new", kind="from_tomorrow", name="New", inputs={"a": "", "b": "plate:sky"})
    loose = Step(id="loose", kind="from_tomorrow", name="Loose", inputs={"a": ""})
    shot = keyed("garbage_matte", "screen_key")
    off = {s.id: s.model_copy(update={"on": False}) for s in shot.steps}
    shot = shot.model_copy(update={"steps": (*off.values(), strange, loose)})
    keys, r = Keys(shot, Material(folder)), Renderer(shot, Material(folder))
    assert keys.frame("step:new", 1) == keys.frame("plate:sky", 1)
    assert keys.whole("step:new") == keys.whole("plate:sky")
    assert keys.frame("step:screen_key", 2) == keys.frame("plate:hero", 2)
    assert np.array_equal(r.product("step:new", 1).picture, r.product("plate:sky", 1).picture)  # type: ignore[arg-type]
    assert r.product("step:loose", 1).picture is None
    matte = r.product("step:garbage_matte", 1).matte
    assert matte is not None
    assert (matte.shape, matte.min()) == ((48, 64), 1)
    assert keys.frame("step:garbage_matte", 1) not in (keys.frame("step:loose", 1), keys.frame("plate:hero", 1))


def test_only_what_lies_behind_an_edit_is_made_anew(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Twelve steps one behind the other over three chunks of frames: an edit of the tenth makes the keys of three steps."""
    shot = base_shot().model_copy(update={"length": 3 * CHUNK})
    refs = ["plate:sky"]
    for _ in range(12):
        shot, step = add_step(shot, "place", inputs={"front": refs[-1], "back": ""})
        refs.append(f"step:{step.id}")
    material, kept, made = Material(folder), KeptKeys(), []
    real = Keys._of_frames
    monkeypatch.setattr(Keys, "_of_frames", lambda self, step, *a: made.append(step.id) or real(self, step, *a))

    def all_keys(s: Shot) -> list[str]:
        keys = Keys(s, material, kept)
        return [keys.frame(refs[-1], n) for n in range(1, s.length + 1)]

    first = all_keys(shot)
    assert len(made) == 12 * 3
    made.clear()
    assert all_keys(shot.model_copy(update={"title": "another"})) == first
    assert made == []
    edit = shot.steps[9].model_copy(update={"params": {"x": 3.0}})
    second = all_keys(shot.with_step(edit))
    assert second != first
    assert sorted(set(made)) == sorted(s.id for s in shot.steps[9:])
    assert len(made) == 3 * 3
    made.clear()
    assert all_keys(shot) == first  # undone
    assert set(made) == {s.id for s in shot.steps[9:]}


@pytest.mark.parametrize(
    ("a", "b"), [(1, "1"), (1, True), (0, False), (None, "null"), ([1, 2], "[1, 2]"), ({"a": 1}, [["a", 1]]), (1.0, "1.0")]
)
def test_values_of_different_kinds_never_look_alike(a: Any, b: Any) -> None:
    assert digest("x", a) != digest("x", b)
    assert digest("x", a) == digest("x", a)


def test_what_is_no_plain_value_is_refused() -> None:
    for odd in (object(), Path("a"), {1, 2}, b"x", np.float32(1)):
        with pytest.raises(TypeError):
            digest(odd)
    assert digest({"b": 1, "a": (2, 3)}) == digest({"a": [2, 3], "b": 1})


def test_what_comes_out_equal_stays_the_same_object() -> None:
    kept = KeptKeys()
    a = kept.same_or_made(("n",), (object(),), lambda: tuple("xyz"))
    b = kept.same_or_made(("n",), (object(),), lambda: tuple("xyz"))
    assert a is b
    maker, calls = object(), []
    for _ in range(3):
        kept.same_or_made(("m",), (maker, "text", 3), lambda: calls.append(1) or (1,))
    assert len(calls) == 1
    kept.same_or_made(("m",), (maker, "other", 3), lambda: calls.append(1) or (1,))
    assert len(calls) == 2
    kept.same_or_made(("m",), (maker, "other"), lambda: calls.append(1) or (1,))
    assert len(calls) == 3
