"""The step kinds, one module each. This list is the only place that names them all."""

from __future__ import annotations

from transmixis.core.errors import UserError
from transmixis.shot.contract import AnyKind
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.beam import Beam
from transmixis.shot.steps.bend import Bend
from transmixis.shot.steps.camera import Camera
from transmixis.shot.steps.camera_file import CameraFile
from transmixis.shot.steps.clean_carried import CleanCarried
from transmixis.shot.steps.clean_patch import CleanPatch
from transmixis.shot.steps.conform import Conform
from transmixis.shot.steps.copies import Copies
from transmixis.shot.steps.cut_out_still import CutOutStill
from transmixis.shot.steps.difference_matte import DifferenceMatte
from transmixis.shot.steps.dust import DustOut
from transmixis.shot.steps.edges import Edges
from transmixis.shot.steps.even_out import EvenOut
from transmixis.shot.steps.exposure import Exposure
from transmixis.shot.steps.frame import LensAndBars
from transmixis.shot.steps.garbage_matte import GarbageMatte
from transmixis.shot.steps.glow import Glow
from transmixis.shot.steps.grade import Grade
from transmixis.shot.steps.haze import Haze
from transmixis.shot.steps.join_mattes import JoinMattes
from transmixis.shot.steps.jointakes import JoinTakes
from transmixis.shot.steps.lay_in import LayIn
from transmixis.shot.steps.lens import BendBack, Straighten
from transmixis.shot.steps.lightgiven import LightGiven
from transmixis.shot.steps.loop import LoopStep
from transmixis.shot.steps.luma_matte import LumaMatte
from transmixis.shot.steps.made_up import MadeUp
from transmixis.shot.steps.marker_sweep import MarkerSweep
from transmixis.shot.steps.marks import Marks
from transmixis.shot.steps.match import Match
from transmixis.shot.steps.movement import Movement
from transmixis.shot.steps.moving_patch import MovingPatch
from transmixis.shot.steps.particles import ParticleStep
from transmixis.shot.steps.patch import Patch
from transmixis.shot.steps.pattern import Pattern, RoughEdge
from transmixis.shot.steps.place import Place
from transmixis.shot.steps.point_track import PointTrack
from transmixis.shot.steps.rays import Rays
from transmixis.shot.steps.reflection import Reflection
from transmixis.shot.steps.reframe import Reframe
from transmixis.shot.steps.retime import Retime
from transmixis.shot.steps.screen_key import ScreenKey
from transmixis.shot.steps.shadowcast import ShadowCast
from transmixis.shot.steps.shapes import Shapes
from transmixis.shot.steps.sharpness import Sharpness
from transmixis.shot.steps.stand import Stand
from transmixis.shot.steps.steadiness import Steadiness
from transmixis.shot.steps.steady import Steady
from transmixis.shot.steps.strokes import StrokesStep
from transmixis.shot.steps.surface_track import SurfaceTrack
from transmixis.shot.steps.survey import Survey
from transmixis.shot.steps.table import ColourTable
from transmixis.shot.steps.time_patch import TimePatch
from transmixis.shot.steps.timing import Timing
from transmixis.shot.steps.track_file import TrackFile
from transmixis.shot.steps.turninto import TurnInto
from transmixis.shot.steps.unknown import Unknown
from transmixis.shot.steps.ways import Ways
from transmixis.shot.steps.wire_out import WireOut
from transmixis.shot.steps.wraparound import WrapRound

KINDS: dict[str, AnyKind] = {
    k.kind: k
    for k in (
        Survey(),
        Steadiness(),
        Exposure(),
        Sharpness(),
        Timing(),
        Marks(),
        Conform(),
        Steady(),
        EvenOut(),
        DustOut(),
        GarbageMatte(),
        ScreenKey(),
        DifferenceMatte(),
        LumaMatte(),
        JoinMattes(),
        CutOutStill(),
        Shapes(),
        StrokesStep(),
        PointTrack(),
        SurfaceTrack(),
        TrackFile(),
        Camera(),
        CameraFile(),
        Straighten(),
        Ways(),
        CleanPatch(),
        CleanCarried(),
        TimePatch(),
        MadeUp(),
        MarkerSweep(),
        WireOut(),
        MovingPatch(),
        Patch(),
        Match(),
        Haze(),
        LoopStep(),
        Retime(),
        Movement(),
        JoinTakes(),
        Copies(),
        WrapRound(),
        Bend(),
        TurnInto(),
        Beam(),
        ParticleStep(),
        Pattern(),
        RoughEdge(),
        Place(),
        LayIn(),
        Stand(),
        ShadowCast(),
        Reflection(),
        Glow(),
        LightGiven(),
        Rays(),
        Grade(),
        ColourTable(),
        Reframe(),
        LensAndBars(),
        BendBack(),
        Edges(),
    )
}


def kind_of(name: str) -> AnyKind:
    """The step kind of this name; one that this version does not know is stood in for, so that a newer program's file opens."""
    return KINDS.get(name) or Unknown(name)


def known_kind(name: str) -> AnyKind:
    """The step kind of this name. Raises UserError for one that this version does not know."""
    if name not in KINDS:
        raise UserError(f"This Transmixis knows no step '{name}'; use one of {', '.join(KINDS)}.")
    return KINDS[name]


def kind_with(role: str) -> AnyKind:
    """The first step kind whose product is good for `role`."""
    return next(k for k in KINDS.values() if role in k.roles)


def steps_with(shot: Shot, role: str) -> list[Step]:
    """The shot's steps whose product is good for `role`, in order."""
    return [s for s in shot.steps if role in kind_of(s.kind).roles]


def endings_read() -> tuple[str, ...]:
    """Endings of the files that steps can be set from."""
    return tuple(sorted({e for k in KINDS.values() for e in k.files}))
