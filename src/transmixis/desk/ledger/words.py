"""What the ledger says of a place, and figures made to fit."""

from __future__ import annotations

from transmixis.desk.ledger.columns import Column, worst_of
from transmixis.desk.readingwords import reading_words
from transmixis.desk.state import State
from transmixis.desk.theme import text_width
from transmixis.shot.steps import kind_of


def fitting(ways: tuple[str, ...], room: float, sizes: tuple[int, ...] = (12, 11, 10, 9)) -> tuple[str, int]:
    """The first of several ways to say a figure that fits, and its size; a smaller size before fewer words."""
    return next(((w, px) for w in ways for px in sizes if text_width(w, px, 600) <= room), (ways[-1], sizes[-1]))


def on_lines(parts: tuple[str, str], room: float) -> list[str]:
    """Two parts on one line where they fit, else on two."""
    whole = f"{parts[0]}{'' if parts[1] == '°' else ' '}{parts[1]}".strip()
    if text_width(whole, 10, 400) <= room:
        return [whole]
    short = parts[0].replace("at most ", "≤ ").replace("at least ", "≥ ")
    whole = f"{short} {parts[1]}"
    return [whole] if text_width(whole, 10, 400) <= room else [w for w in (short, parts[1]) if w]


def words_at(state: State, column: Column | None, frame: int) -> str:
    """All readings of a column's steps at a frame, as plain lines."""
    lines = [f"Frame {frame}"]
    for step in column.steps if column else ():
        readings = state.known.readings.get(step.id, {}).get(frame)
        own = f"{step.name}: " if column and column.folded else ""
        if readings is None:
            lines.append(f"{own}not measured yet" if step.on else f"{own}switched off")
            continue
        lines += [own + reading_words(r) + (f" ({r.note})" if r.note else "") for r in readings]
    return "\n".join(lines)


def words_of_head(state: State, column: Column) -> str:
    """What a column's steps do, and the worst reading of all frames."""
    words = "\n".join(f"{s.name}: {kind_of(s.kind).says}" for s in column.steps)
    found = worst_of(state, column)
    if found:
        step, n, r = found
        whose = f" ({step.name})" if column.folded else ""
        words += f"\nworst of all frames: {reading_words(r)}, at frame {n}{whose}"
    return words
