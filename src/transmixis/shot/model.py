"""The document as data: immutable, so that undo is keeping the old one. Frames of a shot are counted from 1."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from transmixis.core.rate import rate_of
from transmixis.shot.migrate import SCHEMA
from transmixis.shot.office import Agreement, Day, Scenario, Work, Worker
from transmixis.shot.record import STAGES, Code, RateText, Record, Stage

__all__ = ["SCHEMA", "STAGES", "Record", "Stage"]

Role = Literal["hero", "clean", "background", "element", "reference", "still"]
ROLES: tuple[Role, ...] = ("hero", "clean", "background", "element", "reference", "still")
Easing = Literal["hold", "linear", "smooth", "bezier"]


MOST_PARTS = 500  # plates or steps of one shot; a heavy shot has 30 to 50 layers (common practice)


class Pin(Record):
    """A value that a person set at a frame. `handles` are the two points of a cubic-bezier to the next pin."""

    frame: int
    value: Any
    easing: Easing = "smooth"
    handles: tuple[float, float, float, float] = (0.42, 0.0, 0.58, 1.0)


class Plate(Record):
    """A recording used by a shot. `path` is relative to the project where it lies under it. None: as guessed."""

    id: str
    role: Role
    path: str
    name: str = ""
    space: str | None = None
    chroma_halved: bool | None = None
    turn: Literal[0, 90, 180, 270] | None = None  # degrees anticlockwise
    pixel_aspect: float | None = Field(default=None, gt=0.05, lt=20)  # width over height of a pixel
    offset: int = 0  # frames of the plate skipped before the shot's frame 1
    rate: RateText | None = None


class Verdict(Record):
    """A person's answer to a finding."""

    step: str
    reading: str
    first: int
    last: int
    answer: Literal["mended", "accepted", "reshoot"]
    reason: str = ""


class Step(Record):
    """One operation. `inputs` map a slot to 'plate:ID' or 'step:ID'. `pins` map a parameter to its pins."""

    id: str
    kind: str
    name: str
    on: bool = True
    inputs: dict[str, str] = Field(default_factory=dict)
    params: dict[str, Any] = Field(default_factory=dict)
    pins: dict[str, tuple[Pin, ...]] = Field(default_factory=dict)
    limits: dict[str, Annotated[float, Field(gt=0)]] = Field(default_factory=dict)


class Part(Record):
    """Steps gathered under a name. `asleep`: the part is switched off, and those of its steps that had been off by themselves."""

    id: str
    name: str
    steps: tuple[str, ...] = ()
    folded: bool = False
    asleep: tuple[str, ...] | None = None


class Cue(Record):
    """A named frame."""

    frame: int
    name: str


class Shot(Record):
    """A frame range of the film with its plates and its work order. Size and rate come from the hero plate at first."""

    schema_number: int = SCHEMA
    code: Code
    title: str = ""
    length: int = Field(ge=1, le=1_000_000)
    rate: RateText = "24"
    width: int = Field(ge=1, le=65536)
    height: int = Field(ge=1, le=65536)
    plates: tuple[Plate, ...] = Field(default=(), max_length=MOST_PARTS)
    steps: tuple[Step, ...] = Field(default=(), max_length=MOST_PARTS)
    parts: tuple[Part, ...] = Field(default=(), max_length=MOST_PARTS)
    cues: tuple[Cue, ...] = ()
    verdicts: tuple[Verdict, ...] = ()
    hours_estimate: float | None = Field(default=None, ge=0)  # set by hand, for a shot without tasks; None: from its work order
    hours_spent: float = Field(default=0.0, ge=0)
    output: str | None = None  # the step that is delivered; None: the last that gives a picture
    delivered: str = ""
    plan: dict[str, dict[str, Any]] = Field(default_factory=dict)  # inputs of the questions before the shoot, by question
    ticked: tuple[str, ...] = ()  # lines of the shoot list that are done
    work: tuple[Work, ...] = ()  # its tasks in order; none: hours_estimate, else those of its work order
    due: Day = ""  # a date of its own; else the scenario's
    plates_due: Day = ""  # when its last plate comes in
    waits_for: str = ""
    agreements: tuple[Agreement, ...] = ()

    @model_validator(mode="after")
    def _ids_are_one_each(self) -> Shot:
        one_each(self)
        return self

    @property
    def fps(self) -> Fraction:
        return rate_of(self.rate)

    def step(self, step_id: str) -> Step:
        """The step with this id. Raises KeyError."""
        for s in self.steps:
            if s.id == step_id:
                return s
        raise KeyError(step_id)

    def plate(self, plate_id: str) -> Plate:
        """The plate with this id. Raises KeyError."""
        for p in self.plates:
            if p.id == plate_id:
                return p
        raise KeyError(plate_id)

    def plate_of_role(self, role: Role) -> Plate | None:
        """The first plate in this role."""
        return next((p for p in self.plates if p.role == role), None)

    def with_step(self, step: Step) -> Shot:
        """This shot with one step replaced."""
        return self.model_copy(update={"steps": tuple(step if s.id == step.id else s for s in self.steps)})


def one_each(shot: Shot) -> None:
    """Raises ValueError if two plates, steps or parts have one id, if a step is in two parts, or if there are too many steps."""
    gathered = [s for p in shot.parts for s in p.steps]
    for what, ids in (
        ("plates", [p.id for p in shot.plates]),
        ("steps", [s.id for s in shot.steps]),
        ("parts", [p.id for p in shot.parts]),
        ("places in parts", gathered),
    ):
        twice = next((i for i in ids if ids.count(i) > 1), None)
        if twice is not None:
            raise ValueError(f"two {what} have the id '{twice[:40]}'; give one of them another")
        if len(ids) > MOST_PARTS:
            raise ValueError(f"a shot can have at most {MOST_PARTS} {what}")


class Element(Record):
    """A stock element on the shelf: where it lies, what people call it, and its measured card (see core.survey.element)."""

    id: str
    path: str
    name: str
    words: tuple[str, ...] = ()
    space: str | None = None
    width: int
    height: int
    count: int
    rate: str
    ground: str
    black: float
    box: tuple[float, float, float, float]
    first: int
    peak: int
    last: int
    speed: float
    direction: str
    seam: float | None  # None: it cannot loop at all
    loops: bool
    colour: tuple[float, float, float]
    hue: str
    detail: float | None = None
    noise: float | None = None  # 8-bit levels


class Shelf(Record):
    """The production's stock elements: what `shelf.json` holds."""

    schema_number: int = SCHEMA
    elements: tuple[Element, ...] = ()


class Preset(Record):
    """A step's or a part's settings, kept by name to be used elsewhere. `steps` are its steps with the connections between them; what they took from outside is left open."""

    name: str
    steps: tuple[Step, ...] = Field(default=(), max_length=MOST_PARTS)
    part: bool = False
    from_shot: str = ""


class Production(Record):
    """A film: what `production.json` holds. Shots are kept in files of their own."""

    schema_number: int = SCHEMA
    name: str
    rate: RateText = "24"
    shots: tuple[Code, ...] = ()
    people: tuple[Worker, ...] = ()
    scenarios: tuple[Scenario, ...] = ()
    scenario: str = ""  # the one that is worked towards; else the first
    day: Day = ""  # the day that counts as today; '' is the clock's
    presets: tuple[Preset, ...] = Field(default=(), max_length=MOST_PARTS)

    @model_validator(mode="after")
    def _codes_are_one_each(self) -> Production:
        twice = next((c for c in self.shots if self.shots.count(c) > 1), None)
        if twice is not None:
            raise ValueError(f"two shots have the code '{twice}'; give one of them another")
        return self


class Film(Record):
    """The whole document in memory: a production and its shots in order."""

    production: Production
    shots: tuple[Shot, ...] = ()
    shelf: Shelf = Shelf()

    def shot(self, code: str) -> Shot:
        """The shot with this code. Raises KeyError."""
        for s in self.shots:
            if s.code == code:
                return s
        raise KeyError(code)

    def with_shot(self, shot: Shot) -> Film:
        """This film with one shot replaced or added at the end."""
        codes = [s.code for s in self.shots]
        shots = tuple(shot if s.code == shot.code else s for s in self.shots) if shot.code in codes else (*self.shots, shot)
        production = self.production.model_copy(update={"shots": tuple(s.code for s in shots)})
        return self.model_copy(update={"production": production, "shots": shots})
