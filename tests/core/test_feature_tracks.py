"""Features over a whole take, each fitted against its first sighting."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from pointclips import texture

from transmixis.core.errors import Cancelled, UserError
from transmixis.core.progress import Progress
from transmixis.core.solve.tracks import HALF, _inside, _new, follow_all

SHAPE = (180, 260)


@pytest.fixture(scope="module")
def moving() -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Frames of a picture that shifts, turns and grows, and the matrices (3, 3) from frame 0's px."""
    big = np.clip(texture(21, 520), 0, 1)
    frames, ways = [], []
    for n in range(10):
        m = cv2.getRotationMatrix2D((130, 90), 1.3 * n, 1 + 0.01 * n)
        m[:, 2] += (2.3 * n, -1.1 * n)
        whole = np.vstack([m, [0, 0, 1]])
        place = np.array([[1, 0, -130.0], [0, 1, -170], [0, 0, 1]])
        frames.append(
            cv2.warpAffine(big, (whole @ place)[:2], SHAPE[::-1], flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        )
        shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        ways.append(shift @ whole @ np.linalg.inv(shift))
    return frames, ways


def test_features_do_not_slide(moving: tuple[list[np.ndarray], list[np.ndarray]]) -> None:
    frames, ways = moving
    tracks = follow_all(lambda i: frames[i], 10)
    assert tracks.count > 60
    off = []
    for k in range(tracks.count):
        seen = np.flatnonzero(np.isfinite(tracks.places[:, k, 0]))
        first = seen[0]
        assert tracks.errors[first, k] == 0  # there it is where it is
        for n in seen[1:]:
            m = ways[n] @ np.linalg.inv(ways[first])
            off.append(np.hypot(*(m[:2, :2] @ tracks.places[first, k] + m[:2, 2] - tracks.places[n, k])))
    assert np.median(off) < 0.03
    assert np.quantile(off, 0.95) < 0.12
    long = np.isfinite(tracks.places[..., 0]).sum(axis=0)
    assert np.quantile(long, 0.5) >= 7
    assert long.min() >= 3


def test_what_is_held_out_has_no_features(moving: tuple[list[np.ndarray], list[np.ndarray]]) -> None:
    frames, _ = moving
    barred = np.zeros(SHAPE, bool)
    barred[:, 120:] = True
    tracks = follow_all(lambda i: frames[i], 4, lambda i: barred)
    assert tracks.count > 10
    assert np.nanmax(tracks.places[..., 0]) < 122


def test_new_features_keep_their_distance() -> None:
    grey = (texture(4, 200).mean(axis=2) * 255).astype(np.uint8)
    first = _new(grey, np.zeros((0, 2), np.float32), None)
    assert len(first) > 30
    for at in first:
        assert (at > HALF).all()
        assert (at < 200 - HALF).all()
        assert at % 1 == pytest.approx([0.5, 0.5])
    again = _new(grey, np.array([a - 0.5 for a in first], np.float32), None)
    assert len(again) < len(first) / 3
    barred = np.ones(grey.shape, bool)
    assert _new(grey, np.zeros((0, 2), np.float32), barred) == []


def test_what_has_left_or_is_barred_is_not_inside() -> None:
    points = np.array([[50.0, 50], [3, 50], [50, 97], [70, 70]])
    barred = np.zeros((100, 100), bool)
    barred[70, 70] = True
    assert _inside(points, (100, 100), barred).tolist() == [True, False, False, False]
    assert _inside(points, (100, 100), None).tolist() == [True, False, False, True]


def test_following_can_be_called_off(moving: tuple[list[np.ndarray], list[np.ndarray]]) -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        follow_all(lambda i: moving[0][i], 4, progress=progress)


def test_a_frame_that_cannot_be_read_ends_nothing() -> None:
    frames = [texture(4, 300)[20 + n : 200 + n, 20 + 2 * n : 260 + 2 * n] for n in range(8)]

    def look(i: int) -> np.ndarray:
        if i in (0, 4):
            raise UserError(f"Frame {i} cannot be read.")
        return frames[i]

    made = follow_all(look, 8)
    assert made.count > 10
    known = np.isfinite(made.places[..., 0])
    assert not known[[0, 4]].any()
    both = known[3] & known[5]  # carried over the gap
    assert both.sum() > 10
    assert np.median(made.places[5, both] - made.places[3, both], axis=0) == pytest.approx([-4, -2], abs=0.05)

    def none(i: int) -> np.ndarray:
        raise UserError(f"Frame {i} cannot be read.")

    with pytest.raises(UserError, match="Frame 0"):
        follow_all(none, 8)


def test_what_was_cut_off_goes_on_to_the_same(moving: tuple[list[np.ndarray], list[np.ndarray]]) -> None:
    """After any frame, bit for bit; and no frame is followed twice."""
    frames, _ = moving
    kept: list[dict[str, np.ndarray]] = []
    whole = follow_all(lambda i: frames[i], 10, keep=kept.append, every=0.0)
    assert [int(h["done"]) for h in kept] == list(range(1, 11))
    for done in (1, 4, 9, 10):
        looked: list[int] = []

        def look(i: int, looked: list[int] = looked) -> np.ndarray:
            looked.append(i)
            return frames[i]

        again = follow_all(look, 10, half=kept[done - 1])
        assert np.array_equal(again.places, whole.places, equal_nan=True)
        assert np.array_equal(again.errors, whole.errors, equal_nan=True)
        assert [i for i in looked if i >= done] == list(range(done, 10))
        assert done < 10 or not looked  # all was followed: only what comes after it is left


def test_of_half_that_is_not_whole_nothing_is_used(moving: tuple[list[np.ndarray], list[np.ndarray]]) -> None:
    frames, _ = moving
    kept: list[dict[str, np.ndarray]] = []
    whole = follow_all(lambda i: frames[i], 5, keep=kept.append, every=0.0)
    half = kept[2]
    for broken in (
        {}, {"done": half["done"]}, {**half, "done": np.array(70)}, {**half, "alive": half["alive"][:3]}, {**half, "seen": half["seen"][:, :3]},
        {**half, "alive": half["alive"] + 10_000},
    ):  # fmt: skip
        again = follow_all(lambda i: frames[i], 5, half=broken)
        assert np.array_equal(again.places, whole.places, equal_nan=True)
    few: list[dict[str, np.ndarray]] = []
    follow_all(lambda i: frames[i], 5, keep=few.append, every=1e9)
    assert [int(h["done"]) for h in few] == [5]  # at the end, for what follows
