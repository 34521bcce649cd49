"""Work on a whole plate without keeping the viewer waiting: every frame is a request of its own, the judgement the last."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from transmixis.desk.engine import MEASURE, Engine
from transmixis.shot.render import Renderer


def when_scanned(
    engine: Engine, renderer: Renderer, refs: tuple[str, ...], work: Callable[[], Any], done: Callable[[Any], None],
    failed: Callable[[str], None], tag: str, told: Callable[[int, int], None] = lambda at, total: None,
) -> None:  # fmt: skip
    """Scan what is not scanned yet of `refs`, telling how far it is, then do `work` and hand its result to `done`."""

    def scan(todo: list[tuple[str, int]]) -> None:
        for i, (ref, n) in enumerate(todo, 1):
            engine.ask(MEASURE, partial(_scan, renderer, ref, n), partial(_told, told, i, len(todo)), tag=tag)
        engine.ask(MEASURE, work, done, failed, tag=tag)

    engine.ask(MEASURE, partial(_missing, renderer, refs), scan, failed, tag=tag)


def _missing(renderer: Renderer, refs: tuple[str, ...]) -> list[tuple[str, int]]:
    return [(ref, n) for ref in refs for n in renderer.surveys.missing_scans(renderer, ref)]


def _scan(renderer: Renderer, ref: str, frame: int) -> None:
    renderer.surveys.scan(renderer, ref, frame)


def _told(told: Callable[[int, int], None], at: int, total: int, _: Any) -> None:
    told(at, total)
