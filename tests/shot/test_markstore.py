"""Followed marks go into an analysis and come back the same."""

from __future__ import annotations

import numpy as np

from transmixis.core.repair.marklinks import Path
from transmixis.core.repair.marks import Found
from transmixis.core.repair.sweep import Source
from transmixis.shot.steps.markstore import kept, marks_of


def test_marks_come_back_as_they_were() -> None:
    rng = np.random.default_rng(1)

    def found(x: int, y: int, w: int, h: int) -> Found:
        return Found((x + 0.25, y + 0.5), (x, y, x + w, y + h), rng.random(3), rng.random(3), rng.random((h, w)) > 0.4)

    paths = [
        Path({2: found(10, 20, 7, 5), 3: found(12, 20, 6, 5)}, rng.random(3), rng.random(3)),
        Path({1: found(50, 8, 9, 11)}, rng.random(3), rng.random(3)),
        Path({4: found(1, 1, 3, 3), 9: found(2, 2, 3, 4)}, rng.random(3), rng.random(3)),
    ]
    sources = [(Source(1, 5.5, -2.0), Source(9, -7.0, 0.0)), (), (Source(1, 1.0, 1.0),)]
    back = marks_of(kept(paths, sources))
    assert [s for _, s in back] == sources
    for (path, _), was in zip(back, paths, strict=True):
        np.testing.assert_array_equal(path.colour, was.colour)
        assert sorted(path.found) == sorted(was.found)
        for n, f in path.found.items():
            assert (f.at, f.box) == (was.found[n].at, was.found[n].box)
            np.testing.assert_array_equal(f.mask, was.found[n].mask)
            np.testing.assert_array_equal(f.surface, was.found[n].surface)
    assert marks_of(kept([], [])) == []
