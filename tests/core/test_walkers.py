"""Timing of a locked camera before which somebody walks, from a movie that was coded anew; and jolts of the camera."""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from movingplates import centred, made_picture, recorded, scans_of, seen

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.progress import Progress
from transmixis.core.survey.plate import PlateSurvey, survey_plate
from transmixis.media.source import open_source

BIG = (216, 384)


def with_walker(picture: np.ndarray, x: float) -> np.ndarray:
    h, w = picture.shape[:2]
    body = np.random.default_rng(5).random((12, 5, 3)).astype(np.float32) * 0.5
    body = np.clip(cv2.resize(body, (w // 10, h // 2), interpolation=cv2.INTER_CUBIC), 0, 1)
    place = np.array([[1, 0, x], [0, 1, 0.45 * h]], np.float32)
    there = cv2.warpAffine(np.ones(body.shape[:2], np.float32), place, (w, h))[..., None]
    return np.asarray(picture * (1 - there) + cv2.warpAffine(body, place, (w, h)) * there)


def coded(folder: Path, xs: list[float], doubled: tuple[int, ...], crf: int) -> PlateSurvey:
    """A movie of a walker at these places, frames doubled before it was coded."""
    picture = cv2.resize(made_picture(3), BIG[::-1], interpolation=cv2.INTER_CUBIC)
    path, last = folder / "walk.mp4", None
    with av.open(str(path), "w") as box:
        stream = box.add_stream("libx264", rate=24, options={"crf": str(crf)})
        stream.width, stream.height, stream.pix_fmt = BIG[1], BIG[0], "yuv420p"  # type: ignore[attr-defined]
        for i, x in enumerate(xs):
            if i + 1 not in doubled or last is None:
                last = recorded(with_walker(picture, x), 100 + i)
            codes = (np.clip(linear_to_srgb(np.clip(last, 0, 1)), 0, 1) * 255 + 0.5).astype(np.uint8)
            box.mux(stream.encode(av.VideoFrame.from_ndarray(codes, format="rgb24")))  # type: ignore[attr-defined]
        box.mux(stream.encode(None))  # type: ignore[attr-defined]
    source = open_source(path)
    frames = [source.read(n) for n in range(1, source.info.count + 1)]
    return survey_plate(scans_of(frames), 24.0, lambda n: frames[n - 1], Progress())


@pytest.mark.parametrize("crf", [16, 24])
@pytest.mark.parametrize("speed", [2.0, 6.0])
def test_doubles_and_a_missing_frame_are_found_though_coded_anew(tmp_path: Path, speed: float, crf: int) -> None:
    doubled, xs, x = (9, 21), [], 15.0
    for i in range(30):
        x += 0 if i + 1 in doubled else 2 * speed if i + 1 == 15 else speed
        xs.append(x)
    s = coded(tmp_path, xs, doubled, crf)
    assert s.timing.doubled == doubled
    assert s.timing.dropped == (15,)
    assert s.steadiness.verdict == "locked"


def test_who_turns_round_or_stops_is_no_doubled_frame(tmp_path: Path) -> None:
    """Back and forth, so that the figure stands for one step at each end; then it walks, stands for a while, and goes on."""
    sway = [150 + 40 * np.cos(2 * np.pi * (i + 0.5) / 12) for i in range(30)]
    assert not coded(tmp_path, sway, (), 20).timing.doubled
    stops = [15 + 4.0 * min(i, 10) + 4.0 * max(i - 16, 0) for i in range(30)]
    found = coded(tmp_path, stops, (), 20).timing
    assert not found.doubled
    assert not found.dropped


def test_a_camera_that_starts_and_stops_gently_drops_no_frame() -> None:
    picture = made_picture(8)
    xs = [6 * (1 - np.cos(np.pi * min(i, 20) / 20)) for i in range(26)]
    frames = [recorded(seen(picture, centred(x, 0)), i) for i, x in enumerate(xs)]
    s = survey_plate(scans_of(frames), 24.0, lambda n: frames[n - 1], Progress())
    assert not s.timing.dropped
    assert not s.timing.doubled
    assert not s.steadiness.knocks


@pytest.mark.parametrize("long", [1, 2])
def test_a_jolt_that_returns_is_named_with_its_frame(long: int) -> None:
    picture = made_picture(9)
    frames = [recorded(seen(picture, centred(3.0 if 10 <= i < 10 + long else 0.0, 0)), i) for i in range(20)]
    s = survey_plate(scans_of(frames), 24.0, lambda n: frames[n - 1], Progress())
    assert s.steadiness.knocks == (11,)
    assert "is jolted and comes back at frame 11" in s.steadiness.words
    assert s.steadiness.verdict != "locked"
