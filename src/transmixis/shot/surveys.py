"""Surveys of plates and of what steps make of them: scanned frame by frame, kept on disk, judged when all frames are there."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Protocol, overload

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.camera import Anchor, anchor_of
from transmixis.core.progress import Progress
from transmixis.core.survey.plate import PlateSurvey, survey_plate
from transmixis.core.survey.scan import Prepared, Scan, absent, prepare, scan_frame
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Product
from transmixis.shot.digests import digest
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.stored import AnalysisStore, always, arrays_bytes, read_arrays

SCAN_VERSION = 6
PREPARED = 6  # frames held ready: the ones before and after the playhead are scanned in turn
HELD = 1000  # scans held in memory (70 MB); the others are read again, so that a long plate takes no more than a short one
SURVEYS = 12  # surveys held in memory


class Frames(Protocol):
    """What a survey asks of a renderer."""

    @property
    def shot(self) -> Shot: ...
    @property
    def material(self) -> Material: ...
    def key(self, ref: str, frame: int) -> str: ...
    def whole_key(self, ref: str) -> str: ...
    def product(self, ref: str, frame: int) -> Product: ...


class ScanStore(AnalysisStore):
    """Scans on disk. They can be made again, so a write is not waited for; a broken file is made anew."""

    def __init__(self, folder: Path | None, may_write: Callable[[], bool] = always) -> None:
        # without a production's folder they lie in one of their own for as long as this lives
        if folder is None:
            folder = Path(tempfile.mkdtemp(prefix="transmixis-"))
            weakref.finalize(self, shutil.rmtree, folder, ignore_errors=True)
        super().__init__(folder, may_write)
        self._used: OrderedDict[str, None] = OrderedDict()

    def get_or_make(self, key: str, make: Callable[[], Analysis]) -> Analysis:
        found = super().get_or_make(key, make)
        with self._guard:
            self._used[key] = None
            self._used.move_to_end(key)
            while len(self._used) > HELD:
                old, _ = self._used.popitem(last=False)
                path = self._path(old)
                if path is not None and path.exists():  # what could not be written stays in memory
                    self._held.drop(old)
        return found

    def _store(self, key: str, scan: Scan) -> Scan:  # type: ignore[override]
        path = self._path(key)
        if path and self._may_write():
            part = path.with_name(f".{path.name}.{os.getpid()}.part")
            with contextlib.suppress(OSError):
                path.parent.parent.mkdir(exist_ok=True)
                path.parent.mkdir(exist_ok=True)
                part.write_bytes(arrays_bytes(scan, key))
                os.replace(part, path)
        return scan

    def _load(self, key: str) -> Scan | None:
        path = self._path(key)
        return dict(read_arrays(path, key) or {}) or None if path else None


class _Scans(Sequence[Scan]):
    """The scans of frames 1..n in order, each fetched when it is asked for."""

    def __init__(self, surveys: Surveys, r: Frames, ref: str, n: int) -> None:
        # the keys once: each looks at files, and every scan is asked for many times
        self._keys = [surveys._key(r, ref, k) for k in range(1, n + 1)]
        self._make: Callable[[int], Scan] = lambda k: surveys._scan_now(r, ref, k)
        self._store, self._n = surveys.scans, n

    def __len__(self) -> int:
        return self._n

    @overload
    def __getitem__(self, i: int) -> Scan: ...
    @overload
    def __getitem__(self, i: slice) -> Sequence[Scan]: ...
    def __getitem__(self, i: int | slice) -> Scan | Sequence[Scan]:
        if isinstance(i, slice):
            return [self[k] for k in range(*i.indices(self._n))]
        if not -self._n <= i < self._n:
            raise IndexError(i)
        k = int(i) % self._n
        return self._store.get_or_make(self._keys[k], lambda: self._make(k + 1))  # type: ignore[return-value]


class Surveys:
    """Shared by all renderers of a session."""

    def __init__(self, folder: Path | None, may_write: Callable[[], bool] = always) -> None:
        self.scans = ScanStore(folder / "scans" if folder else None, may_write)
        self._ready: OrderedDict[str, Prepared] = OrderedDict()
        self._anchors: dict[str, Anchor] = {}
        self._done: OrderedDict[str, PlateSurvey] = OrderedDict()
        self._lock = threading.RLock()

    def frames(self, r: Frames, ref: str) -> int:
        """How many of the shot's frames the plate has; all of them for a step."""
        what, _, name = ref.partition(":")
        if what != "plate":
            return r.shot.length
        plate = r.shot.plate(name)
        count = r.material.source(plate).info.count
        return 1 if count == 1 else max(0, min(r.shot.length, count - plate.offset))

    def scan(self, r: Frames, ref: str, frame: int) -> Scan:
        """The scan of a frame; made now if it is not there. A frame that cannot be read gives one that says so."""
        return self.scans.get_or_make(self._key(r, ref, frame), lambda: self._scan_now(r, ref, frame))  # type: ignore[return-value]

    def missing_scans(self, r: Frames, ref: str) -> list[int]:
        """Frames that are not scanned yet."""
        return [n for n in range(1, self.frames(r, ref) + 1) if not self.scans.has(self._key(r, ref, n))]

    def if_complete(self, r: Frames, ref: str, progress: Progress | None = None) -> PlateSurvey | None:
        """The survey, if every frame has been scanned."""
        key = r.whole_key(ref)
        with self._lock:
            if key in self._done:
                return self._done[key]
            if self.missing_scans(r, ref):
                return None
            made = self._judge(r, ref, progress or Progress())
            self._done[key] = made
            while len(self._done) > SURVEYS:
                self._done.popitem(last=False)
            return made

    def whole(self, r: Frames, ref: str, progress: Progress | None = None) -> PlateSurvey:
        """The survey; scans what is not scanned yet."""
        progress = progress or Progress()
        todo = self.missing_scans(r, ref)
        for i, n in enumerate(todo):
            progress.at(i, len(todo) + 1, f"looking at frame {n}")
            self.scan(r, ref, n)
        made = self.if_complete(r, ref, progress)
        if made is None:
            raise UserError("The material changed while it was surveyed; measure it again.")
        return made

    def _judge(self, r: Frames, ref: str, progress: Progress) -> PlateSurvey:
        n = self.frames(r, ref)
        if n == 0:
            raise UserError("The plate has no frame within the shot's range; check its offset.")
        return survey_plate(_Scans(self, r, ref, n), float(r.shot.fps), lambda k: _picture(r, ref, k), progress)

    def _key(self, r: Frames, ref: str, frame: int) -> str:
        first = self._reference(r, ref)
        parts = [_key_or_gap(r, ref, n) for n in (frame, frame - 1, first) if n >= 1]
        return digest("scan", SCAN_VERSION, parts, frame == first)

    def _reference(self, r: Frames, ref: str) -> int:
        """The first frame that has a file."""
        for n in range(1, self.frames(r, ref) + 1):
            if not _key_or_gap(r, ref, n).startswith("gap"):
                return n
        return 1

    def _scan_now(self, r: Frames, ref: str, frame: int) -> Scan:
        try:
            here = self._prepared(r, ref, frame)
        except UserError as e:
            return absent(str(e))
        before: Prepared | None = None
        with contextlib.suppress(UserError):
            before = self._prepared(r, ref, frame - 1) if frame > 1 else None
        if before is not None and before.luma.shape != here.luma.shape:
            before = None
        first = self._reference(r, ref)
        return scan_frame(here, before, None if frame == first else self._anchor(r, ref, first))

    def _anchor(self, r: Frames, ref: str, frame: int) -> Anchor | None:
        key = r.key(ref, frame)
        if key not in self._anchors:
            try:
                ready = self._prepared(r, ref, frame)
                self._anchors[key] = replace(anchor_of(ready.grey), backdrop=ready.backdrop)
            except UserError:
                return None
        return self._anchors[key]

    def _prepared(self, r: Frames, ref: str, frame: int) -> Prepared:
        key = r.key(ref, frame)
        with self._lock:
            if key in self._ready:
                self._ready.move_to_end(key)
                return self._ready[key]
        made = prepare(_picture(r, ref, frame))
        with self._lock:
            self._ready[key] = made
            while len(self._ready) > PREPARED:
                self._ready.popitem(last=False)
        return made


def _picture(r: Frames, ref: str, frame: int) -> Array:
    picture = r.product(ref, frame).picture
    if picture is None:
        raise UserError("What is surveyed gives no picture; connect another.")
    return np.ascontiguousarray(picture[..., :3])


def _key_or_gap(r: Frames, ref: str, frame: int) -> str:
    try:
        return r.key(ref, frame)
    except UserError as e:
        return f"gap {e}"
