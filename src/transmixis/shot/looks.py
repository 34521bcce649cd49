"""Looks at the plates of a shot that serve a choice: frames to freeze, frames to join takes at, a clean plate's fit, a clean
plate made from the take, the screen of a keying plate. Used by the window and the command line alike."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.keyer import KeySettings, key_frame
from transmixis.core.motion.similarity import Similarity
from transmixis.core.progress import Progress
from transmixis.core.repair.background import FRAMES, Background, background_of
from transmixis.core.survey.best import Join, Pick, best_frames, best_joins
from transmixis.core.survey.clean_fit import CleanFit, fit_clean
from transmixis.core.survey.findings import Finding, findings_of
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.scan import is_absent
from transmixis.core.survey.screen_report import ScreenReport, report_screen
from transmixis.core.types import Array, Rgb
from transmixis.media.files import make_folder
from transmixis.media.source import SourceInfo
from transmixis.media.still import write_still
from transmixis.shot.contract import sample_frames, sampled
from transmixis.shot.model import Role, Shot
from transmixis.shot.refs import split_ref
from transmixis.shot.render import Renderer
from transmixis.shot.steps.conform import RATE_OFF, SQUARE
from transmixis.shot.steps.learning import model_from_arrays
from transmixis.shot.workorder import plate_from

FIT_FRAMES, CLEAN_FRAMES = 6, 8
SAMPLES = {".exr": "half", ".png": "uint16", ".tif": "uint16", ".tiff": "uint16"}


@dataclass(frozen=True)
class Freezes:
    """The picks, best first, and how many frames were looked at."""

    picks: tuple[Pick, ...]
    count: int


@dataclass(frozen=True)
class Fit:
    """A clean plate's fit, and the frame (1-based) of the take that shows most of the misfit."""

    fit: CleanFit
    frame: int


def plate_findings(r: Renderer, ref: str) -> list[Finding]:
    """What the survey of a plate says, and what its file says against the shot: rate, size, shape of its pixels."""
    survey = r.surveys.whole(r, ref)
    found = findings_of(survey)
    what, name = split_ref(ref)
    if what == "plate":
        info = r.material.source(r.shot.plate(name)).info
        found += facts_against_shot(info, r.shot, r.material.pixel_aspect(r.shot.plate(name)), survey.count)
    return sorted(found, key=lambda f: not f.bad)


def facts_against_shot(info: SourceInfo, shot: Shot, pixel_aspect: float, count: int) -> list[Finding]:
    """Where a plate's file differs from the shot in rate, size or shape of pixels. Stills have no rate."""
    out = []
    if info.count > 1 and info.rate and abs(float(info.rate / shot.fps) - 1) > RATE_OFF:
        words = f"recorded at {float(info.rate):.4g} pictures a second, the shot runs at {float(shot.fps):.4g}"
        out.append(Finding("timing", 1, count, words, "Conform brings it to the shot's rate; keep its speed for slow motion."))
    if info.variable_rate:
        words = "its pictures do not come at even times (variable rate)"
        out.append(Finding("timing", 1, count, words, "Sound and other cameras will drift; Conform, or copy it at a fixed rate."))
    if (info.width, info.height) != (shot.width, shot.height):
        words = f"is {info.width} x {info.height}, the shot {shot.width} x {shot.height}"
        out.append(
            Finding("size", 1, count, words, "Place fits it; Conform brings it to the shot's size for all steps.", bad=False)
        )
    if abs(pixel_aspect - 1) > SQUARE:
        words = f"has pixels {pixel_aspect:.4g} times as wide as high"
        out.append(Finding("size", 1, count, words, "Conform makes them square before anything square is laid over them."))
    return out


def freezes(r: Renderer, ref: str, most: int = 6, progress: Progress | None = None) -> Freezes:
    """The best frames of a plate to freeze."""
    survey = r.surveys.whole(r, ref, progress)
    scans = [r.surveys.scan(r, ref, n) for n in range(1, survey.count + 1)]
    return Freezes(tuple(best_frames(scans, survey, most)), survey.count)


def joins(r: Renderer, first: str, second: str, most: int = 6, progress: Progress | None = None) -> list[Join]:
    """The best pairs of frames to go from one take to another. Raises UserError for takes of less than two frames."""
    return joins_of(small_pictures(r, first, progress), small_pictures(r, second, progress), most)


def small_pictures(r: Renderer, ref: str, progress: Progress | None = None) -> list[Array | None]:
    """The small linear picture of every frame, as scanned."""
    progress, n = progress or Progress(), r.surveys.frames(r, ref)
    out = []
    for k in range(1, n + 1):
        progress.at(k - 1, n, f"looking at frame {k}")
        scan = r.surveys.scan(r, ref, k)
        out.append(None if is_absent(scan) else np.asarray(scan["thumb"], np.float32))
    return out


def joins_of(first: list[Array | None], second: list[Array | None], most: int) -> list[Join]:
    """The best pairs from small pictures."""
    if any(len([x for x in t if x is not None]) < 2 for t in (first, second)):
        raise UserError("A join needs two takes of at least two frames each; give movies or sequences.")
    return best_joins(first, second, most)


def clean_fit(r: Renderer, ref: str, clean: list[Rgb], name: str, progress: Progress | None = None) -> Fit:
    """Compare a clean plate (a few frames of it, linear) with a few frames of a take. Raises UserError if their sizes differ."""
    survey = r.surveys.whole(r, ref, progress)
    empty = np.mean([c[..., :3] for c in clean], axis=0).astype(np.float32)
    chosen = _readable(survey, sample_frames(survey.count, FIT_FRAMES))
    take = [_picture(r, ref, n) for n in chosen]
    if take[0].shape[:2] != empty.shape[:2]:
        h, w = take[0].shape[:2]
        raise UserError(f"'{name}' is not of the take's size; export it at {w} x {h}.")
    fit = fit_clean(take, empty, locked=survey.steadiness.verdict in ("locked", "nearly"))
    return Fit(fit, chosen[len(chosen) // 2])


def clean_frames(r: Renderer, ref: str) -> list[Rgb]:
    """A few frames of a clean plate of the shot."""
    count = max(1, r.surveys.frames(r, ref))
    return list(sampled(count, CLEAN_FRAMES, lambda n: _picture(r, ref, n), Progress(), "looking at the clean plate").values())


def clean_from_take(r: Renderer, ref: str, progress: Progress) -> Background:
    """A clean plate from the take itself, where the background shows at some time."""
    survey = r.surveys.whole(r, ref, progress)
    chosen = _readable(survey, sample_frames(survey.count, FRAMES))
    chosen = [n for n in chosen if survey.path.known[n - 1]] or chosen[:1]
    base = survey.path.similarity(chosen[0] - 1).inverse() if survey.path.known[chosen[0] - 1] else Similarity()
    pictures: list[Array] = []
    for i, n in enumerate(chosen):
        progress.at(i, len(chosen), f"reading frame {n}")
        pictures.append(_picture(r, ref, n))
    moves = [survey.path.similarity(n - 1).after(base) if survey.path.known[n - 1] else Similarity() for n in chosen]
    stops = np.nan_to_num(survey.gains.stops[[n - 1 for n in chosen]])
    return background_of(pictures, moves, stops - stops[0], chosen)


def clean_outputs(out: Path) -> tuple[Path, Path]:
    """The files that a clean plate made to `out` is written to. Raises UserError if the name says no kind of picture."""
    if out.suffix.lower() not in SAMPLES:
        raise UserError(f"'{out.name}' is no picture that can be written; name it .exr, .png or .tif.")
    return out, out.with_name(f"{out.stem}.shown.png")


def write_clean(made: Background, out: Path) -> Path:
    """Write a made clean plate and, beside it, how much of the time each place shows it; gives the path of the latter."""
    make_folder(out.parent)
    out, shown = clean_outputs(out)
    write_still(out, made.plate, kind=SAMPLES[out.suffix.lower()])
    write_still(shown, made.share[..., None], kind="uint8")
    return shown


def screen(r: Renderer, key_step: str, frame: int) -> ScreenReport:
    """The report on the screen of a keyed plate at a frame."""
    step = r.shot.step(key_step)
    picture = _picture(r, step.inputs["plate"], frame)
    model = model_from_arrays(r.analysis(key_step))
    return report_screen(picture, key_frame(picture, model, KeySettings()), model)


def _picture(r: Renderer, ref: str, frame: int) -> Rgb:
    picture = r.product(ref, frame).picture
    if picture is None:
        raise UserError("What is looked at gives no picture; choose another plate.")
    return np.ascontiguousarray(picture[..., :3])


def _readable(survey: PlateSurvey, frames: list[int]) -> list[int]:
    good = [n for n in frames if n not in survey.absent]
    if not good:
        raise UserError("None of the frames that were looked at can be read; check the plate's files.")
    return good


def keep_picture(folder: Path, shot: Shot, picture: Array, name: str) -> Path:
    """Write a picture made from a shot's plates into the production, under a name that is not taken; gives its path."""
    place = folder / "plates" / shot.code / "made"
    make_folder(place)
    path, n = place / f"{shot.code}_{name}.exr", 1
    while path.exists():
        n += 1
        path = place / f"{shot.code}_{name}_{chr(95 + n)}.exr"  # letters: a number at the end would read as a frame's
    write_still(path, picture, kind="half")
    return path


def with_picture(folder: Path, shot: Shot, path: Path, role: Role, name: str) -> Shot:
    """The shot with a picture as one more plate."""
    plate, _ = plate_from(folder, path, shot, role)
    return shot.model_copy(update={"plates": (*shot.plates, plate.model_copy(update={"name": name}))})
