"""What a survey means in plain words: one sentence each, worst first, with what to do about it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.survey import flashing
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.types import Array

# What counts as a fault; argued in docs/limits.md.
SHIFT, TREMBLE, TREMBLE_MOVING = 0.35, 0.1, 1.5  # px
EXPOSURE, FLICKER = 0.05, 0.02  # stops
COLOUR = 8.0  # mired
WHITE, BLACK = 1.0, 2.0  # % of the frame
SHARP = 0.5  # of the best frame's detail
BLUR = 12.0  # px
NOISE = 4.0  # levels
FLASHES = flashing.LIMIT  # a second
SMOOTHED = 0.35  # correlation of the noise with its neighbour


@dataclass(frozen=True)
class Finding:
    """`topic`, frames it holds for (1-based, first and last), what was found, and what to do. `bad` if it is over a limit."""

    topic: str
    first: int
    last: int
    words: str
    advice: str
    bad: bool = True


def findings_of(s: PlateSurvey) -> list[Finding]:
    """All findings, those over a limit first."""
    parts = (_timing(s), _camera(s), _exposure(s), _clipping(s), _detail(s), _noise(s), _dust(s), _intruders(s), _flashes(s))
    found = _told_apart([f for part in parts for f in part])
    return sorted(found, key=lambda f: not f.bad)


def _told_apart(found: list[Finding]) -> list[Finding]:
    """Sentences that several findings share get what differs: their frames."""
    often = Counter(f.words for f in found)
    return [replace(f, words=f"{f.words} (frames {f.first}–{f.last})") if often[f.words] > 1 else f for f in found]


def _whole(s: PlateSurvey, topic: str, words: str, advice: str, *, bad: bool = True) -> Finding:
    return Finding(topic, 1, s.count, words, advice, bad)


def _timing(s: PlateSurvey) -> Iterable[Finding]:
    t = s.timing
    for frame, reason in s.absent.items():
        yield Finding("timing", frame, frame, f"frame {frame} cannot be read: {reason}", "Copy it again, or leave it out.")
    gone = [n for n in t.missing if n not in s.absent]
    if gone:
        yield Finding(
            "timing", gone[0], gone[-1], f"frames are missing: {_list(gone)}", "Export them again, or Conform the plate."
        )
    if t.thinned:
        words = f"{t.cadence} (before {_list(t.dropped)})"
        yield _whole(
            s, "timing", words, "Ask for the recording at its own rate: what was left out can only be made up, by Conform."
        )
    elif t.cadence:
        yield _whole(s, "timing", t.cadence, "Conform the plate to its real rate before anything is tracked or painted.")
    elif t.doubled:
        words = f"{len(t.doubled)} frames repeat the one before: {_list(t.doubled)}"
        yield Finding("timing", t.doubled[0], t.doubled[-1], words, "Conform with motion-compensated frames, or cut them out.")
    if t.dropped and not t.thinned:
        words = f"the picture jumps as if a frame were missing before {_list(t.dropped)}"
        yield Finding("timing", t.dropped[0], t.dropped[-1], words, "Look for a complete copy; else make the frame by Conform.")
    if t.combed and not t.cadence:
        yield Finding(
            "timing", t.combed[0], t.combed[-1], f"{len(t.combed)} frames are combed (interlaced)", "Conform the plate."
        )
    if t.still:
        yield _whole(s, "timing", "nothing changes from frame to frame: this is a still", "Use one frame of it.", bad=False)


def _camera(s: PlateSurvey) -> Iterable[Finding]:
    v = s.steadiness
    if s.count < 2:
        return
    if v.verdict == "unknown":
        yield _whole(s, "camera", v.words, "Judge it by eye on a corner of the set, enlarged.", bad=False)
    elif v.verdict == "locked":
        yield _whole(s, "camera", v.words, "A still clean plate serves.", bad=False)
    else:
        advice = (
            "Steady the plate, then a still patch serves."
            if v.verdict == "nearly"
            else "Patches and clean plates must follow it."
        )
        bad = v.tremble > TREMBLE_MOVING if v.meant else v.tremble > TREMBLE or v.drift > SHIFT or bool(v.knocks)
        yield _whole(s, "camera", v.words, advice, bad=bad)


def _exposure(s: PlateSurvey) -> Iterable[Finding]:
    if s.count < 2:
        return
    if s.gains.reason:
        yield _whole(s, "exposure", f"not measured: {s.gains.reason}", "Measure a better exposed part of the take.", bad=False)
        return
    against = s.gains.against(1).mean(axis=1)
    unsure = float(np.nanmax(s.gains.error))
    drift, flicker = float(np.nanmax(np.abs(against))), float(np.nanmax(np.abs(s.flicker.mean(axis=1))))
    if flicker > FLICKER:
        yield _whole(s, "exposure", f"flickers by up to {flicker:.3f} stops ({_percent(flicker)})", "Even out before grading.")
    if drift > max(EXPOSURE, 2.5 * unsure):
        yield _whole(
            s, "exposure", f"drifts by up to {drift:.2f} stops from the first frame", "Even out, anchored to the best frame."
        )
    if flicker <= FLICKER and drift <= max(EXPOSURE, 2.5 * unsure):
        words = f"steady to {max(drift, flicker):.3f} stops"
        yield _whole(s, "exposure", words, "Nothing to do.", bad=False)
    warm = s.colour_drift(1)
    if np.nanmax(np.abs(warm)) > COLOUR:
        k = int(np.nanargmax(np.abs(warm)))
        side = "warmer" if warm[k] > 0 else "cooler"
        yield _whole(
            s, "colour", f"turns {side} by {abs(warm[k]):.0f} mired by frame {k + 1}", "Even out, each channel by itself."
        )


def _percent(stops: float) -> str:
    return f"{100 * (2**stops - 1):.1f} %"


def _clipping(s: PlateSurvey) -> Iterable[Finding]:
    white, black = 100 * s.clipped[:, 0], 100 * s.clipped[:, 1]
    for share, limit, word, advice in (
        (white, WHITE, "white", "Nothing can be brought back there; expose lower or replace those parts."),
        (black, BLACK, "black", "Darker parts hold nothing to lift; do not brighten them."),
    ):
        if np.isfinite(share).any() and np.nanmax(share) > limit:
            first, last = _span(share > limit)
            words = f"up to {np.nanmax(share):.1f} % of the frame is clipped to {word}"
            yield Finding("clipping", first, last, words, advice)


def _detail(s: PlateSurvey) -> Iterable[Finding]:
    soft = s.sharpness < SHARP
    if soft.any():
        first, last = _span(soft)
        words = f"{int(soft.sum())} frames keep less than half of the detail of the best"
        yield Finding("sharpness", first, last, words, "Freeze, track and draw roto on others.")
    long = np.array([b.length for b in s.blurs])
    if long.max(initial=0) > 0:
        k = int(np.argmax(long))
        b = s.blurs[k]
        words = f"smeared by up to {b.length:.0f} px at {b.direction:.0f}° (frame {k + 1}), {int((long > 0).sum())} frames in all"
        yield Finding("blur", *_span(long > 0), words, "Give what is added the same blur.", bool(b.length > BLUR))


def _noise(s: PlateSurvey) -> Iterable[Finding]:
    if s.noise is not None:
        words = f"{s.noise.level:.1f} levels of 8 bit in the middle tones"
        yield _whole(s, "noise", words, "Grain what is added to match.", bad=s.noise.level > NOISE)
    elif np.isfinite(s.noise_levels).any():
        level = float(np.nanmedian(s.noise_levels))
        words = f"at most {level:.1f} levels of 8 bit; not measured from frame to frame, so texture counts in it"
        yield _whole(s, "noise", words, "Film a still, even surface to measure it.", bad=False)
    if s.noise is not None and s.noise.neighbours > SMOOTHED:
        words = f"the noise is smoothed (neighbouring pixels alike to {s.noise.neighbours:.2f}): denoised, scaled or coded hard"
        yield _whole(s, "noise", words, "Soften added grain likewise; ask for the camera's own file.", bad=False)


def _dust(s: PlateSurvey) -> Iterable[Finding]:
    if s.dust.spots:
        worst = max(s.dust.spots, key=lambda d: d.depth)
        words = f"{spots_words(len(s.dust.spots))} of dust, the darkest takes {100 * worst.depth:.0f} % at {worst.x:.0f}, {worst.y:.0f}"
        yield _whole(s, "dust", words, "Remove them by Dust before darkening; clean the sensor.")
    elif s.dust.reason and s.count > 1:
        words = f"not told: {s.dust.reason}"
        if s.dust.suspects:
            at = ", ".join(f"{d.x:.0f}/{d.y:.0f}" for d in s.dust.suspects[:3])
            words += f"; {spots_words(len(s.dust.suspects))} could be dust (at {at})"
        yield _whole(s, "dust", words, "Film an even surface, moving, to see the dust.", bad=False)


def spots_words(count: int) -> str:
    """'1 spot', '3 spots'."""
    return f"{count} spot{'' if count == 1 else 's'}"


def _intruders(s: PlateSurvey) -> Iterable[Finding]:
    for i in s.intruders:
        x, y, w, h = i.box
        sideways = i.edge in ("left", "right")
        deep, at = (w, y + h / 2) if sideways else (h, x + w / 2)
        where = ("high up", "half way down", "low down") if sideways else ("on the left", "in the middle", "on the right")
        words = (
            f"something reaches in at the {i.edge} edge, {where[min(int(3 * at), 2)]}, {100 * deep:.0f} % of the frame deep, "
            f"frames {i.first}–{i.last}"
        )
        yield Finding("intruder", i.first, i.last, words, "Punch in, or patch it from frames without it.")


def _flashes(s: PlateSurvey) -> Iterable[Finding]:
    if s.flashes.max(initial=0) > FLASHES:
        words = f"flashes up to {s.flashes.max():.0f} times a second over a large area"
        advice = "This can hurt people with photosensitive epilepsy: slow or soften it, and have it tested before showing."
        yield Finding("flashing", *_span(s.flashes > FLASHES), words, advice)


def _span(where: Array) -> tuple[int, int]:
    at = np.flatnonzero(where)
    return int(at[0]) + 1, int(at[-1]) + 1


def _list(frames: Iterable[int]) -> str:
    """1, 2, 3, 7 as '1–3, 7'; at most eight spans."""
    out: list[list[int]] = []
    for n in sorted(frames):
        if out and n == out[-1][1] + 1:
            out[-1][1] = n
        else:
            out.append([n, n])
    return ", ".join(f"{a}" if a == b else f"{a}–{b}" for a, b in out[:8]) + (" …" if len(out) > 8 else "")
