"""Chroma at half size: what the file says is read; a guess is made only where it cannot, and only when it is sure."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from keyplates import make_plate
from movingplates import made_picture

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.matte.chroma import chroma_is_halved
from transmixis.core.progress import Progress
from transmixis.media.cache import FrameCache
from transmixis.media.colour import SRGB
from transmixis.media.source import open_source, with_full_chroma
from transmixis.media.still import jpeg_chroma_halved, read_coded
from transmixis.shot.material import Material
from transmixis.shot.platejobs import mend_plate
from transmixis.shot.render import Renderer, StepInputs
from transmixis.shot.workorder import add_step, new_shot, plate_from

SAMPLING = {"420": cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420, "422": cv2.IMWRITE_JPEG_SAMPLING_FACTOR_422,
            "444": cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444}  # fmt: skip


def picture(seed: int) -> np.ndarray:
    """An 8-bit picture, with grain or (every third) without, soft (every fifth) or sharp."""
    p = made_picture(seed)
    if seed % 5 == 0:
        p = cv2.GaussianBlur(p, (0, 0), 2.0)
    coded = linear_to_srgb(p) * 255 + (np.random.default_rng(seed).normal(0, 1.3, p.shape) if seed % 3 else 0)
    return np.clip(np.round(coded), 0, 255).astype(np.uint8)


def through_420(code: np.ndarray) -> np.ndarray:
    """As a movie of 4:2:0 gives its frames."""
    h, w = code.shape[0] // 2 * 2, code.shape[1] // 2 * 2
    f = av.VideoFrame.from_ndarray(np.ascontiguousarray(code[:h, :w]), format="rgb24").reformat(
        format="yuv420p", dst_colorspace="ITU709"
    )
    return f.reformat(format="rgb24", src_colorspace="ITU709").to_ndarray()


@pytest.mark.parametrize("seed", range(1, 13))
def test_what_a_jpeg_says_is_read(tmp_path: Path, seed: int) -> None:
    """Four kinds of file of twelve pictures: 48 files."""
    code = picture(seed)
    for name, factor in SAMPLING.items():
        path = tmp_path / name / "p.jpg"
        path.parent.mkdir()
        cv2.imwrite(
            str(path), code[..., ::-1], [cv2.IMWRITE_JPEG_SAMPLING_FACTOR, factor, cv2.IMWRITE_JPEG_QUALITY, 70 + seed * 2]
        )
        assert jpeg_chroma_halved(path) == (name == "420")
        assert open_source(path).info.chroma_halved == (name == "420")
    cv2.imwrite(str(tmp_path / "p.png"), code[..., ::-1])
    assert jpeg_chroma_halved(tmp_path / "p.png") is None
    assert not open_source(tmp_path / "p.png").info.chroma_halved


def test_a_grey_or_cut_off_jpeg_is_not_halved(tmp_path: Path) -> None:
    cv2.imwrite(str(tmp_path / "g.jpg"), picture(1)[..., 0])
    assert jpeg_chroma_halved(tmp_path / "g.jpg") is False
    whole = (tmp_path / "g.jpg").read_bytes()
    (tmp_path / "cut.jpg").write_bytes(whole[:40])
    assert jpeg_chroma_halved(tmp_path / "cut.jpg") is None
    assert jpeg_chroma_halved(tmp_path / "gone.jpg") is None


def test_a_guess_is_rare_and_sure() -> None:
    sure = [chroma_is_halved(through_420(picture(s)) / np.float32(255)) for s in range(1, 13)]
    wrong = [chroma_is_halved(picture(s) / np.float32(255)) for s in range(1, 41)]
    assert sum(wrong) == 0
    assert sum(sure) >= 10
    plate = make_plate("green")
    assert not chroma_is_halved(plate.code[0] / np.float32(255))


def movie(path: Path, codes: list[np.ndarray], pixel_format: str) -> None:
    with av.open(str(path), "w") as box:
        stream = box.add_stream("ffv1", rate=Fraction(24))
        stream.width, stream.height, stream.pix_fmt = codes[0].shape[1], codes[0].shape[0], pixel_format
        for c in codes:
            box.mux(
                stream.encode(
                    av.VideoFrame.from_ndarray(c, format="rgb24").reformat(format=pixel_format, dst_colorspace="ITU709")
                )
            )
        box.mux(stream.encode(None))


@pytest.mark.parametrize("pixel_format", ["yuv420p", "yuv422p", "yuv444p", "yuv420p10le"])
def test_a_movie_says_it_by_its_pixel_format(tmp_path: Path, pixel_format: str) -> None:
    movie(tmp_path / "m.mkv", [picture(2)[:180, :320]] * 2, pixel_format)
    assert open_source(tmp_path / "m.mkv").info.chroma_halved == ("420" in pixel_format)


def test_a_step_that_copies_frames_copies_them_exactly_and_the_key_gets_full_chroma(tmp_path: Path) -> None:
    plate = make_plate("green")
    movie(tmp_path / "m.mkv", list(plate.code), "yuv420p")
    source = open_source(tmp_path / "m.mkv")
    assert source.info.chroma_halved
    report = mend_plate(tmp_path / "m.mkv", "conform", {"speed": 1.0, "repeats": "keep"}, tmp_path / "c.####.tif", Progress())
    assert report["made"] == 3
    for n in (1, 2, 3):
        decoded = through_420(plate.code[n - 1])
        kept = read_coded(tmp_path / f"c.{n:04d}.tif").astype(float) / 65535 * 255
        assert np.abs(kept - decoded).max() < 1.01  # the movie's own rounding
    hero, info = plate_from(tmp_path, tmp_path / "m.mkv", None, "hero")
    shot, even = add_step(new_shot("A", "", info, hero, "24"), "even_out")
    shot, key = add_step(shot, "screen_key", inputs={"plate": f"step:{even.id}"})
    assert key.inputs["plate"] == f"step:{even.id}"
    r = Renderer(shot, Material(tmp_path), FrameCache(1 << 28))
    assert r.halved_in(f"step:{even.id}") == source.info.space
    seen, plain = StepInputs(r, key).picture("plate", 1), StepInputs(r, even).picture("plate", 1)
    truth = plate.plate[0]
    edge = (plate.alpha[0] > 0.05) & (plate.alpha[0] < 0.95)
    assert np.abs(seen - truth)[edge].mean() < 0.9 * np.abs(plain - truth)[edge].mean()
    shot, steady = add_step(shot, "steady")
    assert Renderer(shot, Material(tmp_path)).halved_in(f"step:{steady.id}") is None  # pixels have been moved


def test_full_chroma_keeps_what_it_is_given_but_the_colour() -> None:
    """Three channels stay three; alpha beside them is left alone."""
    picture = np.repeat(made_picture(4)[:64, :96, :1], 3, axis=2).astype(np.float32)
    whole = with_full_chroma(picture, SRGB)
    assert whole.shape == picture.shape
    assert np.abs(whole - picture).max() < 0.01  # grey has no chroma to bring back
    alpha = np.linspace(0, 1, picture[..., 0].size, dtype=np.float32).reshape(*picture.shape[:2], 1)
    both = with_full_chroma(np.concatenate([picture, alpha], axis=2), SRGB)
    assert both.shape == (*picture.shape[:2], 4)
    assert np.array_equal(both[..., 3:], alpha)
    assert np.array_equal(both[..., :3], whole)
