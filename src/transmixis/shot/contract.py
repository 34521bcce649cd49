"""What a step kind is. See docs/adding-a-step.md."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, Protocol, TypeVar

from pydantic import BaseModel

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.scan import Scan
from transmixis.core.types import Array, Matte
from transmixis.shot.model import Shot, Stage

ProductKind = Literal["picture", "matte", "readings"]
Analysis = Mapping[str, Array]
T = TypeVar("T")


@dataclass(frozen=True)
class Slot:
    """An input of a step: its name, what it is in plain words, what it takes, and whether it may stay empty."""

    name: str
    words: str
    takes: Literal["picture", "matte", "any"] = "picture"
    optional: bool = False


@dataclass(frozen=True)
class Product:
    """What a step gives at a frame. `picture` is (h, w, 3) or premultiplied (h, w, 4); `matte` (h, w). `work` is what the
    readings need beside it; it is never cached."""

    picture: Array | None = None
    matte: Matte | None = None
    work: Any = field(default=None, compare=False)


@dataclass(frozen=True)
class Effect:
    """A reading now and as expected if the proposal is used; both in `unit` against `limit`."""

    reading: str
    now: float
    then: float
    unit: str
    limit: float


@dataclass(frozen=True)
class Proposal:
    """Measured settings: `values` by parameter, one sentence of reason, effects, what it gains and costs, the frames covered."""

    values: dict[str, Any]
    reason: str
    effects: tuple[Effect, ...] = ()
    gains: str = ""
    costs: str = ""
    frames: tuple[int, int] | None = None


@dataclass(frozen=True)
class Facts:
    """What a plate's file says: pictures a second (None: not said), width over height of a pixel, size px."""

    rate: float | None
    pixel_aspect: float
    width: int
    height: int


class Inputs(Protocol):
    """What a step kind may ask for. Frames are the shot's, 1..length."""

    shot: Shot
    step_id: str

    def has(self, slot: str) -> bool: ...
    def picture(self, slot: str, frame: int) -> Array: ...
    def matte(self, slot: str, frame: int) -> Matte: ...
    def fresh(self, slot: str, frame: int) -> Product: ...
    def own(self, frame: int) -> Product: ...
    def is_still(self, slot: str) -> bool: ...
    def facts(self, slot: str) -> Facts | None: ...
    def analysis(self) -> Analysis: ...
    def survey(self, slot: str) -> PlateSurvey: ...


class StepKind(ABC):
    """One kind of step. Instances hold no state."""

    kind: ClassVar[str]
    title: ClassVar[str]
    stage: ClassVar[Stage]
    product: ClassVar[ProductKind]
    version: ClassVar[int] = 1
    says: ClassVar[str]  # what it does, after the step's name
    slots: ClassVar[tuple[Slot, ...]]
    Params: ClassVar[type[BaseModel]]
    analyses: ClassVar[bool] = False
    analysis_params: ClassVar[tuple[str, ...]] = ()  # the parameters that the analysis depends on, as they are at frame 1
    analyses_product: ClassVar[bool] = False  # the analysis looks at what the step itself gives, so at all that this depends on
    not_analysed: ClassVar[tuple[str, ...]] = ()  # slots that the analysis does not look at
    full_chroma: ClassVar[bool] = False  # weighs colour at edges: chroma recorded at half size is brought back for it
    keeps_time: ClassVar[bool] = True  # frame n is made from frame n of what comes in, or from those about it
    keeps_pixels: ClassVar[bool] = False  # a mend that moves no pixel, so that what was recorded at half size still is
    known: ClassVar[bool] = True  # False: stands in for a kind of a newer program
    mends: ClassVar[bool] = False  # stands between a plate and the steps that use it
    surveys: ClassVar[bool] = False  # its readings come from the survey of its first input (see SurveyKind)
    other_frames: ClassVar[bool] = False  # its product may show any frame of its inputs, not just the one asked for
    timeless: ClassVar[bool] = False  # the product follows from parameters and inputs alone, whatever the frame's number
    frames_back: ClassVar[int] = 0  # how many earlier frames the readings look at
    reads_other_frames: ClassVar[bool] = False  # the readings may look at the step's own product at any frame

    def propose(self, inputs: Inputs, params: Any, progress: Progress) -> Proposal | None:
        """Measure and propose settings; None when there is nothing to better."""
        return None

    def analyse(self, inputs: Inputs, params: Any, progress: Progress) -> Analysis:
        """Work through the whole range; the result is stored with the project."""
        raise NotImplementedError

    @abstractmethod
    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        """The product at a frame: same inputs, same bytes."""

    @abstractmethod
    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        """The readings of a product just computed."""


class SurveyKind(StepKind):
    """A kind that only reads from the survey of its first input: at first from a frame's own scan, then from the whole."""

    product = "readings"
    surveys = True

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        return Product()

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        return self.read_survey(inputs.survey(self.slots[0].name), params, frame)

    @abstractmethod
    def read_survey(self, survey: PlateSurvey, params: Any, frame: int) -> list[Reading]:
        """Readings at a frame from the survey of all frames."""

    @abstractmethod
    def read_scan(self, scan: Scan, params: Any, frame: int) -> list[Reading]:
        """What can be said of a frame before the others have been looked at."""


def sampled(length: int, most: int, read: Callable[[int], T], progress: Progress, words: str) -> dict[int, T]:
    """What `read` gives for frames spread over the shot. A frame that cannot be read is passed over; raises UserError, with the
    first one's reason, only if none can."""
    out: dict[int, T] = {}
    first: UserError | None = None
    names = sample_frames(length, most)
    for i, n in enumerate(names):
        progress.at(i, len(names), words)
        try:
            out[n] = read(n)
        except UserError as e:
            first = first or e
    if not out and first is not None:
        raise first
    return out


def sample_frames(length: int, most: int) -> list[int]:
    """At most `most` frames spread evenly over 1..length, both ends among them."""
    if length <= most:
        return list(range(1, length + 1))
    return sorted({1 + round(i * (length - 1) / (most - 1)) for i in range(most)})
