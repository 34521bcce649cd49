"""The plates of a production, opened once and shared; where a shot's frame lies in a plate."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.media.source import Source, open_source
from transmixis.shot.model import Plate
from transmixis.shot.store import real_path


class Material:
    """Opens each plate's material once. Thread-safe."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._open: dict[tuple[str, str | None, bool | None, int | None], Source] = {}
        self._lock = threading.Lock()

    def source(self, plate: Plate) -> Source:
        """The plate's material, read as the plate says. Raises UserError."""
        key = (plate.path, plate.space, plate.chroma_halved, plate.turn)
        with self._lock:
            if key not in self._open:
                source = open_source(real_path(self.folder, plate.path))
                self._open[key] = source.with_settings(space=plate.space, chroma_halved=plate.chroma_halved, turn=plate.turn)
            return self._open[key]

    def path_of(self, plate: Plate) -> Path:
        """Where a plate's material lies."""
        return real_path(self.folder, plate.path)

    def is_open(self, plate: Plate) -> bool:
        """True if `source` would answer at once."""
        return (plate.path, plate.space, plate.chroma_halved, plate.turn) in self._open

    def pixel_aspect(self, plate: Plate) -> float:
        """Width over height of the plate's pixels: as set, else as the file says, else 1."""
        if plate.pixel_aspect is not None:
            return plate.pixel_aspect
        return self.source(plate).info.pixel_aspect if self.is_open(plate) else 1.0

    def frame_in(self, plate: Plate, frame: int) -> int:
        """The plate's frame (1..count) for a shot's frame. A single frame stands for all; others end with a UserError."""
        info = self.source(plate).info
        if info.count == 1:
            return 1
        n = frame + plate.offset
        if not 1 <= n <= info.count:
            raise UserError(f"Plate '{plate.name or plate.id}' has no frame for frame {frame} of the shot: it has {info.count}.")
        return n

    def stamp(self, plate: Plate, frame: int) -> str:
        """A text that changes whenever the frame's file does; 'missing' if it is not there."""
        return self._stamped(self.source(plate), self.frame_in(plate, frame), {})

    def stamps(self, plate: Plate, frames: Iterable[int]) -> list[str | UserError]:
        """The same for several frames, each file looked at once; the trouble where there is one."""
        looked: dict[Path, str] = {}
        out: list[str | UserError] = []
        for n in frames:
            try:
                out.append(self._stamped(self.source(plate), self.frame_in(plate, n), looked))
            except UserError as e:
                out.append(e)
        return out

    def stamp_all(self, plate: Plate) -> str:
        """A text that changes whenever any file of the plate does."""
        source = self.source(plate)
        if source.info.kind == "movie" or source.info.count == 1:
            return self._stamped(source, 1, {})
        looked: dict[Path, str] = {}
        return ";".join(self._stamped(source, n, looked) for n in range(1, source.info.count + 1))

    @staticmethod
    def _stamped(source: Source, n: int, looked: dict[Path, str]) -> str:
        try:
            path = source.file_of(n)
            if path not in looked:
                st = path.stat()
                looked[path] = f"{st.st_mtime_ns}:{st.st_size}"
        except (OSError, UserError):
            return f"missing:{n}"
        return f"{path.name}:{n}:{looked[path]}:{source.info.space}:{source.info.chroma_halved}:{source.info.turn}"

    def forget(self) -> None:
        """Close everything; the next use opens anew, so changed folders are seen."""
        with self._lock:
            for s in self._open.values():
                s.close()
            self._open.clear()
