"""Where things lie in the ledger: columns across, frames down."""

from __future__ import annotations

from itertools import pairwise

from transmixis.desk.ledger.columns import Column, columns_of
from transmixis.desk.state import State

FILM = 72
STAGES, BAND, HEADS = 22, 17, 110  # px: heights of the stages' names, of the parts' band where there are parts, and of the heads
NARROW = 64  # px: columns below this have smaller heads
LEAST, WIDEST = 54.0, 96.0  # px of a column; where more columns stand than fit, the ledger scrolls sideways
BAR = 12  # px: height of the bar that scrolls
LIMIT_AT = 0.70  # of a column's width
MOST_RATIO = 1.0 / LIMIT_AT - 0.06  # traces are cut at the column's border
ZOOMS = ("Whole shot", "Around", "Faults only")
AROUND = 12.0  # px a frame
BREAK = 8.0  # px for a sound stretch that is folded away
Placed = tuple[Column, float, float]  # a column, its left and its width


class Layout:
    """Of a ledger of `width` x `height` px that is scrolled by `scroll` px to the right."""

    def __init__(self, state: State) -> None:
        self.state = state
        self.width = self.height = 0
        self.scroll = 0
        self.zoom = ZOOMS[0]
        self._columns: tuple[object, list[Column]] = (None, [])

    # -- across

    def all_columns(self) -> list[Column]:
        """Every column of the shot; made once for each state of it."""
        shot = self.state.shot
        if self._columns[0] is not shot:
            self._columns = (shot, columns_of(shot) if shot else [])
        return self._columns[1]

    def columns(self) -> list[Placed]:
        """Each column with its left and width, those beyond the window too."""
        every = self.all_columns()
        if not every:
            return []
        width = max(LEAST, min(WIDEST, (self.width - FILM) / len(every)))
        left = FILM - (self.scroll if self.scrolls else 0)
        return [(c, left + i * width, width) for i, c in enumerate(every)]

    def shown(self) -> list[Placed]:
        """The columns that are to be seen, wholly or in part."""
        return [c for c in self.columns() if c[1] + c[2] > FILM and c[1] < self.width]

    @property
    def scrolls(self) -> bool:
        return len(self.all_columns()) * LEAST > self.width - FILM

    @property
    def beyond(self) -> int:
        """How far the columns reach beyond the window, px."""
        return max(0, round(len(self.all_columns()) * LEAST - (self.width - FILM)))

    def column_at(self, x: float) -> Column | None:
        return next((c for c, left, width in self.shown() if left <= x < left + width and x >= FILM), None)

    # -- down

    @property
    def band(self) -> float:
        """Height of the band that names the parts; 0 where there are none."""
        shot = self.state.shot
        return BAND if shot and shot.parts else 0

    @property
    def head(self) -> float:
        """The y at which the heads end."""
        return STAGES + self.band + HEADS

    def body(self) -> tuple[float, float]:
        """Top and bottom of the traces."""
        return self.head + 4, float(self.height - (BAR if self.scrolls else 0))

    def rows(self) -> list[tuple[int, float]]:
        """Frames on show with the y of their middle, top to bottom."""
        shot = self.state.shot
        if not shot:
            return []
        top, bottom = self.body()
        room = bottom - top
        if self.zoom == "Around":
            first = top + room / 3 - self.state.frame * AROUND
            return [
                (n, first + n * AROUND) for n in range(1, shot.length + 1) if top - AROUND < first + n * AROUND < bottom + AROUND
            ]
        if self.zoom == "Faults only":
            return self._fault_rows(shot.length, top, room)
        step = room / shot.length
        return [(n, top + (n - 0.5) * step) for n in range(1, shot.length + 1)]

    def _fault_rows(self, length: int, top: float, room: float) -> list[tuple[int, float]]:
        wanted: set[int] = set()
        for f in self.state.known.findings():
            wanted.update(range(max(1, f.first - 3), min(length, f.last + 3) + 1))
        if not wanted:
            return [(n, top + (n - 0.5) * room / length) for n in range(1, length + 1)]
        frames = sorted(wanted)
        breaks = sum(1 for a, b in pairwise(frames) if b > a + 1)
        step = min(AROUND * 1.5, (room - breaks * BREAK) / len(frames))
        rows, y, before = [], top + step / 2, 0
        for n in frames:
            if before and n > before + 1:
                y += BREAK
            rows.append((n, y))
            y += step
            before = n
        return rows

    def row_height(self) -> float:
        gaps = [b[1] - a[1] for a, b in pairwise(self.rows())]
        return min(gaps) if gaps else 12.0

    def y_of(self, frame: int) -> float | None:
        return next((y for n, y in self.rows() if n == frame), None)

    def frame_at(self, y: float) -> int:
        rows = self.rows()
        return min(rows, key=lambda r: abs(r[1] - y))[0] if rows else 1
