"""An open production with everything needed to render it: the document, its material, cache and stores."""

from __future__ import annotations

from pathlib import Path

from transmixis.media.cache import FrameCache
from transmixis.shot.digests import KeptKeys
from transmixis.shot.document import Document
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.products import DEFAULT_CACHE, Products
from transmixis.shot.render import Renderer
from transmixis.shot.small import SmallProducts
from transmixis.shot.stored import AnalysisStore, ReadingStore
from transmixis.shot.surveys import Surveys


class Session:
    """Holds the document and makes renderers that share one cache and one store."""

    def __init__(self, document: Document, cache_bytes: int = DEFAULT_CACHE) -> None:
        self.document = document
        self.material = Material(document.folder)
        self.cache = FrameCache(cache_bytes)
        keep = None if document.read_only else document.folder / "analysis"
        may_write = document.may_write
        self.analyses = AnalysisStore(keep, may_write)
        self.readings = ReadingStore(keep / "readings.jsonl" if keep else None, may_write)
        self.surveys = Surveys(keep, may_write)
        self.kept_keys = KeptKeys()
        self._renderers: dict[str, Renderer] = {}
        self._trial: Renderer | None = None
        self._small: SmallProducts | None = None

    @staticmethod
    def open(folder: Path, cache_bytes: int = DEFAULT_CACHE, *, read_only: bool = False) -> Session:
        document = Document.open(folder, read_only=read_only)
        try:
            return Session(document, cache_bytes)
        except BaseException:
            document.close()  # or the lock would be kept by nobody
            raise

    def renderer(self, code: str) -> Renderer:
        """A renderer for the shot as it is now; the same one as long as the shot does not change."""
        return self.renderer_for(self.document.shot(code))

    def renderer_for(self, shot: Shot) -> Renderer:
        held = self._renderers.get(shot.code)
        if held is None or held.shot is not shot:
            held = Renderer(shot, self.material, self.cache, self.analyses, self.readings, self.surveys, self.kept_keys)
            self._renderers[shot.code] = held
        return held

    def renderer_of_trial(self, shot: Shot) -> Renderer:
        """A renderer for a state of a shot that is tried out; the one of the shot as it is stays."""
        if self._trial is None or self._trial.shot is not shot:
            self._trial = Renderer(shot, self.material, self.cache, self.analyses, self.readings, self.surveys, self.kept_keys)
        return self._trial

    def small(self, renderer: Renderer, by: int) -> Products:
        """What the same state gives at 1 / `by` of its size, for looking."""
        if by == 1:
            return renderer
        if self._small is None or self._small.full is not renderer or self._small.by != by:
            self._small = SmallProducts(renderer, by)
        return self._small

    def refresh(self) -> None:
        """Look at the files anew, after they were changed outside."""
        self.material.forget()
        self.analyses.try_again()
        self._renderers.clear()

    def close(self) -> None:
        self.material.forget()
        self.cache.clear()
        self.document.close()
