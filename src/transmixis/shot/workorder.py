"""A first work order from the roles of a shot's plates, and changing it."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.convolve import shrink
from transmixis.core.matte.screen import CLOTH_WIDTH, find_screen
from transmixis.media.source import Source, SourceInfo, open_source
from transmixis.shot.contract import ALWAYS, BACKGROUND, SCREEN, Slot
from transmixis.shot.model import STAGES, Film, Part, Plate, Role, Shot, Step
from transmixis.shot.record import CODE
from transmixis.shot.refs import base_of, product_of
from transmixis.shot.steps import KINDS, kind_of, kind_with, known_kind
from transmixis.shot.store import stored_path

_ROLE_WORDS: tuple[tuple[str, Role], ...] = (
    ("clean", "clean"),
    ("empty", "clean"),
    ("background", "background"),
    ("back", "background"),
    ("bg", "background"),
    ("sky", "background"),
    ("element", "element"),
    ("smoke", "element"),
    ("fire", "element"),
    ("ref", "reference"),
    ("chart", "reference"),
    ("hero", "hero"),
    ("take", "hero"),
    ("green", "hero"),
    ("blue", "hero"),
)


COLUMNS = 10  # of the ledger that can be read side by side in a window of 1280 px


def guess_role(path: Path, info: SourceInfo, *, hero_there: bool) -> Role:
    """A role from the words in the name, else hero for the first moving plate, then background; stills are stills."""
    named = role_in_name(path)
    if named and not (named == "hero" and hero_there):
        return named
    if not hero_there:
        return "hero"
    return "still" if info.count == 1 else "background"


def role_in_name(path: Path) -> Role | None:
    """The role that a file's or its folder's name says; None if it says none."""
    name = f"{path.parent.name} {path.stem}".lower()
    return next((role for word, role in _ROLE_WORDS if word in name), None)


def unique_id(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with the first free number behind it."""
    if wanted not in taken:
        return wanted
    n = 2
    while f"{wanted}{n}" in taken:
        n += 1
    return f"{wanted}{n}"


def plate_from(
    folder: Path, path: Path, shot: Shot | None, role: Role | None = None, *, look: bool = False
) -> tuple[Plate, SourceInfo]:
    """A plate document for material at `path`, and what it is. `look`: see whether it shows a screen, which takes as long as reading
    two frames. Raises UserError if it cannot be opened."""
    source = open_source(path)
    try:
        info = replace(source.info, screen=_shows_screen(source)) if look else source.info
    finally:
        source.close()
    plates = shot.plates if shot else ()
    chosen = role or guess_role(Path(info.path), info, hero_there=any(p.role == "hero" for p in plates))
    plate_id = unique_id(chosen, {p.id for p in plates})
    return Plate(id=plate_id, role=chosen, path=stored_path(folder, Path(info.path)), name=Path(info.path).stem), info


def _shows_screen(source: Source) -> bool | None:
    """Whether the first or the middle frame shows a green or blue screen; None if neither can be read."""
    told = None
    for frame in sorted({1, (source.info.count + 1) // 2}):
        with contextlib.suppress(UserError):
            linear = source.read(frame)[..., :3]
            wide = min(CLOTH_WIDTH, linear.shape[1])
            high = max(2, round(linear.shape[0] * wide / linear.shape[1]))
            if find_screen(shrink(np.ascontiguousarray(linear), wide, high)):
                return True
            told = False
    return told


def new_shot(code: str, title: str, info: SourceInfo, plate: Plate, rate: str) -> Shot:
    """A shot of the size, length and rate of its first plate."""
    fps = str(info.rate) if info.rate else rate
    return Shot(code=code, title=title, length=info.count, rate=fps, width=info.width, height=info.height, plates=(plate,))


def add_step(
    shot: Shot, kind_name: str, *, name: str = "", inputs: dict[str, str] | None = None, plate: str = ""
) -> tuple[Shot, Step]:
    """Add a step at its place in the order of work, connected sensibly where `inputs` leaves slots open.

    `plate`: the plate ('plate:ID') that a mend or survey is for; else the hero.
    """
    kind = known_kind(kind_name)
    step_id = unique_id(kind_name, {s.id for s in shot.steps})
    step_name = name or unique_id(kind.title, {s.name for s in shot.steps})
    connected = dict(inputs or {})
    for slot in kind.slots:
        if slot.name not in connected:
            ref = plate if plate and slot is kind.slots[0] else _sensible(shot, slot)
            if ref:
                connected[slot.name] = ref
    if kind.mends and kind.slots[0].name not in (inputs or {}):
        connected[kind.slots[0].name] = _last_mend(shot, connected.get(kind.slots[0].name, ""))
    step = Step(id=step_id, kind=kind_name, name=step_name, inputs={k: v for k, v in connected.items() if v})
    at = _place_for(shot, kind_name)
    steps = (*shot.steps[:at], step, *shot.steps[at:])
    if kind.mends:
        before = upstream(shot, step)
        steps = tuple(s if s.id in before else _behind(s, connected.get(kind.slots[0].name, ""), step) for s in steps)
    return shot.model_copy(update={"steps": steps}), step


def _last_mend(shot: Shot, ref: str) -> str:
    """The last mend that already stands on a plate, or the plate."""
    for s in shot.steps:
        if s.kind in KINDS and kind_of(s.kind).mends and ref and s.inputs.get(kind_of(s.kind).slots[0].name) == ref:
            ref = f"step:{s.id}"
    return ref


def upstream(shot: Shot, step: Step) -> set[str]:
    """Ids of the steps that a step depends on."""
    table = {s.id: s for s in shot.steps}
    found: set[str] = set()
    todo = [step]
    while todo:
        for ref in todo.pop().inputs.values():
            name = base_of(ref).partition(":")[2]
            if ref.startswith("step:") and name in table and name not in found:
                found.add(name)
                todo.append(table[name])
    return found


def _behind(step: Step, ref: str, mend: Step) -> Step:
    """A step that used `ref`, using the mend instead; what measures the plate itself goes on doing so."""
    # what follows something needs no mend that moves no pixel, and would be followed anew with each change of it
    if kind_of(step.kind).product == "motion" and kind_of(mend.kind).keeps_pixels:
        return step
    if step.id == mend.id or not ref or (step.kind in KINDS and kind_of(step.kind).surveys):
        return step
    return step.model_copy(update={"inputs": {k: (f"step:{mend.id}" if v == ref else v) for k, v in step.inputs.items()}})


def _place_for(shot: Shot, kind_name: str) -> int:
    rank = STAGES.index(kind_of(kind_name).stage)
    at = 0
    for i, s in enumerate(shot.steps):
        if s.kind in KINDS and STAGES.index(kind_of(s.kind).stage) <= rank:
            at = i + 1
    return at


def _sensible(shot: Shot, slot: Slot) -> str | None:
    """What a slot of a new step would usually be connected to, as its kind says."""
    for wanted in slot.usual:
        what, _, role = wanted.partition(":")
        if what == "step":
            found = next((f"step:{s.id}" for s in reversed(shot.steps) if role in kind_of(s.kind).roles), None)
        elif role == "any":
            found = f"plate:{shot.plates[0].id}" if shot.plates else None
        else:
            found = next((f"plate:{p.id}" for p in shot.plates if p.role == role), None)
        if found:
            return found
    return None


def first_work_order(shot: Shot, *, keyed: bool = True) -> Shot:
    """The steps that the plates' roles call for, as the kinds say: what looks at the plate always; key, match, place and check where
    there is material and the hero stands before a screen (`keyed`)."""
    out = shot.model_copy(update={"steps": ()})
    if not shot.plates:
        return out
    there = {ALWAYS}
    if keyed and shot.plate_of_role("hero"):
        there.add(SCREEN)
        if shot.plate_of_role("background") or shot.plate_of_role("still"):
            there.add(BACKGROUND)
    for kind in KINDS.values():
        if kind.begins in there:
            out, _ = add_step(out, kind.kind)
    return out


def planned_shot(film: Film, code: str, title: str, frames: int, plates_due: str = "", waits_for: str = "") -> Shot:
    """A shot that is still to be filmed, of the size of the film's others. Raises UserError for a code that is taken or none."""
    if not CODE.match(code):
        raise UserError(f"'{code}' cannot be a shot code; use letters, digits, - and _, at most 32.")
    if any(s.code == code for s in film.shots):
        raise UserError(f"There is a shot {code} already; choose another code.")
    try:
        if plates_due:
            date.fromisoformat(plates_due)
    except ValueError:
        raise UserError(f"'{plates_due[:40]}' is not a day; write it like 2026-05-22.") from None
    like = film.shots[0] if film.shots else None
    width, height = (like.width, like.height) if like else (1920, 1080)
    return Shot(
        code=code, title=title, length=max(frames, 1), rate=film.production.rate, width=width, height=height,
        plates_due=plates_due, waits_for=waits_for,
    )  # fmt: skip


def filmed(planned: Shot | None, made: Shot) -> Shot:
    """A shot made from its first plates that keeps what was planned for it: plan, tasks, dates, what was said."""
    if planned is None:
        return made
    kept = {n: getattr(made, n) for n in ("length", "rate", "width", "height", "plates", "steps")}
    return planned.model_copy(update={**kept, "plates_due": "", "waits_for": "", "title": planned.title or made.title})


def with_plates(film: Film, code: str, title: str, plates: list[tuple[Plate, SourceInfo]]) -> Shot:
    """A film's shot with more plates, made with a first work order if it is not there; one that was planned keeps its plan."""
    shot: Shot | None = next((s for s in film.shots if s.code == code), None)
    planned = shot if shot and not shot.plates and not shot.steps else None
    shot = None if planned else shot
    fresh = shot is None
    moving: list[str] = []
    for plate, info in sorted(plates, key=lambda p: p[0].role != "hero") if fresh else plates:
        taken = {p.id for p in shot.plates} if shot else set()
        own = plate.model_copy(update={"id": unique_id(plate.role, taken)})
        moving += [own.id] if info.count > 1 else []
        rate = film.production.rate
        shot = shot.model_copy(update={"plates": (*shot.plates, own)}) if shot else new_shot(code, title, info, own, rate)
    assert shot is not None
    if fresh:
        hero = shot.plate_of_role("hero")
        keyed = any(info.screen is not False for plate, info in plates if hero and plate.path == hero.path)
        shot = first_work_order(shot, keyed=keyed)
    return filmed(planned, survey_others(shot, moving))


def with_groups(film: Film, groups: Mapping[str, list[tuple[Plate, SourceInfo]]], title: str = "") -> Film:
    """A film with plates added to shots, by their codes; `title` is the new shot's, if there is one only."""
    fresh = [c for c in groups if c not in {s.code for s in film.shots}]
    for code, plates in groups.items():
        film = film.with_shot(with_plates(film, code, title if [code] == fresh else "", plates))
    return film


def survey_others(shot: Shot, moving: list[str]) -> Shot:
    """A column of readings for each other plate that moves, as long as the ledger has room; the findings tell of all plates."""
    out = shot
    hero = shot.plate_of_role("hero")
    other = kind_with("survey of another").kind
    for plate_id in moving:
        surveyed = any(s.kind == other and s.inputs.get("plate") == f"plate:{plate_id}" for s in out.steps)
        if (hero and plate_id == hero.id) or surveyed or len(out.steps) >= COLUMNS:
            continue
        plate = out.plate(plate_id)
        out, _ = add_step(out, other, name=f"Survey {plate.name or plate.id}"[:28], inputs={"plate": f"plate:{plate_id}"})
    return out


def remove_step(shot: Shot, step_id: str) -> Shot:
    """The shot without a step; what was connected to it is connected to what lay behind it instead, else to its first input."""
    gone = shot.step(step_id)
    kind = kind_of(gone.kind)
    slots = [s.name for s in sorted(kind.slots, key=lambda s: not s.ground)] if kind.known else list(gone.inputs)
    first = next((r for s in slots if (r := gone.inputs.get(s))), None)
    steps = []
    for s in shot.steps:
        if s.id == step_id:
            continue
        # a further product of what is gone has nothing that could stand for it
        inputs = {k: (first if v == f"step:{step_id}" else v) for k, v in s.inputs.items() if not _named_of(v, step_id)}
        steps.append(s.model_copy(update={"inputs": {k: v for k, v in inputs.items() if v}}))
    left = {"steps": tuple(steps), "parts": without_step(shot.parts, step_id)}
    return shot.model_copy(update={**left, "output": None if shot.output == step_id else shot.output})


def _named_of(ref: str, step_id: str) -> bool:
    return bool(product_of(ref)) and base_of(ref) == f"step:{step_id}"


def without_step(parts: tuple[Part, ...], step_id: str) -> tuple[Part, ...]:
    """The parts when a step has gone; a part without steps goes too."""
    left = (p.model_copy(update={"steps": tuple(s for s in p.steps if s != step_id)}) for p in parts)
    return tuple(p for p in left if p.steps)


def move_step(shot: Shot, step_id: str, to: int) -> Shot:
    """The shot with a step at another place of the list (the order of the ledger; connections stay)."""
    steps = [s for s in shot.steps if s.id != step_id]
    if len(steps) == len(shot.steps):
        raise UserError(f"Shot {shot.code} has no step '{step_id}'.")
    steps.insert(max(0, min(to, len(steps))), shot.step(step_id))
    return shot.model_copy(update={"steps": tuple(steps)})
