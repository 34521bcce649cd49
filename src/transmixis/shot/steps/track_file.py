"""Track from a file: places that another program, or this one, has followed, taken as a motion and measured on the plate."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion, moved_points, through
from transmixis.core.motion.views import likeness, places_about
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask
from transmixis.media.exchange.tracks import read_tracks
from transmixis.media.files import said
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.fromfile import NOTHING, FromFile, known, plain, starts_at
from transmixis.shot.steps.params import choice, hidden, number
from transmixis.shot.steps.trackreadings import ERROR, UNLIKE, box_about, gap_about, lost_readings

MOST = 64  # tracks of one motion
FAR, TIMES = 1000, 3  # frames, and lengths of the shot, from where it begins in the file, beyond which its rows are left out
HALF = 20  # px about a place that are compared
ABOVE, BELOW = "from above", "from below"
HALVES, WHOLES = "at halves", "at whole numbers"
TRAIL = 24  # frames about the playhead of which the trail is shown
SHOWN = "Dots lie where the file says that its places are; they are changed in the file."
Row = tuple[int, float, float, float | None]


class TrackFileParams(FromFile):
    tracks: tuple[tuple[str, tuple[Row, ...]], ...] = hidden(())  # of each its name and rows: the file's frame, x, y, error px
    rows: str = choice(ABOVE, (ABOVE, BELOW), "Rows counted", "Whether y in the file grows downwards or upwards.")
    centres: str = choice(
        HALVES, (HALVES, WHOLES), "Pixel centres", "Whether the middle of the first pixel is 0.5 or 0 in the file."
    )
    size: float = number(
        1.0, 0.01, 100, "×", "Frame's size", "Of the plate over that of the pictures it was followed on.", step=0.25
    )


class TrackFile(StepKind[TrackFileParams]):
    kind, title, stage, product = "track_file", "Track from a file", "Motion", "motion"
    says = "takes what was followed elsewhere"
    roles = ("motion",)
    slots = (
        Slot(
            "plate", "the plate that was followed, to measure it on", optional=True, whole=True, usual=("plate:hero", "plate:any")
        ),
    )
    Params = TrackFileParams
    files = (".csv", ".json")
    tools = ("dots",)

    def looks_at(self, slot: str, params: TrackFileParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        """The reference frame, with which each is compared."""
        at = _reference(_table(params, length, 1)[0])
        return (frame,) if at is None else tuple(sorted({frame, at + 1}))

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        """With all tracks of the file. Raises UserError where it holds none, or more than can be one motion."""
        tracks = read_tracks(path)
        if len(tracks) > MOST:
            raise UserError(f"'{said(path.name)}' holds {len(tracks)} tracks; leave those of one thing, {MOST} at most.")
        known_in = [r.frame for t in tracks for r in t.rows if r.valid]
        if not known_in:
            raise UserError(f"'{said(path.name)}' knows its tracks in no frame.")
        starts, far = starts_at(min(known_in), shot.length), max(FAR, TIMES * shot.length)
        rows = [
            [t.name, [[r.frame, r.x, r.y, plain(r.error)] for r in t.rows if r.valid and abs(r.frame - starts) < far]]
            for t in tracks
        ]
        change = {"source": path.name, "tracks": rows, "starts": starts}
        return step.model_copy(update={"params": {**step.params, **change}})

    def handles(self, inputs: Inputs, params: TrackFileParams, frame: int) -> tuple[Handle, ...]:
        """Where the file says that its places are."""
        places, errors = _table(params, inputs.shot.length, inputs.shot.height)
        if not places.shape[1]:
            return ()
        there = [
            (float(x), float(y), 0.0 if np.isnan(e) else float(e), True)
            for (x, y), e in zip(places[frame - 1], errors[frame - 1], strict=True)
            if np.isfinite(x)
        ]
        near = range(max(0, frame - 1 - TRAIL), min(len(places), frame + TRAIL))
        trail = [(n + 1, *map(float, places[n].mean(axis=0)), float(errors[n].mean())) for n in near if not _lost(places[n])]
        facts = {"dots": there, "limit": ERROR, "trail": trail}
        return (Handle("dots", "tracks", "Places", SHOWN, (), live=False, note="" if there else "Not known here.", facts=facts),)

    def compute(self, inputs: Inputs, params: TrackFileParams, frame: int) -> Product:
        places, errors = _table(params, inputs.shot.length, inputs.shot.height)
        at = _reference(places)
        if at is None:
            why = NOTHING if not params.tracks else "the file knows all of its tracks together in no frame of the shot"
            return Product(motion=Motion(np.eye(3), np.zeros((0, 2)), known=False, why=why))
        about, there = places[at], places[frame - 1]
        seen = np.isfinite(there[:, 0])
        if _lost(places)[frame - 1]:
            why = "the file does not know it here" if not seen.any() else "the file knows too few of its tracks here"
            return Product(motion=Motion(np.eye(3), about, known=False, why=why))
        try:
            matrix = through(about[seen], there[seen])
        except UserError:
            why = "its places lie on one spot or line here"
            return Product(motion=Motion(np.eye(3), about, known=False, why=why))
        told = errors[frame - 1, seen]
        error = float(np.sqrt(np.mean(told**2))) if np.isfinite(told).all() else float("nan")
        return Product(motion=Motion(matrix, about, error=error), work=at + 1)

    def read(self, inputs: Inputs, params: TrackFileParams, product: Product, frame: int) -> list[Reading]:
        motion = product.motion
        assert motion is not None
        if not motion.known:
            places, _ = _table(params, inputs.shot.length, inputs.shot.height)
            return lost_readings(motion, gap_about(_lost(places), frame - 1) if params.tracks else None)
        told = plain(motion.error)
        box = box_about(moved_points(motion.matrix, motion.about))
        note = "as the file tells it" if told is not None else "the file does not tell how sure it is"
        return [Reading("error", told, "px", ERROR, spot=box, note=note), self._unlike(inputs, motion, int(product.work), frame)]

    def _unlike(self, inputs: Inputs, motion: Motion, at: int, frame: int) -> Reading:
        """How unlike itself the picture is where the file says that the thing is."""
        if not inputs.has("plate"):
            return Reading("unlike", None, "%", UNLIKE, note="connect the plate that was followed, and it is measured on it")
        if frame == at:
            return Reading("unlike", 0.0, "%", UNLIKE, note="the reference frame")
        reference, picture = inputs.picture("plate", at), inputs.picture("plate", frame)
        parts = [motion.about] if len(motion.about) > 2 else list(motion.about[:, None])
        alike = [likeness(reference, picture, motion.matrix, places_about(p, HALF)) for p in parts]
        seen = [a for a in alike if a is not None]
        if not seen:
            return Reading("unlike", None, "%", UNLIKE, note="its places show nothing that could be compared, or lie outside")
        worst = parts[int(np.argmin([2.0 if a is None else a for a in alike]))]
        note = f"the picture {'between its places' if len(motion.about) > 2 else 'about it'}, against frame {at}"
        spot = box_about(moved_points(motion.matrix, worst))
        return Reading("unlike", 100 * (1 - min(seen)), "%", UNLIKE, spot=spot, note=note)


def _table(params: TrackFileParams, length: int, height: int) -> tuple[Array, Array]:
    """(length, k, 2) places px and (length, k) errors px in the shot's frames, nan where not known."""
    k = len(params.tracks)
    at, errors = np.full((length, k, 2), np.nan), np.full((length, k), np.nan)
    for j, (_, rows) in enumerate(params.tracks):
        for number_, x, y, error in rows:
            n = number_ - int(params.starts)
            if 0 <= n < length:
                at[n, j], errors[n, j] = (x, y), known(error)
    at = (at + (0.5 if params.centres == WHOLES else 0.0)) * params.size
    if params.rows == BELOW:
        at[..., 1] = height - at[..., 1]
    return at, errors * params.size


def _reference(places: Array) -> int | None:
    """The first frame (from 0) in which all tracks are known."""
    if not places.shape[1]:
        return None
    together = np.isfinite(places[..., 0]).all(axis=1)
    return int(np.argmax(together)) if together.any() else None


def _lost(places: Array) -> Mask:
    """(...,) in which frames too little is known of places (..., k, 2)."""
    return np.asarray(np.isfinite(places[..., 0]).sum(axis=-1) < min(places.shape[-2], 4))
