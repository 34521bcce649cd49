"""Screen key: parts the subject from a green or blue screen."""

from __future__ import annotations

from typing import cast

import numpy as np

from transmixis.core.build.over import join
from transmixis.core.errors import UserError
from transmixis.core.matte import measure
from transmixis.core.matte.difference import ScreenKind
from transmixis.core.matte.edges import edge_adjust
from transmixis.core.matte.keyer import KeyModel, KeyResult, KeySettings, key_frame, learn_shot
from transmixis.core.matte.points import LEAK_LIMIT, VISIBLE, Points, inside_and_pits, populations, propose_points, visible_share
from transmixis.core.matte.standing import marks_stand
from transmixis.core.motion.align import camera_move
from transmixis.core.plot import Hill, Hills, Limit, Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte
from transmixis.shot.contract import SCREEN, Analysis, Effect, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.steps.learning import model_from_arrays, model_to_arrays
from transmixis.shot.steps.params import Params, choice, number

LEARN_FROM = 10  # frames: enough for most of a moving subject's background to be seen once, few enough to be quick
PROPOSE_FROM = 5
STILL = 0.5  # px: the camera counts as still for lending pixels of the screen between frames


class ScreenKeyParams(Params):
    screen: str = choice("auto", ("auto", "green", "blue"), "Screen", "Which colour the screen has; auto finds it by itself.")
    black: float = number(
        0.0,
        0.0,
        0.5,
        "",
        "Black point",
        "Matte values up to here become empty. Raise it when screen is left in the matte; hair is lost first.",
    )
    white: float = number(
        1.0, 0.5, 1.0, "", "White point", "Matte values from here on become solid. Lower it when the subject has holes."
    )
    shrink: float = number(
        0.0,
        -3.0,
        5.0,
        "px",
        "Edge shrink",
        "Moves the edge inwards, by fractions of a pixel. Takes a dark or bright line off, and hair with it.",
        step=0.05,
    )
    soften: float = number(0.0, 0.0, 5.0, "px", "Edge soften", "Softens the edge, to meet a softer background.", step=0.05)
    spill: float = number(
        1.0, 0.0, 1.0, "%", "Spill removal", "How much of the screen's light is taken off the subject.", percent=True
    )
    reach: float = number(
        1.0,
        0.3,
        3.0,
        "×",
        "Edge reach",
        "How deep behind the outline blur and glass are looked for. More for fast, blurred limbs; less if the inside turns thin.",
        step=0.05,
    )


class ScreenKey(StepKind[ScreenKeyParams]):
    kind, title, stage, product = "screen_key", "Screen key", "Matte", "picture"
    says = "parts the subject from the screen"
    begins = SCREEN
    roles = ("subject", "key")
    work = "key"
    slots = (
        Slot("plate", "the plate with the screen"),
        Slot("clean", "a frame of the empty screen", optional=True, learnt=True, usual=("plate:clean",)),
        Slot("garbage", "a matte around the subject", takes="matte", optional=True, usual=("step:garbage",)),
    )
    scales = True
    Params = ScreenKeyParams
    full_chroma = True
    analyses = True
    analysis_params = ("screen", "reach")
    version = 5
    frames_back = 1
    timeless = True
    not_analysed = ("garbage",)  # the screen is learnt from the whole frame

    def analyse(self, inputs: Inputs, params: ScreenKeyParams, progress: Progress) -> Analysis:
        words, n = "learning the screen", inputs.shot.length
        frames = list(sampled(n, LEARN_FROM, lambda k: inputs.picture("plate", k)[..., :3], progress, words).values())
        clean, note = _usable_clean(inputs, frames)
        kind = cast("ScreenKind | None", None if params.screen == "auto" else params.screen)
        model = learn_shot(
            frames,
            kind=kind,
            clean=clean,
            still_camera=_camera_is_still(frames),
            reach=params.reach,
        )
        if not isinstance(model, KeyModel):
            raise UserError(f"No screen to key: {model.reason}; choose the screen's colour by hand, or another plate.")
        arrays = dict(model_to_arrays(model))
        if note:
            arrays["notes"] = np.array([note, *model.notes], dtype=np.str_)
        return arrays

    plots = "frame"

    def plot(self, inputs: Inputs, params: ScreenKeyParams, frame: int) -> Plot:
        """The two populations over the raw matte, with black and white point."""
        model = model_from_arrays(inputs.analysis())
        found, _, _ = populations([key_frame(inputs.picture("plate", frame)[..., :3], model, settings_of(params))])
        r, g, b = (float(v) for v in model.screen_colour)
        jaws = (Limit("black", params.black, 0.0, 0.5), Limit("white", params.white, 0.5, 1.0))
        hills = (Hill(found.screen, hatched=True), Hill(found.subject))
        panel = Hills(hills, jaws, "screen that shows", VISIBLE, LEAK_LIMIT, (r, g, b))
        tip = (
            "Left hill: plain screen. Right hill: plain subject. Drag the calliper's jaws: left of black becomes empty, right of "
            "white solid."
        )
        return Plot("Matte before the points", tip, (panel,), readings="not")

    def compute(self, inputs: Inputs, params: ScreenKeyParams, frame: int) -> Product:
        plate = inputs.picture("plate", frame)
        result = key_frame(plate[..., :3], model_from_arrays(inputs.analysis()), settings_of(params))
        garbage = inputs.matte("garbage", frame) if inputs.has("garbage") else None
        picture = join(result.foreground, result.alpha)
        if garbage is not None:
            picture = picture * garbage[..., None]
        return Product(picture=picture, work=(result, garbage))

    def read(self, inputs: Inputs, params: ScreenKeyParams, product: Product, frame: int) -> list[Reading]:
        result: KeyResult
        garbage: Matte | None
        result, garbage = product.work
        model = model_from_arrays(inputs.analysis())
        plate = inputs.picture("plate", frame)[..., :3]
        out = measure.key_readings(plate, result, model, garbage)
        if frame > 1:
            try:
                before, plate_before = inputs.own(frame - 1).picture, inputs.picture("plate", frame - 1)
                assert before is not None and product.picture is not None
                out.append(measure.boil_reading(product.picture[..., 3], before[..., 3], plate, plate_before[..., :3], model.law))
            except UserError as e:
                out.append(Reading("boil", None, "%", measure.BOIL_LIMIT, note=str(e)))
        return out

    def propose(self, inputs: Inputs, params: ScreenKeyParams, progress: Progress) -> Proposal | None:
        words, n = "measuring for a proposal", inputs.shot.length
        found = sampled(n, PROPOSE_FROM, lambda k: self.compute(inputs, params, k).work[0], progress, words)
        results, names = list(found.values()), list(found)
        _, screen, _ = populations(results)
        raw = [edge_adjust(r.raw, params.shrink, 0) for r in results]
        pits = np.concatenate([a[inside_and_pits(a)[1]] for a in raw])
        holes = max(measure.holes_reading(a).value or 0.0 for a in raw)
        points = propose_points(screen, visible_share(screen, 0, 1), pits, holes)
        return _points_proposal(params, points, screen, holes, (names[0], names[-1]), raw)


def settings_of(params: ScreenKeyParams) -> KeySettings:
    """The parameters that belong to a single frame."""
    return KeySettings(params.black, params.white, params.shrink, params.soften, params.spill, params.reach)


def _points_proposal(
    params: ScreenKeyParams, p: Points, screen: Array, holes: float, span: tuple[int, int], mattes: list[Array]
) -> Proposal | None:
    if abs(p.black - params.black) < 0.005 and abs(p.white - params.white) < 0.005:
        return None
    now, then = visible_share(screen, params.black, params.white), visible_share(screen, p.black, p.white)
    what = f"Now {now:.2f} % of the bare screen shows in the matte; with a black point of {p.black:.2f}, {then:.2f} %."
    if then >= now:
        what = (
            f"The matte is clean without points further in; these are the measured ones. {then:.2f} % of the bare screen shows."
        )
    lost = soft_lost(mattes, p.black) - soft_lost(mattes, params.black)
    costs = f"{100 * lost:.1f} % of the soft edge goes, hair thinner than {100 * p.black:.0f} % of a pixel." if lost > 0 else ""
    return Proposal(
        values={"black": p.black, "white": p.white},
        reason=what,
        effects=(Effect("leak", now, then, "%", LEAK_LIMIT),),
        gains=f"Holes now {holes:.2f} %." if holes else "",
        costs=costs,
        frames=span,
    )


def soft_lost(mattes: list[Array], black: float) -> float:
    """Share of the soft edge's coverage (what lies between a hundredth and solid) that a black point takes away."""
    soft = np.concatenate([m[(m > 0.01) & (m < 0.99)].ravel() for m in mattes]) if mattes else np.zeros(0)
    whole = float(soft.sum())
    return float(soft[soft <= black].sum() / whole) if whole > 0 else 0.0


def _usable_clean(inputs: Inputs, frames: list[Array]) -> tuple[Array | None, str]:
    """The clean plate if it has the take's size and stands within a pixel of it; else None and why."""
    if not inputs.has("clean") or not frames:
        return None, ""
    try:
        clean = inputs.picture("clean", 1)[..., :3]
    except UserError as e:
        return None, f"clean plate left out: {e}"
    if clean.shape != frames[0].shape:
        return None, "clean plate left out: it has another size than the take"
    shift = camera_move(clean, frames[len(frames) // 2])
    if shift and shift.length > 1.0 and shift.length > 6 * shift.error:
        return None, f"clean plate left out: it stands {shift.length:.1f} px beside the take"
    return clean, ""


def _camera_is_still(frames: list[Array]) -> bool:
    if len(frames) < 3:
        return False
    shifts = [camera_move(frames[0], f) for f in (frames[len(frames) // 2], frames[-1])]
    # a screen without any texture cannot tell; then its own smoothness does no harm either way
    return all(s.length < STILL for s in shifts if s) or marks_stand(frames)
