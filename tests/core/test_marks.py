"""Markers found, followed and covered, on made takes with the truth beneath: all of them, none besides; what passes in front stays; the same source on every frame."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from keyplates import srgb_encode
from marktakes import MarkTake, cloth_take, face_take

from transmixis.core.repair.marklinks import GAP, Path, cover_of, gone_on, linked
from transmixis.core.repair.marks import Found, Seen, alike, find_marks, seen
from transmixis.core.repair.sweep import Source, barred, covered, free, left_over, source_at, sources

Array = np.ndarray
TAKES = {"cloth": (cloth_take, 30.0), "face": (face_take, 14.0)}


def code(x: Array) -> Array:
    return np.asarray(np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1) * 255, np.float64)


@cache
def followed(name: str) -> tuple[MarkTake, list[Seen], list[Path], list[tuple[Source, ...]]]:
    make, largest = TAKES[name]
    take = make()
    looks = [seen(p, largest) for p in take.plate]
    found = {n: find_marks(s, largest) for n, s in enumerate(looks, 1)}
    every = [(n, f) for n, row in found.items() for f in row]
    kinds = alike([f for _, f in every])
    by_frame: dict[int, list[Found]] = {n: [] for n in found}
    for (n, f), ok in zip(every, kinds, strict=True):
        if ok:
            by_frame[n].append(f)
    paths = [gone_on(p, lambda n: looks[n - 1], found) for p in linked(by_frame)]
    bars = {n: (s, barred(s)) for n, s in enumerate(looks, 1)}
    return take, looks, paths, [sources(p, bars, range(1, len(looks) + 1)) for p in paths]


def swept(name: str, n: int, plate: Array | None = None) -> Array:
    """The frame with all marks covered; of another plate as if the marks lay there."""
    take, looks, paths, own = followed(name)
    out = np.array(take.plate[n - 1] if plate is None else plate)
    look = looks[n - 1]
    for k, (path, source) in enumerate(zip(paths, own, strict=True)):
        cover = cover_of(look, path, n)
        if cover is not None and cover.max() > 0.5:
            made, _ = covered(out, look, barred(look), cover, source, n, 100 * n + k)
            assert made is not None
            out = made.picture
    return out


@pytest.mark.parametrize("name", list(TAKES))
def test_all_are_found_and_none_besides(name: str) -> None:
    take, _, paths, _ = followed(name)
    assert len(paths) == take.count
    for p in paths:
        n = sorted(p.found)[len(p.found) // 2]
        off = np.linalg.norm(take.at[n - 1] - np.array(p.found[n].at), axis=1)
        assert off.min() < 3.0  # px; half hidden its middle is told less well
    assert (
        len(
            {int(np.argmin(np.linalg.norm(take.at[8] - np.array(p.box_at(9)).reshape(2, 2).mean(axis=0), axis=1))) for p in paths}
        )
        == take.count
    )


@pytest.mark.parametrize("name", list(TAKES))
def test_nothing_of_a_mark_is_left(name: str) -> None:
    """Against the truth beneath at most two levels in the mean of each mark, beyond what covering the bare surface itself is off."""
    take, *_ = followed(name)
    worst = []
    for n in (2, 5, 9, 14):
        made, bare = swept(name, n), swept(name, n, take.truth[n - 1].astype(np.float32))
        near_front = cv2.dilate((take.front[n - 1] > 0.01).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        for x, y in take.at[n - 1]:
            r = 4 if name == "face" else 9
            box = (slice(max(0, int(y) - r), int(y) + r + 1), slice(max(0, int(x) - r), int(x) + r + 1))
            where = (take.marks[n - 1][box] > 0.3) & ~near_front[box]
            if where.sum() > 20:
                worst.append(float(np.abs((code(made) - code(bare))[box][where].mean(axis=0)).max()))
    assert max(worst) < 2.0
    assert len(worst) > 3 * take.count


@pytest.mark.parametrize("name", list(TAKES))
def test_all_else_stays_to_the_bit(name: str) -> None:
    take, *_ = followed(name)
    for n in (4, 12):
        made = swept(name, n)
        near = cv2.dilate((take.marks[n - 1] > 0.01).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
        np.testing.assert_array_equal(made[~near], take.plate[n - 1][~near])


def test_what_passes_in_front_stays() -> None:
    take, *_ = followed("cloth")
    hit = 0
    for n in range(1, 17):
        arm = cv2.erode((take.front[n - 1] > 0.99).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        np.testing.assert_array_equal(swept("cloth", n)[arm], take.plate[n - 1][arm])
        hit += int((take.marks[n - 1].max() > 0) and arm.any())
    assert hit == 16


def test_the_source_stays_the_same_until_it_runs_into_something() -> None:
    _, looks, paths, own = followed("cloth")
    assert max(len(s) for s in own) <= 2
    assert sum(len(s) == 1 for s in own) >= 4
    for p, s in zip(paths, own, strict=True):
        assert s[0].since == 1
        for x in s:
            assert np.hypot(x.right, x.down) > p.size  # it shows nothing of itself
    assert looks


def test_a_source_goes_over_into_another() -> None:
    path = (Source(1, 10, 0), Source(20, 0, 10))
    assert source_at(path, 5) == [(path[0], 1.0)]
    assert source_at(path, 30) == [(path[1], 1.0)]
    shares = [{s.since: w for s, w in source_at(path, n)}.get(20, 0.0) for n in (17, 18, 19, 20)]
    assert shares == pytest.approx([0, 1 / 3, 2 / 3, 1])


def test_where_no_neighbour_is_free_the_light_alone_serves() -> None:
    take, looks, paths, _ = followed("cloth")
    look, path = looks[4], paths[2]
    cover = cover_of(look, path, 5)
    assert cover is not None
    bars = barred(look)
    everywhere = np.ones_like(bars)
    s = Source(1, 30.0, 0.0)
    assert not free(look, everywhere, cover, s)
    made, words = covered(take.plate[4], look, bars, cover, (), 5, 1)
    assert made is not None
    assert words == "by the light about it alone"
    core = cover > 0.9
    assert np.abs((code(made.picture) - code(take.truth[4]))[core].mean(axis=0)).max() < 3
    beside, told = covered(take.plate[4], look, bars, cover, (s,), 5, 1)
    assert told == "from +30, +0 px"
    assert beside is not None


def test_what_is_left_is_read_in_levels() -> None:
    take, looks, paths, _ = followed("cloth")
    path = paths[2]
    cover = cover_of(looks[4], path, 5)
    assert cover is not None
    assert left_over(looks[4], cover, path) > 40
    assert left_over(seen(swept("cloth", 5), 30), cover, path) < 2
    faint = take.truth[4] * (1 + 0.25 * take.marks[4][..., None])
    assert 3 < left_over(seen(faint.astype(np.float32), 30), cover, path) < 20
    assert np.isnan(left_over(looks[4], np.zeros_like(cover), path))


def test_of_several_kinds_the_most_or_the_one_named() -> None:
    mask = np.ones((3, 3), bool)

    def mark(colour: tuple[float, ...], surface: tuple[float, ...]) -> Found:
        return Found((0, 0), (0, 0, 3, 3), np.array(colour, float), np.array(surface, float), mask)

    white, red = mark((80, 25, 70), (36, 117, 48)), mark((150, -60, -10), (36, 117, 48))
    other = mark((80, 25, 70), (180, 40, 30))  # the like on a coat
    found = [white, white, white, red, red, other]
    assert alike(found).tolist() == [True, True, True, False, False, False]
    assert alike(found, np.array([186, 57, 38])).tolist() == [False, False, False, True, True, False]
    assert alike([]).tolist() == []


def test_paths_come_of_what_lasts() -> None:
    mask = np.ones((6, 6), bool)

    def at(x: float, size: int = 6) -> Found:
        return Found((x, 50.0), (int(x) - size // 2, 47, int(x) + size // 2, 53), np.ones(3) * 50, np.ones(3) * 90, mask)

    frames = {n: [at(20 + 3 * n)] for n in range(1, 31)}
    for n in range(12, 12 + GAP - 1):
        frames[n] = []  # hidden for a while
    frames[4].append(at(200))  # a flash
    frames[5].append(at(203))
    for n in range(1, 31, 3):
        frames[n].append(at(300))  # comes and goes
    for n in range(1, 31):
        frames[n].append(at(250, 4 + 12 * (n % 2)))  # of no steady size
    (path,) = linked(frames)
    assert path.first == 1
    assert path.last == 30
    assert 14 not in path.found
    box = path.box_at(14)
    assert box is not None
    assert (box[0] + box[2]) / 2 == pytest.approx(20 + 3 * 14, abs=1)
    later = path.box_at(33)
    assert later is not None
    assert (later[0] + later[2]) / 2 == pytest.approx(20 + 3 * 33, abs=1.5)
    assert path.box_at(30 + GAP + 1) is None
