"""Difference matte: takes what was not in the empty frame out of a take."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from transmixis.core.build.over import join
from transmixis.core.errors import UserError
from transmixis.core.matte.away import NOISE_ONLY, THING, AwayModel, Seen, learn_away, left_over, see, take_away
from transmixis.core.matte.measure import BOIL_LIMIT, boil_reading, holes_reading
from transmixis.core.matte.specks import closed_reading, rest_reading, specks_reading
from transmixis.core.matte.subject import Clusters
from transmixis.core.matte.unlike import MOST
from transmixis.core.plot import Hill, Hills, Limit, Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.steps.params import Params, choice, number
from transmixis.shot.steps.stood import kept, move_of, stood_words

LEARN_FROM = 6  # frames: what moves is seen from all sides, and their mean clears the empty frame of most of its noise
PROPOSE_FROM = 4
BEYOND = 0.2  # % of the bare background that may reach the value: lone pixels, which the border's cost takes out
ABOVE = 1.1  # times what the bare background hardly reaches: other frames reach a little more
LOWEST, HIGHEST = 0.06, 0.7  # noise alone reaches 0.05; more takes things away that are plainly there
STEADY = 0.4  # of the present value: a proposal nearer to it is not worth the trouble
SEEN, HIDDEN = "seen through", "solid"


class DifferenceMatteParams(Params):
    unlike: float = number(
        THING / MOST, LOWEST, HIGHEST, "", "Unlike", "From where on a pixel is taken for the subject: 0.05 is noise, 1 plainly another thing. Raise it when "
        "background is left in the matte, lower it when parts of the subject are missing.",
    )  # fmt: skip
    reach: float = number(
        1.0,
        0.2,
        3.0,
        "×",
        "Edge reach",
        "How far about the outline hair and blur are looked for: 1 is a fortieth of the frame's width.",
        step=0.05,
    )
    glass: str = choice(
        SEEN, (SEEN, HIDDEN), "Glass, smoke", "Whether parts through which the background's texture shows become see-through."
    )


class DifferenceMatte(StepKind[DifferenceMatteParams]):
    kind, title, stage, product = "difference_matte", "Difference matte", "Matte", "picture"
    version = 2
    says = "takes out of a take what its empty frame has not"
    gives = ("picture", "matte")
    roles = ("cut out",)
    work = "key"
    slots = (
        Slot("plate", "the take, its camera on a tripod"),
        Slot("clean", "the same view without the subject", learnt=True, usual=("plate:clean",)),
        Slot("garbage", "a matte around the subject", takes="matte", optional=True, usual=("step:garbage",)),
    )
    Params = DifferenceMatteParams
    full_chroma = True
    analyses = True
    not_analysed = ("garbage",)
    frames_back = 1
    timeless = True
    plots = "frame"

    def analyse(self, inputs: Inputs, params: DifferenceMatteParams, progress: Progress) -> Analysis:
        words = "comparing with the empty frame"
        found = sampled(inputs.shot.length, LEARN_FROM, lambda n: inputs.picture("plate", n)[..., :3], progress, words)
        model = learn_away(list(found.values()), inputs.picture("clean", 1)[..., :3])
        return _arrays(model)

    def compute(self, inputs: Inputs, params: DifferenceMatteParams, frame: int) -> Product:
        made = take_away(inputs.picture("plate", frame)[..., :3], _model(inputs.analysis(), params))
        picture = join(made.foreground, made.alpha)
        if inputs.has("garbage"):
            picture = picture * inputs.matte("garbage", frame)[..., None]
        return Product(picture=picture, work=made.seen)

    def read(self, inputs: Inputs, params: DifferenceMatteParams, product: Product, frame: int) -> list[Reading]:
        seen: Seen = product.work
        assert product.picture is not None
        alpha = product.picture[..., 3]
        plate, learnt = inputs.picture("plate", frame)[..., :3], inputs.analysis()
        out = [
            rest_reading(
                left_over(plate, seen, _model(learnt, params)), seen.beside(4), stood_words(move_of(learnt), "empty frame")
            ),
            holes_reading(alpha),
            specks_reading(alpha),
            closed_reading(seen.mask, seen.misfit, min(NOISE_ONLY, MOST * params.unlike)),
        ]
        if frame > 1:
            out.append(self._boil(inputs, alpha, frame))
        return out

    @staticmethod
    def _boil(inputs: Inputs, alpha: Array, frame: int) -> Reading:
        try:
            before = inputs.own(frame - 1).picture
            now, then = (inputs.picture("plate", n)[..., :3] for n in (frame, frame - 1))
        except UserError as e:
            return Reading("boil", None, "%", BOIL_LIMIT, note=str(e))
        assert before is not None
        return boil_reading(alpha, before[..., 3], now, then, inputs.analysis()["law"])

    def plot(self, inputs: Inputs, params: DifferenceMatteParams, frame: int) -> Plot:
        """How unlike the empty frame what was taken for background is, and what was taken for subject, with the value that parts them."""
        seen = see(inputs.picture("plate", frame)[..., :3], _model(inputs.analysis(), params))
        fits = _fits(seen)
        hills = (Hill(_counts(fits[~seen.mask]), hatched=True), Hill(_counts(fits[seen.mask])))
        panel = Hills(hills, (Limit("unlike", params.unlike, LOWEST, HIGHEST),), "background beyond", 0.0, BEYOND)
        tip = (
            "Left hill: what was taken for background, right hill: for subject. Drag the calliper's jaw: from there on a pixel is rather subject; "
            "colour and outline decide with it."
        )
        return Plot("Unlike the empty frame", tip, (panel,), readings="not")

    def propose(self, inputs: Inputs, params: DifferenceMatteParams, progress: Progress) -> Proposal | None:
        """The value that the bare background hardly reaches."""
        model, words = _model(inputs.analysis(), params), "measuring for a proposal"
        found = sampled(
            inputs.shot.length,
            PROPOSE_FROM,
            lambda n: _outside(see(inputs.picture("plate", n)[..., :3], model)),
            progress,
            words,
        )
        outside = np.concatenate(list(found.values())) if found else np.zeros(0)
        if len(outside) < 2000:
            return None
        value = round(float(np.clip(ABOVE * np.quantile(outside, 1 - BEYOND / 100), 2 * LOWEST, HIGHEST)), 2)
        now, then = (100 * float((outside > v).mean()) for v in (params.unlike, value))
        if abs(value - params.unlike) < STEADY * params.unlike:
            return None
        frames = list(found)
        return Proposal(
            values={"unlike": value},
            reason=f"Of the bare background {now:.2f} % is as unlike the empty frame as {params.unlike:.2f}, {then:.2f} % as {value:.2f}.",
            gains="Less background is left." if value > params.unlike else "More of the subject's faint parts come in.",
            costs="Parts of the subject that are as faint go." if value > params.unlike else "",
            frames=(frames[0], frames[-1]),
        )


def _fits(seen: Seen) -> Array:
    """How unlike the background each pixel is, 0..1 (h, w)."""
    return np.asarray(np.minimum(seen.misfit / MOST, 1))


def _outside(seen: Seen) -> Array:
    """The same of what is plainly background, every seventh pixel."""
    return np.asarray(_fits(seen)[seen.beside(7)][::7])


def _counts(values: Array) -> Array:
    return np.asarray(np.histogram(values, bins=100, range=(0, 1))[0])


def _arrays(m: AwayModel) -> Analysis:
    """All that was learnt, as plain arrays."""
    return {
        "empty": m.empty, "known": m.known, "law": m.law, "grains": m.grains, "wear": np.asarray(m.wear, np.float32),
        "cluster_mean": m.clusters.mean, "cluster_cov": m.clusters.cov, "cluster_weight": m.clusters.weight, **kept(m.move),
    }  # fmt: skip


def _model(a: Analysis, params: DifferenceMatteParams) -> AwayModel:
    clusters = Clusters(a["cluster_mean"], a["cluster_cov"], a["cluster_weight"])
    model = AwayModel(a["empty"], a["known"], a["law"], a["grains"], clusters, move_of(a), wear=a["wear"])
    return replace(model, doubt=MOST * params.unlike, reach=params.reach, clear=params.glass == SEEN)
