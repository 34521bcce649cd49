"""The camera's motion against known motion, and similarities against a general-purpose library."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from movingplates import SIZE, centred, made_picture, recorded, scans_of, seen, with_people

from transmixis.core.errors import UserError
from transmixis.core.motion.camera import anchor_of, measure_move
from transmixis.core.motion.coding import grey_of
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.survey.camera_path import judge, path_of

near = st.floats(-50, 50)


@settings(max_examples=60, deadline=None)
@given(near, near, st.floats(-170, 170), st.floats(0.2, 4), near, near)
def test_a_similarity_is_undone_by_its_inverse_and_found_from_its_points(x, y, turn, grow, px, py) -> None:  # type: ignore[no-untyped-def]
    t = Similarity(x, y, turn, grow, (px, py))
    points = np.array([[0.0, 0], [10, 3], [-4, 20], [31, -7]])
    assert np.allclose(t.inverse().apply(t.apply(points)), points, atol=1e-8)
    assert np.allclose(t.about((5.0, -9.0)).apply(points), t.apply(points), atol=1e-8)
    assert np.allclose(t.inverse().after(t).matrix, np.eye(2, 3), atol=1e-8)
    fitted = fit_similarity(points, t.apply(points), pivot=(1.0, 2.0))
    assert np.allclose(fitted.apply(points), t.apply(points), atol=1e-7)


def test_the_fit_agrees_with_umeyama_in_a_reference_library() -> None:
    """Umeyama (1991) as scikit-image has it; noisy points, so that the least-squares solution matters."""
    transform = pytest.importorskip("skimage.transform")
    rng = np.random.default_rng(5)
    for _ in range(20):
        a = rng.uniform(-100, 100, (int(rng.integers(2, 30)), 2))
        t = Similarity(*rng.uniform(-20, 20, 2), float(rng.uniform(-60, 60)), float(rng.uniform(0.5, 2)))
        b = t.apply(a) + rng.normal(0, 3 if len(a) > 2 else 0, a.shape)
        want = transform.SimilarityTransform.from_estimate(a, b)
        assert np.allclose(fit_similarity(a, b).matrix, want.params[:2], atol=1e-6)


def test_points_on_one_spot_are_refused() -> None:
    with pytest.raises(UserError, match="further apart"):
        fit_similarity(np.ones((3, 2)), np.ones((3, 2)))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_motion_is_found_to_two_hundredths_of_a_pixel_beside_people(seed: int) -> None:
    picture, rng = made_picture(seed), np.random.default_rng(seed)
    anchor = anchor_of(grey_of(recorded(with_people(seen(picture), 0), 1)))
    shifts = []
    for n in range(1, 7):
        turn, grow = ((0.0, 1.0), (float(rng.uniform(-0.6, 0.6)), float(rng.uniform(0.99, 1.01))))[n % 2]
        want = centred(*rng.uniform(-2.5, 2.5, 2), turn, grow)
        m = measure_move(anchor, grey_of(recorded(with_people(seen(picture, want), n), 100 + n)))
        assert m, m.reason
        off = math.hypot(m.x - want.x, m.y - want.y)
        if n % 2:  # the centre of a turn is told by what lies far from it, which the stated error accounts for
            assert off < max(0.06, 5 * m.error)
        else:
            shifts.append(off)
        assert m.turn == pytest.approx(turn, abs=0.045)
        assert m.grow == pytest.approx(grow, abs=0.045)
    assert math.sqrt(np.mean(np.square(shifts))) < 0.02


def test_motion_agrees_with_alignment_in_a_reference_library() -> None:
    """OpenCV's ECC (Evangelidis & Psarakis, 2008) on a picture without people, where it is at its best."""
    import cv2

    picture = made_picture(9)
    a, b = recorded(seen(picture), 1), recorded(seen(picture, centred(1.3, -0.8)), 2)
    warp = np.eye(2, 3, dtype=np.float32)
    grey = [np.ascontiguousarray(f.mean(axis=2)) for f in (a, b)]
    stop = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 200, 1e-8)
    _, warp = cv2.findTransformECC(grey[0], grey[1], warp, cv2.MOTION_TRANSLATION, stop)
    m = measure_move(anchor_of(grey_of(a)), grey_of(b))
    assert (m.x, m.y) == (pytest.approx(float(warp[0, 2]), abs=0.03), pytest.approx(float(warp[1, 2]), abs=0.03))


def test_a_plain_picture_gives_no_motion_but_a_reason() -> None:
    flat = np.full((*SIZE, 3), 0.2, np.float32)
    m = measure_move(anchor_of(grey_of(flat)), grey_of(flat))
    assert not m
    assert "texture" in m.reason


def _plate(seed: int, path: np.ndarray) -> list[np.ndarray]:
    picture = made_picture(seed)
    return [recorded(with_people(seen(picture, centred(x, y)), n), n) for n, (x, y) in enumerate(path)]


@pytest.mark.parametrize("seed", [4, 5])
def test_locked_trembling_and_drifting_are_told_apart(seed: int) -> None:
    n, rng = 14, np.random.default_rng(seed)
    still = np.zeros((n, 2))
    tremble = rng.normal(0, 0.15 / math.sqrt(2), (n, 2))
    drift = np.linspace(0, 1, n)[:, None] * np.array([[2.6, 1.5]])
    verdicts = {}
    for name, path in (("still", still), ("tremble", tremble), ("drift", drift)):
        verdicts[name] = judge(path_of(scans_of(_plate(seed, path - path[0]))))
    assert verdicts["still"].verdict == "locked"
    assert verdicts["tremble"].verdict == "nearly"
    assert "trembles" in verdicts["tremble"].words
    assert verdicts["drift"].verdict == "moving"
    assert verdicts["drift"].drift == pytest.approx(3.0, abs=0.6)


def test_a_knock_is_named_by_its_frame() -> None:
    path = np.zeros((12, 2))
    path[7:] = (1.2, 0.4)
    v = judge(path_of(scans_of(_plate(6, path))))
    assert v.knocks == (8,)
    assert "knocked at frame 8" in v.words


def test_a_long_pan_is_followed_from_frame_to_frame() -> None:
    """Each frame shows little of what the first did, so the steps are added up."""
    size = (216, 384)
    wide = np.concatenate([made_picture(s) for s in (11, 12, 13)], axis=1)
    frames = [recorded(wide[24 : 24 + size[0], 24 + 30 * i : 24 + 30 * i + size[1]], i) for i in range(20)]
    path = path_of(scans_of(frames))
    assert path.known.all()
    assert path.x[-1] == pytest.approx(-30 * 19, abs=1.0)
    assert judge(path).verdict == "moving"
