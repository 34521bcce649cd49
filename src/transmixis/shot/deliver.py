"""Delivering: a batch render to a sequence or a movie that can be cut off and gone on with.

Beside a sequence stands a list of finished frames with the hash of each file and the key of what it was made from; on
going on, a frame whose hash and key still hold is not made again. A movie is gathered from such frames first.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.media.files import make_folder, write_atomically, writing
from transmixis.media.movie import MOVIE_KINDS, MovieWriter
from transmixis.media.still import write_still
from transmixis.shot.digests import digest
from transmixis.shot.outputs import refuse
from transmixis.shot.render import Renderer
from transmixis.shot.soundtrack import Kept, sound_for


@dataclass(frozen=True)
class Format:
    """A way of delivering. `kind` is a sample type for pictures, a movie kind for movies."""

    name: str
    suffix: str
    kind: str
    movie: bool
    words: str


FORMATS = {
    "exr": Format("exr", ".exr", "half", False, "EXR sequence, half float, scene linear: for going on compositing"),
    "png": Format("png", ".png", "uint16", False, "PNG sequence, 16 bit, sRGB: for any program"),
    "tiff": Format("tiff", ".tif", "uint16", False, "TIFF sequence, 16 bit, sRGB: for print and archive"),
    **{k: Format(k, m.suffix, k, True, m.words) for k, m in MOVIE_KINDS.items()},
}
_BY_SUFFIX = {".exr": "exr", ".png": "png", ".tif": "tiff", ".tiff": "tiff", ".mov": "prores", ".mp4": "h264", ".mkv": "ffv1"}


@dataclass(frozen=True)
class Report:
    """What a delivery did: frames made, frames taken over from before, and frames that could not be made, with the reason."""

    path: str
    made: int = 0
    kept: int = 0
    failed: dict[int, str] = field(default_factory=dict)
    sound: str = ""  # what became of the plate's sound


def format_of(path: Path) -> Format:
    """The format that a file name asks for. Raises UserError."""
    name = _BY_SUFFIX.get(path.suffix.lower())
    if name is None:
        raise UserError(
            f"'{path.name}' has no ending that can be written; use .exr, .png, .tif, .mov (ProRes), .mp4 or .mkv (FFV1)."
        )
    return FORMATS[name]


def frame_path(pattern: Path, number: int) -> Path:
    """The file of a frame: '####' or '%04d' in the name becomes the number; a name without one gets it before the ending."""
    name = pattern.name
    if "#" in name:
        return pattern.with_name(re.sub(r"#+", lambda m: str(number).zfill(len(m.group())), name, count=1))
    m = re.search(r"%0?(\d*)d", name)
    if m:
        return pattern.with_name(name[: m.start()] + str(number).zfill(int(m.group(1) or 0)) + name[m.end() :])
    return pattern.with_name(f"{pattern.stem}.{number:04d}{pattern.suffix}")


def deliver(
    renderer: Renderer, ref: str, target: Path, frames: range, progress: Progress, *, first_number: int = 1, resume: bool = True,
    overwrite: bool = False,
) -> Report:  # fmt: skip
    """Render `frames` of `ref` to `target`. Raises UserError when nothing can be written or something must not be written over
    (Standing if it may be with `overwrite`), Cancelled when stopped."""
    fmt = format_of(target)
    finished = refuse_target(renderer, target, frames, first_number=first_number, resume=resume, overwrite=overwrite)
    make_folder(target.parent)
    if fmt.movie:
        return _movie(renderer, ref, target, fmt, frames, progress, finished)
    report = _frames(renderer, ref, frames, progress, finished, lambda n: frame_path(target, first_number + n - 1), fmt)
    return Report(str(target), *report, sound_for(renderer, frames, movie=False).words)


def refuse_target(
    renderer: Renderer, target: Path, frames: range, *, first_number: int = 1, resume: bool = True, overwrite: bool = False
) -> _Finished:
    """Raises UserError if a delivery to `target` would write over an input, or over anything else that it has not made itself
    (Standing, unless `overwrite`). Gives the list of what it has made before."""
    movie = format_of(target).movie
    outputs = [target] if movie else [frame_path(target, first_number + n - 1) for n in frames]
    finished = _Finished(target.with_name(f".{_plain(target.name)}.frames.json"), resume)
    material, shot = renderer.material, renderer.shot
    refuse(
        outputs, inputs=[material.path_of(p) for p in shot.plates], productions=[material.folder], overwrite=overwrite, own=finished.made
    )  # fmt: skip
    return finished


def _plain(name: str) -> str:
    return re.sub(r"[^A-Za-z0-9_.\-]", "_", name)


class _Finished:
    """The list of finished frames beside a render: the hash of each file, and the key of what it was made from."""

    def __init__(self, path: Path, resume: bool) -> None:
        self._path, self.resume = path, resume
        self._done = _read_list(path)
        self._hashed: dict[Path, tuple[tuple[int, int, int], str]] = {}

    def made(self, path: Path) -> bool:
        """True if a file is what this render wrote, whatever it was made from."""
        d = self._done.get(path.name)
        return bool(d and path.is_file() and self._hash(path) in (d.get("hash"), d.get("before")))

    def holds(self, path: Path, key: str) -> bool:
        """True if a file need not be made again."""
        d = self._done.get(path.name)
        return bool(self.resume and d and d.get("key") == key and path.is_file() and self._hash(path) == d.get("hash"))

    def add(self, path: Path, key: str, part: Path) -> None:
        """Note what `path` will be, before `part` gets that name: cut off in between, both the old and the new one are known."""
        before = self._done.get(path.name, {}).get("hash", "")
        self._done[path.name] = {"key": key, "hash": file_hash(part), "before": before}
        write_atomically(self._path, json.dumps(self._done, indent=0).encode())

    def _hash(self, path: Path) -> str:
        """A file's hash, worked out once as long as the file stays as it is."""
        st = path.stat()
        stamp = (st.st_ino, st.st_mtime_ns, st.st_size)
        if path not in self._hashed or self._hashed[path][0] != stamp:
            self._hashed[path] = (stamp, file_hash(path))
        return self._hashed[path][1]


def _read_list(path: Path) -> dict[str, dict[str, str]]:
    try:
        data = json.loads(path.read_text(encoding="utf-8")) if path.is_file() else {}
    except (OSError, ValueError, RecursionError):
        return {}
    return {k: v for k, v in data.items() if isinstance(v, dict)} if isinstance(data, dict) else {}


def file_hash(path: Path) -> str:
    """SHA-256 of a file."""
    with open(path, "rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()


def _frames(
    renderer: Renderer, ref: str, frames: range, progress: Progress, finished: _Finished, path_of: Any, fmt: Format | None
) -> tuple[int, int, dict[int, str]]:
    made, kept, failed = 0, 0, {}
    for i, n in enumerate(frames):
        progress.at(i, len(frames), f"frame {n}")
        path = path_of(n)
        try:
            key = digest(renderer.key(ref, n), fmt.kind if fmt else "coded")
            if finished.holds(path, key):
                kept += 1
                continue
            picture = picture_of(renderer, ref, n)
        except UserError as e:
            failed[n] = str(e)
            continue
        _write(path, picture, fmt, partial(finished.add, path, key))
        made += 1
    progress.at(len(frames), len(frames), "done")
    return made, kept, failed


def picture_of(renderer: Renderer, ref: str, frame: int) -> Array:
    """What is written for a frame: the picture, or a matte as one channel."""
    p = renderer.product(ref, frame)
    if p.picture is not None:
        return p.picture
    if p.matte is not None:
        return p.matte
    raise UserError("This step gives readings only, so there is no picture to deliver; choose another.")


def _write(path: Path, picture: Array, fmt: Format | None, ready: Callable[[Path], None]) -> None:
    if fmt is not None:
        write_still(path, picture, kind=fmt.kind, ready=ready)
        return
    part = path.with_name(f".{path.name}.part")
    with open(part, "wb") as f:
        np.save(f, np.ascontiguousarray(picture, np.float32), allow_pickle=False)
    ready(part)
    part.replace(path)


def _movie(
    renderer: Renderer, ref: str, target: Path, fmt: Format, frames: range, progress: Progress, finished: _Finished
) -> Report:
    """Gather the frames, then encode them in one go, so that a resumed movie is the same file as an uninterrupted one."""
    kept_sound = sound_for(renderer, frames, movie=True)
    whole = _movie_key(renderer, ref, fmt, frames, kept_sound)
    if whole and finished.holds(target, whole):
        return Report(str(target), 0, len(frames), {}, kept_sound.words)
    gather = target.with_name(f".{_plain(target.name)}.frames")
    with writing(gather):
        gather.mkdir(exist_ok=True)
    gathered = _Finished(gather / "finished.json", finished.resume)
    with writing(target.parent):
        made, kept, failed = _frames(renderer, ref, frames, progress, gathered, lambda n: gather / f"{n:06d}.npy", None)
    shape = next((_load(gather, n).shape for n in frames if n not in failed), None)
    if shape is None:
        shutil.rmtree(gather, ignore_errors=True)
        raise UserError(f"No frame of the shot can be made: {next(iter(failed.values()))}")
    writer = MovieWriter(target, fmt.kind, shape[1], shape[0], renderer.shot.fps, kept_sound.sound)
    try:
        for n in frames:
            if progress.cancelled:
                progress.at(0, 1)
            # a frame that cannot be made is black, so that sound and length stay right; the report names it
            writer.write(np.zeros((*shape[:2], 3), np.float32) if n in failed else _as_rgb(_load(gather, n)))
        writer.finish(partial(finished.add, target, "" if failed else whole))
    except BaseException:
        writer.abandon()
        raise
    shutil.rmtree(gather, ignore_errors=True)
    return Report(str(target), made, kept, failed, kept_sound.words)


def _movie_key(renderer: Renderer, ref: str, fmt: Format, frames: range, sound: Kept) -> str:
    """What a whole movie is made from; '' if a frame cannot be made."""
    try:
        return digest(fmt.kind, str(renderer.shot.fps), [renderer.key(ref, n) for n in frames], str(sound.sound))
    except UserError:
        return ""


def _load(folder: Path, n: int) -> Array:
    return np.asarray(np.load(folder / f"{n:06d}.npy", allow_pickle=False))


def _as_rgb(picture: Array) -> Array:
    return np.repeat(picture[..., None], 3, axis=2) if picture.ndim == 2 else picture
