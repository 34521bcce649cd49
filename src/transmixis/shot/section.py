"""A shot from the side: what lies before what, how much of the frame each covers, what it hangs on, what it lights; and which order would be better."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, luminance
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.types import Array, Mask
from transmixis.shot.model import Shot, Step
from transmixis.shot.parts import Layer, layers, part_of
from transmixis.shot.products import StepInputs
from transmixis.shot.refs import checked, split_ref
from transmixis.shot.render import Renderer
from transmixis.shot.sampling import sampled
from transmixis.shot.steps import kind_of
from transmixis.shot.ties import Light, carrier, own_plates, plates_behind

SEEN = 0.05  # of a matte: less covers nothing
GLOWS = 0.6  # of what a layer adds that is more light than it covers: it glows
TAKEN = 0.3  # of a glow's light that what lies before it may take (judgement, docs/limits.md)
SAMPLES = 5
TALL = 80  # px of a card's picture


@dataclass(frozen=True)
class Card:
    """One place in the order. `opacity` 0..1 of where it covers at all, None: not told; `rows` the part of the frame's height that it covers, 0..1 from above; `depth` in the solved place's units, None: not known. `hangs_on`: the name of the motion that carries it;
    `lights`: the steps whose light it gives; `over_all`: it lies on everything behind it."""

    step: str
    name: str
    steps: tuple[str, ...]
    opacity: float | None
    rows: tuple[float, float]
    depth: float | None
    hangs_on: str
    glows: bool
    over_all: bool
    on: bool
    lit_by: str = ""
    carrier: str = ""  # the top step of the layer that its motion was tracked on
    light: Light | None = None
    ref: str = ""  # what lies at the bottom
    thumb: Array | None = field(default=None, compare=False)  # (h, w, 4) what it shows, as codes 0..255


@dataclass(frozen=True)
class Advice:
    """A better order: `step` should go to the front (or back) past `other`; why, and the frame at which it shows most. `share` of the glow's light that is lost."""

    step: str
    other: str
    frame: int
    share: float
    words: str


def cards(renderer: Renderer, frame: int) -> tuple[Card, ...]:
    """The shot's layers at a frame, the nearest first, what lies at the bottom last. A layer whose frame cannot be made is there, with nothing told of it."""
    shot = renderer.shot
    found = layers(shot)
    out = [_card(renderer, layer, frame) for layer in reversed(found)]
    if found:
        out.append(_ground(renderer, found[0], frame))
    return _tied(shot, out)


def _tied(shot: Shot, some: list[Card]) -> tuple[Card, ...]:
    """The cards with the layers that carry them, and those that their light comes from and falls on."""
    shown = {c.step: own_plates(shot, [s for s in shot.steps if s.id in c.steps]) for c in some}
    if some and not shown[some[-1].step]:
        shown[some[-1].step] = plates_behind(shot, [some[-1].ref])

    def layer_of_plates(plates: set[str], but: Card) -> str:
        return next((c.step for c in some if c is not but and shown[c.step] & plates), "")

    out = []
    for c in some:
        mine = [s for s in shot.steps if s.id in c.steps]
        by = carrier(shot, mine)
        on = layer_of_plates(plates_behind(shot, by.inputs.values()), c) if by else ""
        out.append(replace(c, carrier=on, light=_light(shot, mine, c, some, layer_of_plates)))
    return tuple(out)


def _light(
    shot: Shot, mine: list[Step], card: Card, some: list[Card], of_plates: Callable[[set[str], Card], str]
) -> Light | None:
    """The light that one of a card's steps gives on."""
    for s in mine:
        slot = kind_of(s.kind).lights
        ref = s.inputs.get(slot, "") if slot else ""
        if not ref or not s.on:
            continue
        whose = split_ref(ref)[1]
        source = next((c.step for c in some if whose in c.steps), "") or of_plates(plates_behind(shot, [ref]), card)
        near = [r for k, r in s.inputs.items() if k.split(".")[0] == "near"]
        lit = of_plates(plates_behind(shot, near or [s.inputs.get("back", "")]), card)
        reach = s.params.get("reach", 0.0)
        return Light(s.id, float(reach) if isinstance(reach, int | float) else 0.0, source or card.step, lit)
    return None


def _ground(renderer: Renderer, lowest: Layer, frame: int) -> Card:
    shot = renderer.shot
    what, name = split_ref(lowest.below)
    words = next((p.id for p in shot.plates if p.id == name), name) if what == "plate" else shot.step(name).name
    step = name if what == "step" else ""
    card = Card(step, words, (step,) if step else (), 1.0, (0.0, 1.0), None, "", False, False, True, ref=lowest.below)
    try:
        picture = renderer.product(lowest.below, frame).picture
        return card if picture is None else replace(card, thumb=_thumb(picture, None))
    except UserError:
        return card


def _thumb(picture: Array, matte: Array | None) -> Array:
    """(h, w, 4) uint8 of what a picture shows, TALL px high at most; its own matte where it has one."""
    by = max(1, round(picture.shape[0] / TALL))
    small = picture[by // 2 :: by, by // 2 :: by]
    alpha = np.ones(small.shape[:2], np.float32) if matte is None else matte[by // 2 :: by, by // 2 :: by]
    coded = linear_to_srgb(np.clip(small[..., :3], 0, 1))
    return np.asarray(np.round(255 * np.dstack([coded, np.clip(alpha, 0, 1)])), np.uint8)


def _card(renderer: Renderer, layer: Layer, frame: int) -> Card:
    shot = renderer.shot
    top = shot.step(split_ref(layer.top)[1])
    part = part_of(shot, top.id)
    name = part.name if part else top.name
    mine = [shot.step(s) for s in layer.steps if any(x.id == s for x in shot.steps)]
    all_over = all(kind_of(s.kind).over_all for s in mine if s.id in (top.id, layer.bottom))
    by = carrier(shot, mine)
    hangs_on = by.name if by else ""
    card = Card(top.id, name, layer.steps, 0.0, (0.0, 1.0), None, hangs_on, False, all_over, top.on, _lit_by(shot, mine))
    if not top.on:
        return card
    try:
        if all_over:
            return replace(card, opacity=1.0)
        opacity, rows, glows, thumb = _look(renderer, layer, frame)
        return replace(
            card,
            opacity=opacity,
            rows=rows,
            glows=glows,
            depth=_depth(renderer, mine, frame),
            thumb=thumb,
        )
    except UserError:
        return card


def _lit_by(shot: Shot, mine: list[Step]) -> str:
    """The name of the step whose light one of them gives on."""
    for s in mine:
        slot = kind_of(s.kind).lights
        ref = s.inputs.get(slot, "") if slot else ""
        if ref.startswith("step:"):
            return next((x.name for x in shot.steps if x.id == split_ref(ref)[1]), "")
    return ""


def _depth(renderer: Renderer, mine: list[Step], frame: int) -> float | None:
    for s in mine:
        kind = kind_of(s.kind)
        found = kind.depth(StepInputs(renderer, s), checked(s, kind, frame), frame)
        if found is not None:
            return found
    return None


def _look(renderer: Renderer, layer: Layer, frame: int) -> tuple[float | None, tuple[float, float], bool, Array | None]:
    """How opaque a layer is where it covers, which rows, whether it adds more light than it covers, and what it shows."""
    top = renderer.product(layer.top, frame)
    added = _added(renderer, layer, frame)
    matte = top.matte
    there = _there(matte, added)
    if not there.any():
        return 0.0, (0.5, 0.5), False, None
    ys = np.flatnonzero(there.any(axis=1))
    rows = (float(ys[0]) / len(there), float(ys[-1] + 1) / len(there))
    light = luminance(added[there])
    more, less = float(np.maximum(light, 0).sum()), float(np.maximum(-light, 0).sum())
    opacity = None if matte is None else float(matte[there].mean())
    glows = more > GLOWS * (more + less) and float(luminance(np.maximum(added, 0)).max()) > 0.5
    return opacity, rows, glows, None if top.picture is None else _seen(top.picture, matte, there)


def _there(matte: Array | None, added: Array) -> Mask:
    """Where a layer is to be seen: where it changes what lies behind it, and not beyond its matte."""
    changes = np.abs(added).max(axis=2)
    if matte is None:
        return np.asarray(changes > SEEN / 4)
    there = np.asarray(matte > SEEN)
    return there & (changes > SEEN / 50) if (changes[there] > SEEN / 50).any() else there


def _seen(picture: Array, matte: Array | None, there: Mask) -> Array:
    """What a layer shows, cut to where it is."""
    ys, xs = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
    cut = (slice(int(ys[0]), int(ys[-1]) + 1), slice(int(xs[0]), int(xs[-1]) + 1))
    return _thumb(picture[cut], None if matte is None else matte[cut])


def _added(renderer: Renderer, layer: Layer, frame: int) -> Array:
    """(h, w, 3) what a layer changes of the picture that it lies on."""
    above, below = renderer.product(layer.top, frame).picture, renderer.product(layer.below, frame).picture
    if above is None or below is None or above.shape[:2] != below.shape[:2]:
        raise UserError("What lies there has another size than what it lies on.")
    return np.asarray(above[..., :3] - below[..., :3], np.float32)


def advice(renderer: Renderer, progress: Progress) -> tuple[Advice, ...]:
    """Where another order would be better: what glows under something that takes its light, what is nearer under what is farther. The worst first."""
    shot = renderer.shot
    found = [x for x in layers(shot) if shot.step(split_ref(x.top)[1]).on]
    out: list[Advice] = []
    for k, layer in enumerate(found[:-1]):
        progress.at(k, len(found), "looking at what lies before what")
        over = found[k + 1]
        if _lies_on_all(shot, over):
            continue
        out += _farther_before(renderer, layer, over)
        out += _muddied(renderer, layer, over, progress)
    return tuple(sorted(out, key=lambda a: -a.share))


def _lies_on_all(shot: Shot, layer: Layer) -> bool:
    return kind_of(shot.step(split_ref(layer.top)[1]).kind).over_all


def _named(shot: Shot, layer: Layer) -> str:
    top = shot.step(split_ref(layer.top)[1])
    part = part_of(shot, top.id)
    return part.name if part else top.name


def _muddied(renderer: Renderer, glow: Layer, over: Layer, progress: Progress) -> list[Advice]:
    """A layer that glows and the one right before it: how much of its light that one takes, as the shot looks with and without the glow."""
    shot = renderer.shot
    without = Renderer(
        _off(shot, glow), renderer.material, renderer.cache, renderer.analyses, renderer.readings, renderer.surveys
    )

    def taken(n: int) -> float | None:
        if not _look(renderer, glow, n)[2]:
            return None
        own = np.maximum(luminance(_added(renderer, glow, n)), 0)
        with_, bare = renderer.product(over.top, n).picture, without.product(over.top, n).picture
        if with_ is None or bare is None or float(own.sum()) < 1e-3:
            return None
        left = np.maximum(luminance(with_[..., :3] - bare[..., :3]), 0)
        return max(0.0, 1 - float(np.minimum(left, own).sum()) / float(own.sum()))

    try:
        shares = {
            n: s for n, s in sampled(shot.length, SAMPLES, taken, progress, "looking at its light").items() if s is not None
        }
    except UserError:
        return []
    if not shares or max(shares.values()) < TAKEN:
        return []
    n = max(shares, key=lambda k: shares[k])
    a, b = _named(shot, glow), _named(shot, over)
    words = f"'{b}' lies before '{a}', which glows, and takes {100 * shares[n]:.0f} % of its light at frame {n}; bring '{a}' to the front."
    return [Advice(split_ref(glow.top)[1], split_ref(over.top)[1], n, shares[n], words)]


def _off(shot: Shot, layer: Layer) -> Shot:
    steps = tuple(s.model_copy(update={"on": False}) if s.id in layer.steps and _lays(s) else s for s in shot.steps)
    return shot.model_copy(update={"steps": steps})


def _lays(step: Step) -> bool:
    return any(slot.ground for slot in kind_of(step.kind).slots)


def _farther_before(renderer: Renderer, near: Layer, over: Layer) -> list[Advice]:
    """What stands farther from the camera lies before what is nearer."""
    shot = renderer.shot
    depths = []
    for layer in (near, over):
        mine = [s for s in shot.steps if s.id in layer.steps]
        try:
            depths.append(_depth(renderer, mine, 1))
        except UserError:
            depths.append(None)
    if depths[0] is None or depths[1] is None or depths[1] <= depths[0] * 1.02:
        return []
    a, b = _named(shot, near), _named(shot, over)
    words = (
        f"'{b}' stands {depths[1]:.3g} away and lies before '{a}', which stands {depths[0]:.3g} away; bring '{a}' to the front."
    )
    return [Advice(split_ref(near.top)[1], split_ref(over.top)[1], 1, 1.0, words)]
