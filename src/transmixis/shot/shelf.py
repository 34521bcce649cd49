"""The shelf: stock elements of the production, measured when they are put there, found by words and by measure."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.survey.element import Card, card_of
from transmixis.core.survey.scan import prepare, scan_frame
from transmixis.core.types import Array
from transmixis.media.source import DEFAULT_RATE, Source, open_source
from transmixis.shot.model import Element, Film, Shelf, Shot
from transmixis.shot.store import real_path, stored_path
from transmixis.shot.workorder import plate_from, unique_id

MOST_FRAMES = 2000
STRIP = 220  # px across of the pictures that play on the shelf


def measure_element(folder: Path, path: Path, taken: set[str], words: tuple[str, ...], progress: Progress) -> Element:
    """Open and measure an element. Raises UserError if it cannot be opened or nothing happens in it."""
    source = open_source(path)
    info = source.info
    if info.count > MOST_FRAMES:
        raise UserError(f"'{path.name}' has {info.count} frames, more than an element should ({MOST_FRAMES}); cut it first.")
    thumbs, alphas, details, noises = _looked_at(source, progress)
    if not thumbs:
        raise UserError(f"No frame of '{path.name}' can be read; copy it again.")
    rate = info.rate or DEFAULT_RATE
    card = card_of(thumbs, alphas, float(rate))
    if card is None:
        raise UserError(f"Nothing happens in '{path.name}': all its frames are one plain ground. Choose another file.")
    name = Path(info.path).stem.rstrip(".0123456789_-") or Path(info.path).stem
    return Element(
        id=unique_id(_plain(name), taken), path=stored_path(folder, Path(info.path)), name=name, words=words,
        width=info.width, height=info.height, count=info.count, rate=str(rate), **_card_fields(card),
        detail=float(np.median(details)), noise=float(np.median(noises)),
    )  # fmt: skip


def _looked_at(source: Source, progress: Progress) -> tuple[list[Array], list[Array] | None, list[float], list[float]]:
    thumbs, alphas, details, noises = [], [], [], []
    for n in range(1, source.info.count + 1):
        progress.at(n - 1, source.info.count, f"looking at frame {n}")
        try:
            frame = source.read(n)
            scan = scan_frame(prepare(frame), None, None)
        except UserError:
            continue
        thumbs.append(np.asarray(scan["thumb"], np.float32))
        details.append(float(scan["levels"][3]))
        noises.append(float(scan["levels"][2]))
        if frame.shape[2] == 4:
            h, w = scan["thumb"].shape[:2]
            alphas.append(np.asarray(cv2.resize(np.ascontiguousarray(frame[..., 3]), (w, h), interpolation=cv2.INTER_AREA)))
    return thumbs, alphas if len(alphas) == len(thumbs) and alphas else None, details, noises


def _card_fields(c: Card) -> dict[str, Any]:
    return {**asdict(c), "seam": c.seam if np.isfinite(c.seam) else None}  # JSON knows no infinity


def _plain(name: str) -> str:
    return "".join(c if c.isalnum() or c in "-_" else "_" for c in name.lower())[:32] or "element"


def with_element(film: Film, element: Element) -> Film:
    """The film with an element put on its shelf; one of the same file is replaced."""
    rest = tuple(e for e in film.shelf.elements if e.path != element.path)
    return film.model_copy(update={"shelf": Shelf(elements=(*rest, element))})


def with_element_plate(folder: Path, shot: Shot, e: Element) -> Shot:
    """The shot with an element of the shelf as one more plate. Raises UserError if it cannot be opened."""
    plate, _ = plate_from(folder, real_path(folder, e.path), shot, "element")
    plate = plate.model_copy(update={"name": e.name, "space": e.space})
    return shot.model_copy(update={"plates": (*shot.plates, plate)})


def without_element(film: Film, element_id: str) -> Film:
    """The film without an element; its file is left alone."""
    return film.model_copy(update={"shelf": Shelf(elements=tuple(e for e in film.shelf.elements if e.id != element_id))})


def facts_of(e: Element) -> str:
    """The card in a line."""
    seconds = e.count / max(float(_rate(e)), 1e-6)
    loop = "loops" if e.loops else "does not loop"
    ground = {"alpha": "own alpha", "black": "on black", "white": "on white"}.get(e.ground, "with its picture")
    moves = e.direction if e.speed == 0 else f"{e.direction}, {e.speed:.2f} widths a second"
    return (
        f"{e.width} x {e.height}, {e.count} frames, {seconds:.1f} s, {ground}, {e.hue}, {moves}, "
        f"action {e.first}–{e.last}, peak {e.peak}, {loop}"
    )


def _rate(e: Element) -> float:
    a, _, b = e.rate.partition("/")
    return float(a) / float(b or 1)


def find(elements: tuple[Element, ...], text: str) -> list[Element]:
    """Elements that all words fit: names, own words, and measures such as black, alpha, up, orange, loops, >2s, <48f, 1080."""
    out = []
    for e in elements:
        has = f"{e.name} {' '.join(e.words)} {facts_of(e)}".lower()
        if all(_fits(e, w, has) for w in text.lower().split()):
            out.append(e)
    return out


def _fits(e: Element, word: str, has: str) -> bool:
    if len(word) > 2 and word[0] in "<>" and word[-1] in "sf":
        try:
            limit = float(word[1:-1])
        except ValueError:
            return word in has
        length = e.count / _rate(e) if word[-1] == "s" else float(e.count)
        return length < limit if word[0] == "<" else length > limit
    if word == "loops":
        return e.loops
    return word in has


def thumbnails(folder: Path, e: Element, most: int = 24) -> list[Array]:
    """Small linear pictures over its action, for a strip that plays."""
    source = open_source(real_path(folder, e.path))
    step = max(1, (e.last - e.first + 1) // most)
    out = []
    for n in range(e.first, e.last + 1, step):
        try:
            frame = source.read(n)[..., :3]
        except UserError:
            continue
        h, w = frame.shape[:2]
        out.append(np.asarray(cv2.resize(frame, (STRIP, max(2, round(STRIP * h / w))), interpolation=cv2.INTER_AREA)))
    source.close()
    return out
