"""What the commands that cut something out of a plate share: their files, checked before any work, and frame after frame of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.types import Array, Matte
from transmixis.media.files import make_folder, write_atomically
from transmixis.media.source import Source
from transmixis.media.still import write_still
from transmixis.shot.model import Shot
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import cleaned, dumps

READINGS = "readings.json"


@dataclass(frozen=True)
class Cut:
    """One frame: its matte, the premultiplied foreground (h, w, 4), the composite if there is a background, and its readings."""

    matte: Matte
    foreground: Array
    comp: Array | None
    readings: Sequence[Any]


@dataclass(frozen=True)
class Folder:
    """Where the frames of a plate's shot go: `out`, numbered as the plate is."""

    out: Path
    shot: Shot
    source: Source

    def prepare(self, inputs: Sequence[Path | None], *, comp: bool, overwrite: bool) -> None:
        """Make the folder. Raises UserError, before any work, if something would be written over."""
        kinds = ("matte", "foreground", *(("comp",) if comp else ()))
        outputs = [self._file(kind, n) for n in range(1, self.shot.length + 1) for kind in kinds] + [self.out / READINGS]
        refuse(outputs, inputs=[p for p in inputs if p], overwrite=overwrite)
        make_folder(self.out)

    def number(self, frame: int) -> int:
        return self.source.info.first_number + frame - 1

    def _file(self, kind: str, frame: int) -> Path:
        return self.out / f"{kind}.{self.number(frame):04d}.exr"

    def write(
        self,
        cut: Callable[[int], Cut],
        told: dict[str, Any],
        words: str,
        progress: Progress,
        frames: tuple[int, int] | None = None,
    ) -> dict[str, Any]:
        """All frames (or those from the first to the last of `frames`), and beside them readings.json: `told` with their readings. Broken frames
        are named and passed over; raises UserError if all are."""

        def each(n: int) -> Sequence[Any]:
            made = cut(n)
            write_still(self._file("matte", n), made.matte, kind="float")
            write_still(self._file("foreground", n), made.foreground, kind="float")
            if made.comp is not None:
                write_still(self._file("comp", n), made.comp, kind="half")
            return made.readings

        first, last = frames or (1, self.shot.length)
        numbers = {n: self.number(n) for n in range(first, last + 1)}
        return frame_by_frame(numbers, each, told, self.out, words, progress)


def frame_by_frame(
    numbers: Mapping[int, int],
    each: Callable[[int], Sequence[Any]],
    told: Mapping[str, Any],
    out: Path,
    words: str,
    progress: Progress,
) -> dict[str, Any]:
    """Make frames by `each`, which writes one and gives its readings, and write readings.json: `told` with the readings, by the `numbers` that the frames are
    written under. Broken frames are named and passed over; raises UserError if all are."""
    rows: list[dict[str, Any]] = []
    failed: dict[str, str] = {}
    for done, (n, number) in enumerate(numbers.items()):
        progress.at(done, len(numbers), f"{words} frame {n}")
        try:
            readings = each(n)
        except UserError as e:
            failed[str(number)] = str(e)
            continue
        rows.append({"frame": number, "readings": [reading_dict(r) for r in readings]})
    progress.at(1, 1, "done")
    if failed and not rows:
        raise UserError(next(iter(failed.values())))
    result = {**told, "frames": rows, "failed": failed, "worst": _worst(rows)}
    write_atomically(out / READINGS, dumps(cleaned(result)))
    return result


def told_plate(source: Source, shot: Shot) -> dict[str, Any]:
    """What is said of a plate in readings.json."""
    info = source.info
    return {"path": info.path, "width": shot.width, "height": shot.height, "frames": shot.length,
            "colour_space": info.space, "chroma_halved": info.chroma_halved, "notes": list(info.notes)}  # fmt: skip


def reading_dict(r: Any) -> dict[str, Any]:
    """A reading for machine-readable results."""
    out = {"name": r.name, "value": r.value, "unit": r.unit, "limit": r.limit, "ratio": r.ratio, "state": r.state}
    return {**out, "note": r.note} if r.note else out


def _worst(frames: list[dict[str, Any]]) -> dict[str, Any] | None:
    """The reading that is furthest over its limit, and where; None if nothing was read."""
    known = [(r["ratio"], f["frame"], r) for f in frames for r in f["readings"] if r["ratio"] is not None]
    if not known:
        return None
    ratio, frame, r = max(known, key=lambda t: t[0])
    return {"frame": frame, "name": r["name"], "value": r["value"], "unit": r["unit"], "limit": r["limit"], "ratio": ratio}
