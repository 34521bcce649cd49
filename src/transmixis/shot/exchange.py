"""Tracks, cameras and lenses written in the format that a file's ending names, and read back as plain numbers."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.motion.pose import Camera
from transmixis.core.types import Array
from transmixis.media.exchange import usd
from transmixis.media.exchange.lensfiles import YAML, LensFile, read_yaml, write_st_map, write_yaml
from transmixis.media.exchange.tracks import Row, Track, read_tracks, write_csv
from transmixis.media.exchange.usd import Scene
from transmixis.media.files import make_folder, said, write_atomically
from transmixis.shot.plainjson import cleaned, dumps, read_json

JSON, CSV, EXR = ".json", ".csv", ".exr"
TRACKS, CAMERAS, LENSES = (JSON, CSV), (JSON, *usd.SUFFIXES), (JSON, *YAML, EXR)
CORNERS = ("top left", "top right", "bottom right", "bottom left")


def refuse_ending(path: Path | None, endings: Sequence[str], words: str) -> None:
    """Raise UserError unless a file's ending is one of these."""
    if path is not None and path.suffix.lower() not in endings:
        raise UserError(f"'{said(path.name)}' should end with {' or '.join(endings)}: {words} is written as one of these.")


def write_json(path: Path, made: Any) -> None:
    """Plain numbers; what is no number becomes null."""
    make_folder(path.parent)
    write_atomically(path, dumps(cleaned(made)))


def write_points(path: Path, made: dict[str, Any]) -> None:
    """What the command for points has made, by the file's ending."""
    if path.suffix.lower() == CSV:
        write_csv(path, [_track(str(k), p["frames"]) for k, p in enumerate(made["points"], 1)])
    else:
        write_json(path, made)


def write_surface(path: Path, made: dict[str, Any]) -> None:
    """What the command for surfaces has made; as CSV the motion of its outline's places, one track each."""
    if path.suffix.lower() != CSV:
        write_json(path, made)
        return
    places = np.array(made["region"], np.float64).reshape(-1, 2)
    names = CORNERS if len(places) == 4 else tuple(f"place {k}" for k in range(1, len(places) + 1))
    rows: list[list[Row]] = [[] for _ in places]
    for f in made["frames"]:
        there = moved_points(np.array(f["matrix"]).reshape(3, 3), places) if f["valid"] else np.full(places.shape, np.nan)
        for mine, (x, y) in zip(rows, there, strict=True):
            mine.append(_row(f["frame"], x, y, f["error"]))
    write_csv(path, [Track(name, tuple(r)) for name, r in zip(names, rows, strict=True)])


def write_camera(path: Path, scene: Scene, made: dict[str, Any]) -> None:
    """A solved camera: `made` as plain numbers, `scene` for USD."""
    if path.suffix.lower() in usd.SUFFIXES:
        usd.write_scene(path, scene)
    else:
        write_json(path, made)


def write_lens(path: Path, made: dict[str, Any]) -> None:
    """A lens: OpenCV's YAML, or two ST maps, of which the second, named with -bend, bends back."""
    size = (int(made["width"]), int(made["height"]))
    if not np.isfinite(made["focal_px"]):
        raise UserError("The lens is not known, so that it cannot be written; give the camera's focal length.")
    lens = Lens(made["focal_px"], (made["middle"][0], made["middle"][1]), made["k1"], made["k2"])
    if path.suffix.lower() in YAML:
        write_yaml(path, LensFile(lens, size, tuple(made.get(n, 0.0) for n in ("p1", "p2", "k3"))))
    elif path.suffix.lower() == EXR:
        lens.checked((size[1], size[0]))
        for p, at in zip(st_maps(path), (lens.straight_map((size[1], size[0])), lens.bent_map((size[1], size[0]))), strict=True):
            write_st_map(p, at, size)
    else:
        write_json(path, made)


def st_maps(path: Path) -> tuple[Path, Path]:
    """The files of a lens's two maps: one that straightens, one that bends back."""
    return path, path.with_name(f"{path.stem}-bend{path.suffix}")


def motion_tracks(motions: Sequence[Motion]) -> list[Track]:
    """The tracks of a motion over the frames 1..: of its point, or of its corners."""
    about = next((m.about for m in motions if m.known), np.zeros((0, 2)))
    names = CORNERS if len(about) == 4 else ("point",) if len(about) == 1 else tuple(f"place {k + 1}" for k in range(len(about)))
    rows: list[list[Row]] = [[] for _ in about]
    for n, m in enumerate(motions, 1):
        there = moved_points(m.matrix, m.about) if m.known else np.full((len(about), 2), np.nan)
        for mine, (x, y) in zip(rows, there, strict=True):
            mine.append(_row(n, x, y, m.error))
    return [Track(name, tuple(r)) for name, r in zip(names, rows, strict=True)]


def read_back(path: Path) -> dict[str, Any]:
    """What a file holds: tracks, a camera or a lens, as plain numbers. Raises UserError where it is none of these."""
    ending = path.suffix.lower()
    if ending in usd.SUFFIXES or (ending == JSON and holds_camera(path)):
        return told_scene(read_scene(path))
    if ending in YAML:
        made = read_yaml(path)
        p1, p2, k3 = made.rest
        return {
            "focal_px": made.lens.focal, "middle": list(made.lens.middle), "k1": made.lens.k1, "k2": made.lens.k2, "k3": k3, "p1": p1,
            "p2": p2, "width": made.size[0], "height": made.size[1],
        }  # fmt: skip
    if ending in TRACKS:
        tracks = read_tracks(path)
        return dict(cleaned({"tracks": [{"name": t.name, "frames": [plain_row(r) for r in t.rows]} for t in tracks]}))
    raise UserError(f"'{said(path.name)}' is read if it ends with {', '.join((*TRACKS, *usd.SUFFIXES, *YAML))}.")


def holds_camera(path: Path) -> bool:
    """Whether a .json file is a camera, as far as its first look tells."""
    try:
        data = read_json(path)
    except UserError:
        return False
    return isinstance(data, dict) and "focal_px" in data and isinstance(data.get("frames"), list)


def read_scene(path: Path) -> Scene:
    """A camera with its points, from USD or from what the command for cameras writes. Raises UserError where the file holds none."""
    if path.suffix.lower() in usd.SUFFIXES:
        return usd.read_scene(path)
    data = read_json(path)
    try:
        size = (int(data["width"]), int(data["height"]))
        if not (1 <= size[0] <= 100_000 and 1 <= size[1] <= 100_000 and data["frames"]):
            raise ValueError
        cameras = tuple(_read_camera(data, f) for f in sorted(data["frames"], key=lambda f: int(f["frame"])))
        points = np.array([p["xyz"] for p in data["points"]], np.float64).reshape(-1, 3)
        errors = np.array([np.nan if p["error"] is None else p["error"] for p in data["points"]], np.float64)
        rate = float(data.get("rate") or 24.0)
        if not np.isfinite(points).all():
            raise ValueError
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError) as e:
        raise UserError(f"'{said(path.name)}' holds no camera; give what the command for cameras has written, or a scene.") from e
    return Scene(cameras, points, errors, size, rate)


def _read_camera(data: Any, frame: Any) -> Camera:
    x, y = (float(v) for v in data["middle"])
    known = bool(frame["valid"])
    turn = np.array(frame["R"], np.float64).reshape(3, 3) if known else np.eye(3)
    shift = np.array(frame["t"], np.float64).reshape(3) if known else np.zeros(3)
    focal = np.nan if frame.get("focal_px", data["focal_px"]) is None else float(frame.get("focal_px", data["focal_px"]))
    if known and not (np.isfinite(turn).all() and np.isfinite(shift).all() and np.allclose(turn @ turn.T, np.eye(3), atol=1e-3)):
        raise ValueError("no camera stands so")
    error = frame.get("reprojection")
    return Camera(
        focal, (x, y), turn, shift, float(data.get("k1", 0)), float(data.get("k2", 0)), known,
        np.nan if error is None else float(error), str(frame.get("why", ""))[:200], bool(data.get("level")), bool(data.get("measured")),
    )  # fmt: skip


def told_scene(scene: Scene) -> dict[str, Any]:
    """A camera as plain numbers: x_cam = R X + t, x right, y down, z forward."""
    first = next((c for c in scene.cameras if c.known), scene.cameras[0])
    return {
        "focal_px": first.focal, "k1": first.k1, "k2": first.k2, "middle": list(first.middle), "width": scene.size[0],
        "height": scene.size[1], "rate": scene.rate, "measured": first.metres, "level": first.level,
        "frames": [told_frame(n, c) for n, c in enumerate(scene.cameras, 1)],
        "points": [{"xyz": p.tolist(), "error": _number(e)} for p, e in zip(scene.points, scene.errors, strict=True)],
    }  # fmt: skip


def told_frame(n: int, c: Camera) -> dict[str, Any]:
    """A camera at a frame as plain numbers."""
    return {
        "frame": n, "R": c.turn.ravel().tolist() if c.known else None, "t": c.shift.tolist() if c.known else None, "valid": c.known,
        "focal_px": _number(c.focal), "reprojection": c.error if c.known and np.isfinite(c.error) else None, "why": c.why,
    }  # fmt: skip


def _track(name: str, frames: list[dict[str, Any]]) -> Track:
    return Track(name, tuple(Row(f["frame"], f["x"], f["y"], f["error"]) for f in frames))


def _row(n: int, x: float, y: float, error: float | None) -> Row:
    if not (np.isfinite(x) and np.isfinite(y)):
        return Row(n, None, None, None)
    return Row(n, float(x), float(y), _number(error))


def _number(value: float | None) -> float | None:
    return float(value) if value is not None and np.isfinite(value) else None


def plain_row(r: Row) -> dict[str, Any]:
    return {"frame": r.frame, "x": r.x, "y": r.y, "valid": r.valid, "error": r.error}


def scene_of(cameras: Sequence[Camera], points: Array, errors: Array, size: tuple[int, int], rate: float) -> Scene:
    """A scene for USD, `rate` frames a second."""
    return Scene(tuple(cameras), np.asarray(points, np.float64), np.asarray(errors, np.float64), size, rate)
