"""The camera of a take: what kind of move it is, told first, and the model that fits it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera
from transmixis.core.progress import Progress
from transmixis.core.solve.between import filled, some_frames
from transmixis.core.solve.flat import flat
from transmixis.core.solve.grow import Scene, flat_rest, grown, start_pair
from transmixis.core.solve.tracks import Tracks
from transmixis.core.solve.turning import turning
from transmixis.core.types import Array

PARALLAX, TURN, FLAT, LOCKED = "parallax", "turn", "flat", "locked"
STILL = 0.5  # px that a feature may move over the whole take and stand
STANDS = 0.6  # of the features that must stand for a locked camera
DEPTH = 0.25  # px that no flat perspective explains: at least as much is depth
TIMES = 6.0  # times the features' own error
LEFT = 0.15  # px that a turn may leave over
TURNS = 0.75  # of what is seen that a turn, or a path before a flat thing, must explain
GUESSES = (0.7, 0.95, 1.3, 1.8, 2.6)  # focal lengths that are tried, in widths of the frame
PROBED = 10  # frames on which they are
SHARES = (
    1.0,
    0.5,
    0.0,
)  # of what all grows by from frame to frame that may be the lens's, the rest being the camera's way forward
FEWEST = 20  # tracks
MOST_FITS = 0.5  # of what was followed that fits one way of the camera at least, or it may be that of something else
FITS_LITTLE = " Only {:.0f} % of what was followed fits it: hold out by a matte what moves by itself, and look whether the dots lie on what stands."
DOUBT = (
    " Another path, before a thing that faces elsewhere, explains the take as well; of the two the one that turns less was taken."
)
ZOOM_ALONE = (
    "A focal length that changes is found for every frame by itself: give none, and take the lens's bend out before, as it is another "
    "at each length."
)


@dataclass(frozen=True)
class Solved:
    """`kind` of the move, `cameras` of the frames, `points` (m, 3) with their `errors` (m,) px and in which frames they are `seen` (n, m);
    `words` says what was found; `angles` (m,) degrees apart are the two frames that see a point from furthest aside."""

    kind: str
    cameras: tuple[Camera, ...]
    points: Array
    errors: Array
    seen: Array
    words: str
    angles: Array = field(default_factory=lambda: np.zeros(0))

    @property
    def focal(self) -> float:
        return self.cameras[0].focal


def solved(
    tracks: Tracks,
    size: tuple[int, int],
    focal: float | None,
    *,
    bend: bool,
    zoom: bool = False,
    progress: Progress | None = None,
) -> Solved:
    """The camera of the tracks of a take of `size` (width, height) px; `focal` px, None: not known; `bend`: the lens bends, find how;
    `zoom`: the focal length changes, and is found for every frame. Raises UserError where there is too little to go by."""
    if zoom and (bend or focal is not None):
        raise UserError(ZOOM_ALONE)
    if tracks.count < FEWEST:
        raise UserError(
            f"Only {tracks.count} features could be followed; the camera cannot be told from so few. Light or texture is lacking."
        )
    width, height = size
    middle = np.array([width / 2, height / 2])
    given = float("nan") if focal is None else focal  # of a camera that stands it is not told
    if _stands(tracks.places):
        return _locked(tracks, given, middle)
    depth, why = _depth(tracks, progress)
    scene: Scene | None = None
    kind = PARALLAX
    if depth:
        try:
            scene = _best(grown, tracks.places, focal, middle, width, bend=bend, zoom=zoom, progress=progress)
        except UserError as e:
            why = str(e)
    if scene is None:
        kind = TURN
        scene = _best(turning, tracks.places, focal, middle, width, bend=bend, zoom=zoom, progress=progress)
        scene = scene if _explains(scene, tracks) else None
    if scene is None and not depth and not zoom:
        kind = FLAT
        try:
            key = some_frames(len(tracks.places))
            scene = flat(tracks.places[key], focal, middle, bend=bend, progress=progress)
            scene = _whole(scene, key, tracks.places, moving=True, progress=progress)
            scene = scene if _explains(scene, tracks) else None
        except UserError as e:
            why = str(e)
    if scene is None:
        return _refused(len(tracks.places), given, middle, why)
    return _told(scene, kind, middle)


def _explains(scene: Scene, tracks: Tracks) -> bool:
    """Whether a model that knows no depth explains most of what is seen."""
    off = np.linalg.norm(scene.bundle().off(), axis=1)
    kept = len(off) / int(np.isfinite(tracks.places[..., 0]).sum())
    return kept >= TURNS and float(np.median(off)) <= max(LEFT, TIMES * _noise(tracks))


def _stands(places: Array) -> bool:
    low, high = np.nanmin(places, axis=0), np.nanmax(places, axis=0)
    return float((np.hypot(*(high - low).T) < STILL).mean()) > STANDS


def _noise(tracks: Tracks) -> float:
    errors = tracks.errors[np.isfinite(tracks.errors) & (tracks.errors > 0)]
    return float(np.median(errors)) if len(errors) else 0.0


def _depth(tracks: Tracks, progress: Progress | None = None) -> tuple[bool, str]:
    """Whether the take shows depth, and why not."""
    try:
        i, j = start_pair(tracks.places, progress)
    except UserError as e:
        return False, str(e)
    both = np.isfinite(tracks.places[i, :, 0]) & np.isfinite(tracks.places[j, :, 0])
    left = flat_rest(tracks.places[i, both], tracks.places[j, both])
    if left > max(DEPTH, TIMES * _noise(tracks)):
        return True, ""
    return False, f"all features move as on one flat thing, to {left:.2f} px; no depth can be told"


def _best(
    solve: Callable[..., Scene],
    places: Array,
    focal: float | None,
    middle: Array,
    width: int,
    *,
    bend: bool,
    zoom: bool,
    progress: Progress | None,
) -> Scene:
    """Solved with the focal length that is known, or begun with the guess that explains a few frames best."""
    key = some_frames(len(places))

    def made(start: float, zooms: Array | None) -> Scene:
        scene = solve(places[key].copy(), start, middle, free=focal is None, bend=bend, zooms=zooms, progress=progress)
        return _whole(scene, key, places, moving=solve is not turning, progress=progress)

    if focal is not None:
        return made(focal, None)
    frames = np.unique(np.linspace(0, len(places) - 1, min(len(places), PROBED)).round().astype(int))
    some = places[frames]
    some = some[:, np.isfinite(some[..., 0]).sum(axis=0) >= 3]
    best, said = _guessed(solve, some, frames, places, middle, width, zoom=zoom, progress=progress)
    if best is None:
        raise UserError(said)
    return made(float(best.lens[0]), None if best.zooms is None else np.interp(key, frames, best.zooms))


def _whole(scene: Scene, key: Array, places: Array, *, moving: bool, progress: Progress | None) -> Scene:
    """The scene of all frames, if it was solved of some."""
    if len(key) == len(places):
        return scene
    return filled(scene, key, places.copy(), moving=moving, progress=progress)


def _guessed(
    solve: Callable[..., Scene],
    some: Array,
    frames: Array,
    places: Array,
    middle: Array,
    width: int,
    *,
    zoom: bool,
    progress: Progress | None,
) -> tuple[Scene | None, str]:
    """Of a few frames the scene whose beginning explains them best, and why there is none."""
    best, least, said = None, np.inf, "The camera cannot be told."
    grows = _growth(places)[frames] if zoom else None
    for g in GUESSES:
        for share in SHARES if grows is not None else (0.0,):
            zooms = None if grows is None else grows**share
            try:
                scene = solve(some.copy(), g * width, middle, free=True, bend=False, zooms=zooms, progress=progress)
            except UserError as e:
                said = str(e)
                continue
            if not ((0.3 * width < scene.focals) & (scene.focals < 20 * width)).all():
                continue
            b = scene.bundle()
            # what was thrown away counts as wrong
            lost = 1 - len(b.at) / max(int(np.isfinite(some[..., 0]).sum()), 1)
            cost = float(np.median(np.linalg.norm(b.off(), axis=1))) * (1 + 3 * lost) if len(b.at) else np.inf
            if cost < least:
                best, least = scene, cost
    return best, said


def _growth(places: Array) -> Array:
    """(n,) how many times as far apart as in the first frame the features lie, by what two frames beside each other share."""
    out = np.ones(len(places))
    for n in range(1, len(places)):
        both = np.flatnonzero(np.isfinite(places[n - 1, :, 0]) & np.isfinite(places[n, :, 0]))
        out[n] = out[n - 1]
        if len(both) >= 2:
            other = np.roll(both, len(both) // 2)
            before, after = (np.hypot(*(places[k, both] - places[k, other]).T) for k in (n - 1, n))
            out[n] *= float(np.median(after / np.maximum(before, 1e-9)))
    return out


def _told(scene: Scene, kind: str, middle: Array) -> Solved:
    """In the first camera's own directions, the longest way from it being 1."""
    b = scene.bundle()
    off = np.linalg.norm(b.off(), axis=1)
    frames, ids = np.flatnonzero(scene.known), np.flatnonzero(scene.solid)
    first = int(frames[0])
    r0, t0 = scene.turns[first], scene.shifts[first]
    points = scene.points[ids] @ r0.T + t0
    turns = scene.turns @ r0.T
    shifts = scene.shifts - np.einsum("nij,j->ni", turns, t0)
    places = -np.einsum("nji,nj->ni", turns, shifts)
    far = float(np.linalg.norm(places[frames], axis=1).max()) if kind != TURN else 1.0
    k1, k2 = (float(v) for v in scene.lens[1:])
    cameras = []
    for n in range(len(turns)):
        own = off[frames[b.cams] == n]
        error = float(np.sqrt((own**2).mean())) if len(own) else float("nan")
        why = "" if scene.known[n] else "too few of the solved points are seen here"
        x, y = (float(v) for v in middle)
        cameras.append(
            Camera(float(scene.focals[n]), (x, y), turns[n], shifts[n] / far, k1, k2, bool(scene.known[n]), error, why)
        )
    errors = np.sqrt(np.bincount(b.ids, off**2, len(ids)) / np.maximum(np.bincount(b.ids, minlength=len(ids)), 1))
    words = {
        PARALLAX: f"The camera moves; {len(ids)} points were solved",
        TURN: f"The camera only turns; {len(ids)} directions were solved",
        FLAT: f"The camera moves before one flat thing; {len(ids)} points on it were solved",
    }[kind]
    words += f" with {float(np.median(off)):.2f} px left in the median."
    share = len(b.at) / max(int(scene.followed.sum()), 1)
    words += FITS_LITTLE.format(100 * share) if share < MOST_FITS else ""
    words += DOUBT if scene.doubt else ""
    seen = np.zeros((len(turns), len(ids)), bool)
    seen[frames[b.cams], b.ids] = True
    stood = np.array([c.place for c in cameras])
    angles = np.zeros(len(ids)) if kind == TURN else _angles(points / far, stood, seen)
    return Solved(kind, tuple(cameras), points / far, errors, seen, words, angles)


def _angles(points: Array, stood: Array, seen: Array) -> Array:
    """(m,) degrees between the outermost two of the places `stood` (n, 3) that see each point."""
    out = np.zeros(len(points))
    for k, point in enumerate(points):
        ways = stood[seen[:, k]] - point
        if len(ways) > 1:
            ways /= np.linalg.norm(ways, axis=1, keepdims=True)
            out[k] = np.degrees(np.arccos(np.clip((ways @ ways.T).min(), -1, 1)))
    return out


def _locked(tracks: Tracks, focal: float, middle: Array) -> Solved:
    at = np.nanmedian(tracks.places, axis=0)
    off = np.hypot(*np.moveaxis(tracks.places - at, 2, 0))
    x, y = (float(v) for v in middle)
    cameras = [
        Camera(focal, (x, y), np.eye(3), np.zeros(3), error=float(np.sqrt(np.nanmean(np.minimum(row, STILL) ** 2))))
        for row in off
    ]
    return Solved(
        LOCKED,
        tuple(cameras),
        np.zeros((0, 3)),
        np.zeros(0),
        np.zeros((len(cameras), 0), bool),
        "The camera stands still; neither focal length nor depth can be told.",
    )


def _refused(n: int, focal: float, middle: Array, why: str) -> Solved:
    x, y = (float(v) for v in middle)
    camera = Camera(focal, (x, y), np.eye(3), np.zeros(3), known=False, why=why)
    words = f"No camera can be solved: {why}. A surface track follows a flat thing."
    return Solved(FLAT, (camera,) * n, np.zeros((0, 3)), np.zeros(0), np.zeros((n, 0), bool), words)
