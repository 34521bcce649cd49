"""What a step kind is. See docs/adding-a-step.md."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, ClassVar, Generic, Literal, Protocol, TypeVar

import numpy as np
from pydantic import BaseModel

from transmixis.core.motion.motion import Motion
from transmixis.core.motion.pose import Camera
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.scan import Scan
from transmixis.core.types import Array, Matte
from transmixis.shot.model import Pin, Shot, Stage, Step
from transmixis.shot.offers import Act as Act
from transmixis.shot.offers import Effect as Effect
from transmixis.shot.offers import Proposal as Proposal
from transmixis.shot.offers import Thing as Thing
from transmixis.shot.pins import set_pin
from transmixis.shot.sampling import sample_frames as sample_frames
from transmixis.shot.sampling import sampled as sampled

ProductKind = Literal["picture", "matte", "motion", "camera", "shape", "readings"]
ALWAYS, SCREEN, BACKGROUND = "always", "screen", "background"
Analysis = Mapping[str, Array]
P = TypeVar("P", bound=BaseModel)


@dataclass(frozen=True)
class Slot:
    """An input of a step: its name, what it is in plain words, what it takes, and whether it may stay empty. `many`: it may be connected
    several times, as 'name', 'name.2', 'name.3' of the step's inputs. `whole`: the product may look at any of its frames; `learnt`: the analysis
    alone looks at it, so that it needs no frame for each of the shot's. `usual` says
    what a new step is connected to, first that is there first: 'plate:ROLE', or 'step:ROLE' for the last step that has this role. `ground`:
    what lies behind; it is what a step lets through while it is off, and what parts are ordered by."""

    name: str
    words: str
    takes: ProductKind = "picture"
    optional: bool = False
    many: bool = False
    whole: bool = False
    learnt: bool = False
    ground: bool = False
    usual: tuple[str, ...] = ("plate:hero", "plate:any")


@dataclass(frozen=True)
class Handle:
    """What a tool on the picture takes hold of at a frame: the parameter `param` with its `value` as it lies in this frame (px),
    `words` that name it and `hint` that says what to do. `matrix` leads from where it was set to this frame. `live`: dragging it shows its effect in
    the picture at once. `here`: it was set by a person at this very frame. `facts` are plain values that the tool draws with."""

    tool: str
    param: str
    words: str
    hint: str
    value: Any
    matrix: Array = field(default_factory=lambda: np.eye(3), compare=False)
    here: bool = False
    live: bool = True
    note: str = ""
    facts: Mapping[str, Any] = field(default_factory=dict, compare=False)


@dataclass(frozen=True)
class Product:
    """What a step gives at a frame. `picture` is (h, w, 3) or premultiplied (h, w, 4); `matte` (h, w); `shape` closed outlines, each
    (n, 2) px; `cloud` (m, 4) the points of a solved place, with the error px of each. `also` are further products by name, as the kind's `also` declares them. `why` says why it is not valid at this frame; ''
    if it is (motion and camera say so themselves). `work` is what the readings need beside it; it is never cached."""

    picture: Array | None = None
    matte: Matte | None = None
    motion: Motion | None = None
    camera: Camera | None = None
    shape: tuple[Array, ...] | None = None
    cloud: Array | None = None
    also: Mapping[str, Product] = field(default_factory=dict)
    why: str = ""
    work: Any = field(default=None, compare=False)

    @property
    def nbytes(self) -> int:
        """Bytes held, for the cache."""
        arrays = [
            a for a in (self.picture, self.matte, self.motion, self.camera, self.cloud, *(self.shape or ())) if a is not None
        ]
        return 64 + sum(int(a.nbytes) for a in arrays) + sum(p.nbytes for p in self.also.values())


@dataclass(frozen=True)
class Given:
    """A further product of a kind: its name in references, its type, and what it is in plain words."""

    name: str
    kind: ProductKind
    words: str


@dataclass(frozen=True)
class Facts:
    """What a plate's file says: pictures a second (None: not said), width over height of a pixel, size px, and how many frames there are from the shot's first on."""

    rate: float | None
    pixel_aspect: float
    width: int
    height: int
    count: int


@dataclass(frozen=True)
class Piece:
    """A part of an analysis that is made, kept and resumed by itself. It tells of the frames `first`..`last`, looks at `frames` of the
    inputs, and depends on the plain values `depends` and on the piece named `after`, if any, whose result it starts from."""

    name: str
    first: int
    last: int
    frames: tuple[int, ...]
    depends: Mapping[str, Any]
    after: str = ""


Pins = Mapping[str, tuple[Pin, ...]]


class HalfMade(Protocol):
    """What there is of a whole analysis that takes long, so that it goes on from there if it is cut off."""

    def read(self) -> Analysis | None: ...
    def keep(self, half: Analysis) -> None: ...


class Inputs(Protocol):
    """What a step kind may ask for. Frames are the shot's, 1..length."""

    shot: Shot
    step_id: str

    @property
    def draft(self) -> HalfMade: ...

    def has(self, slot: str) -> bool: ...
    def picture(self, slot: str, frame: int) -> Array: ...
    def matte(self, slot: str, frame: int) -> Matte: ...
    def mattes(self, slot: str, frame: int) -> list[Matte]: ...
    def motion(self, slot: str, frame: int) -> Motion: ...
    def camera(self, slot: str, frame: int) -> Camera: ...
    def shape(self, slot: str, frame: int) -> tuple[Array, ...]: ...
    def pins(self) -> Pins: ...
    def piece(self, frame: int, *, name: str = "", make: bool = True) -> Analysis | None: ...
    def fresh(self, slot: str, frame: int) -> Product: ...
    def own(self, frame: int) -> Product: ...
    def is_still(self, slot: str) -> bool: ...
    def facts(self, slot: str) -> Facts | None: ...
    def analysis(self) -> Analysis: ...
    def analysis_if_there(self) -> Analysis | None: ...
    def survey(self, slot: str) -> PlateSurvey: ...
    def survey_if_there(self, slot: str) -> PlateSurvey | None: ...
    def motion_if_there(self, frame: int) -> Motion | None: ...


class StepKind(ABC, Generic[P]):
    """One kind of step, with parameters of the type `P`. Instances hold no state."""

    kind: ClassVar[str]
    title: ClassVar[str]
    stage: ClassVar[Stage]
    product: ClassVar[ProductKind]
    version: ClassVar[int] = 1
    says: ClassVar[str]  # what it does, after the step's name
    slots: ClassVar[tuple[Slot, ...]]
    Params: type[P]
    analyses: ClassVar[bool] = False
    analysis_params: ClassVar[tuple[str, ...]] = ()  # the parameters that the analysis depends on, as they are at frame 1
    analyses_product: ClassVar[bool] = False  # the analysis looks at what the step itself gives, so at all that this depends on
    not_analysed: ClassVar[tuple[str, ...]] = ()  # slots that the analysis does not look at
    full_chroma: ClassVar[bool] = False  # weighs colour at edges: chroma recorded at half size is brought back for it
    keeps_time: ClassVar[bool] = True  # frame n is made from frame n of what comes in, or from those about it
    keeps_pixels: ClassVar[bool] = False  # a mend that moves no pixel, so that what was recorded at half size still is
    own_pins: ClassVar[tuple[str, ...]] = ()  # parameters whose pins it eases itself, so that all of them may count at any frame
    near_pins: ClassVar[tuple[str, ...]] = ()  # parameters that it looks at between frames too, as they are eased about a frame
    held_pins: ClassVar[tuple[str, ...]] = ()  # parameters whose pins count at their own frames only, and are not eased between
    positions: ClassVar[tuple[str, ...]] = ()  # parameters that are points in the picture, px, which move with a part
    offsets: ClassVar[tuple[str, str] | None] = None  # parameters that move it to the right and down, px
    scales: ClassVar[bool] = (
        False  # at half size, its lengths scaled, it gives what it gives at full size, shrunk (see shot.small)
    )
    acts: ClassVar[tuple[Act, ...]] = ()  # what is often done with it at a frame (see `act`)
    thing: ClassVar[type[BaseModel] | None] = None  # the settings of one of the things that it holds, if it holds several
    new_things: ClassVar[tuple[Act, ...]] = ()  # what can be added to them (see `things`)
    weighs_itself: ClassVar[bool] = False  # its proposals look at its own readings too, and are made anew when all are there
    tools: ClassVar[tuple[str, ...]] = ()  # the tools on the picture that it wants (see `handles`)
    files: ClassVar[tuple[str, ...]] = ()  # endings of the files that it can be set from (see `from_file`)
    writes: ClassVar[tuple[str, ...]] = ()  # endings of the files that it can be written to (see `to_file`)
    pieced: ClassVar[bool] = False  # its analysis is made in pieces (see `pieces`)
    gives: ClassVar[tuple[ProductKind, ...]] = ()  # all that its first product holds, if it is more than `product`
    also: ClassVar[tuple[Given, ...]] = ()  # further products, by name
    roles: ClassVar[tuple[str, ...]] = ()  # what its product is good for, so that slots and pages can ask for it
    begins: ClassVar[str] = (
        ""  # it stands in a first work order: ALWAYS, before a SCREEN, or where there is a BACKGROUND for it too
    )
    work: ClassVar[str] = ""  # the kind of work that it asks a person for (core.plan.estimate); '' if it is measured by itself
    mends_topics: ClassVar[tuple[str, ...]] = ()  # topics of the survey's findings that it mends
    tells_topics: ClassVar[tuple[str, ...]] = ()  # and those that its readings tell of
    cued: ClassVar[bool] = False  # its readings look at the shot's cues
    plots: ClassVar[Literal["", "frame", "whole", "both"]] = (
        ""  # it has a plot: of the frame at the playhead, of the whole shot, or both
    )
    shown_in: ClassVar[str] = ""  # its result is looked at in the step that takes it in this slot
    known: ClassVar[bool] = True  # False: stands in for a kind of a newer program
    mends: ClassVar[bool] = False  # stands between a plate and the steps that use it
    over_all: ClassVar[bool] = False  # it changes the whole picture that lies behind it, so that it lies on all
    lights: ClassVar[str] = ""  # the slot of what glows, if it gives the light of that to what lies behind
    surveys: ClassVar[bool] = False  # its readings come from the survey of its first input (see SurveyKind)
    other_frames: ClassVar[bool] = False  # its product may show any frame of its inputs, not just the one asked for
    timeless: ClassVar[bool] = False  # the product follows from parameters and inputs alone, whatever the frame's number
    frames_back: ClassVar[int] = 0  # how many earlier frames the readings look at
    reads_other_frames: ClassVar[bool] = False  # the readings may look at the step's own product at any frame

    def propose(self, inputs: Inputs, params: P, progress: Progress) -> Proposal | None:
        """Measure and propose settings; None when there is nothing to better."""
        return None

    def plot(self, inputs: Inputs, params: P, frame: int) -> Plot | None:
        """What is drawn beside the controls; None while it is not known yet. Raises UserError where it cannot be."""
        return None

    def analyse(self, inputs: Inputs, params: P, progress: Progress) -> Analysis:
        """Work through the whole range; the result is stored with the project."""
        raise NotImplementedError

    def looks_at(self, slot: str, params: P, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        """The frames of a `whole` slot that the product at a frame looks at beside its own; None: it may be any."""
        return None

    def fits(self, takes: ProductKind, name: str = "") -> bool:
        """Whether what it gives (its first product, or the one named) can be connected to a slot that takes this; a picture may have a
        matte in its alpha."""
        given: tuple[ProductKind, ...] = (
            tuple(g.kind for g in self.also if g.name == name) if name else self.gives or (self.product,)
        )
        return takes in given or (takes == "matte" and "picture" in given)

    def handles(self, inputs: Inputs, params: P, frame: int) -> tuple[Handle, ...]:
        """What can be taken hold of in the picture at a frame, the first of them at hand."""
        return ()

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """The step with a handle's value set by a person at a frame: pinned there if the parameter has pins, else for the whole shot."""
        if step.pins.get(handle.param):
            return set_pin(step, handle.param, Pin(frame=frame, value=value))
        return step.model_copy(update={"params": {**step.params, handle.param: value}})

    def act(self, name: str, inputs: Inputs, step: Step, params: P, frame: int) -> Step:
        """The step after one of its acts at a frame. Raises UserError where that cannot be done there."""
        raise NotImplementedError

    def things(self, step: Step) -> tuple[Thing, ...]:
        """The things that a step holds, in their order."""
        return ()

    def with_thing(self, step: Step, new: str) -> tuple[Step, str]:
        """The step with one more thing, the one of `new_things` of this name, and the param of its handle."""
        raise NotImplementedError

    def without_thing(self, step: Step, param: str) -> Step:
        """The step without a thing, and without its pins."""
        raise NotImplementedError

    def thing_set(self, step: Step, param: str, name: str, value: Any) -> Step:
        """The step with a setting of a thing changed, `on` among them. Raises UserError for what cannot be."""
        raise NotImplementedError

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        """The step set by what a file holds, all of which is kept in the step. Raises UserError where it holds nothing of use."""
        raise NotImplementedError

    def to_file(self, inputs: Inputs, step: Step, params: P, frame: int, path: Path) -> str:
        """Write the step to a file; says what was written. Raises UserError where there is nothing to write."""
        raise NotImplementedError

    def depth(self, inputs: Inputs, params: P, frame: int) -> float | None:
        """How far before the camera what it lays stands, in the units of a solved place; None where that is not known."""
        return None

    def stays(self, step: Step) -> str:
        """Why a step cannot be moved over the picture with its part; '' if it can."""
        return ""

    def pieces(self, length: int, params: P, pins: Pins) -> tuple[Piece, ...]:
        """The pieces of the analysis, those that others start from before these."""
        raise NotImplementedError

    def analyse_piece(self, inputs: Inputs, params: P, piece: Piece, before: Analysis | None, progress: Progress) -> Analysis:
        """One piece; `before` is the result of the one that it starts from."""
        raise NotImplementedError

    @abstractmethod
    def compute(self, inputs: Inputs, params: P, frame: int) -> Product:
        """The product at a frame: same inputs, same bytes."""

    @abstractmethod
    def read(self, inputs: Inputs, params: P, product: Product, frame: int) -> list[Reading]:
        """The readings of a product just computed."""


class SurveyKind(StepKind[P]):
    """A kind that only reads from the survey of its first input: at first from a frame's own scan, then from the whole."""

    product = "readings"
    surveys = True
    plots = "whole"

    def plot(self, inputs: Inputs, params: P, frame: int) -> Plot | None:
        survey = inputs.survey_if_there(self.slots[0].name)
        return None if survey is None else self.plot_survey(survey)

    @abstractmethod
    def plot_survey(self, survey: PlateSurvey) -> Plot:
        """What is drawn of the survey of all frames."""

    def compute(self, inputs: Inputs, params: P, frame: int) -> Product:
        return Product()

    def read(self, inputs: Inputs, params: P, product: Product, frame: int) -> list[Reading]:
        return self.read_survey(inputs.survey(self.slots[0].name), params, frame)

    @abstractmethod
    def read_survey(self, survey: PlateSurvey, params: P, frame: int) -> list[Reading]:
        """Readings at a frame from the survey of all frames."""

    @abstractmethod
    def read_scan(self, scan: Scan, params: P, frame: int) -> list[Reading]:
        """What can be said of a frame before the others have been looked at."""


AnyKind = StepKind[Any]
