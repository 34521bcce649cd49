"""Frames from and to real files: sequences with holes, stills, movies, and broken ones."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from movies import movie_at

from transmixis.core.errors import UserError
from transmixis.media import colour
from transmixis.media.cache import FrameCache
from transmixis.media.movie import MOVIE_KINDS, MovieWriter
from transmixis.media.sequence import find_sequence
from transmixis.media.source import open_source
from transmixis.media.still import read_coded, write_still

RNG = np.random.default_rng(0)
PICTURE = RNG.random((36, 52, 3)).astype(np.float32)


@pytest.mark.parametrize(
    ("name", "kind", "tolerance"),
    [
        ("a.png", "uint8", 0.009),
        ("a.png", "uint16", 4e-5),
        ("a.tif", "uint16", 4e-5),
        ("a.exr", "half", 5e-4),
        ("a.exr", "float", 0),
        ("a.dpx", "uint16", 4e-5),
        ("a.jpg", "uint8", 0.4),
    ],
)
def test_pictures_go_there_and_back(tmp_path: Path, name: str, kind: str, tolerance: float) -> None:
    smooth = np.linspace(0.1, 0.8, 52, dtype=np.float32)[None, :, None].repeat(36, 0).repeat(3, 2)
    picture = smooth if name.endswith("jpg") else PICTURE
    write_still(tmp_path / name, picture, kind=kind)
    source = open_source(tmp_path / name)
    assert source.info.space == (colour.LINEAR if name.endswith("exr") else colour.SRGB)
    assert np.abs(source.read(1) - picture).max() <= tolerance
    assert not list(tmp_path.glob(".*part*"))


def test_alpha_is_straight_in_png_and_premultiplied_in_memory(tmp_path: Path) -> None:
    rgba = np.zeros((4, 4, 4), np.float32)
    rgba[...] = (0.1, 0.2, 0.3, 0.5)  # premultiplied
    for name, kind in (("a.png", "uint16"), ("a.exr", "half")):
        write_still(tmp_path / name, rgba, kind=kind)
        assert np.allclose(open_source(tmp_path / name).read(1), rgba, atol=1e-3)
    straight = read_coded(tmp_path / "a.png")[0, 0, :3] / 65535
    assert colour.to_working(straight[None, None].astype(np.float32), colour.SRGB)[0, 0] == pytest.approx(
        [0.2, 0.4, 0.6], abs=1e-3
    )


@pytest.mark.parametrize("given_as", ["take.####.png", "take.%04d.png", "take.0003.png", ""])
def test_a_sequence_is_found_however_it_is_named(tiny_plates: Path, given_as: str) -> None:
    found = find_sequence(tiny_plates / given_as if given_as else tiny_plates)
    assert list(found.files) == [1, 2, 3, 4, 5, 6]


def test_bare_numbers_and_single_stills(tmp_path: Path) -> None:
    for n in (0, 1, 2):
        write_still(tmp_path / f"{n:04d}.png", PICTURE, kind="uint8")
    source = open_source(tmp_path / "0000.png")
    assert (source.info.count, source.info.first_number) == (3, 0)
    write_still(tmp_path / "still.png", PICTURE, kind="uint8")
    assert open_source(tmp_path / "still.png").info.kind == "still"


def test_holes_are_named(tmp_path: Path) -> None:
    for n in (1, 2, 5, 9):
        write_still(tmp_path / f"a.{n:04d}.png", PICTURE, kind="uint8")
    source = open_source(tmp_path / "a.0001.png")
    assert source.info.count == 9
    assert source.info.holes == (3, 4, 6, 7, 8)
    assert any("3–4, 6–8" in n for n in source.info.notes)
    with pytest.raises(UserError, match=r"Frame 3 .* is missing"):
        source.read(3)
    assert source.read(5).shape == (36, 52, 3)


@given(st.integers(0, 999_999), st.integers(1, 7))
def test_any_number_width_is_matched(number: int, width: int) -> None:
    from transmixis.media.sequence import _pattern, _width_fits

    digits = str(number).zfill(width)
    pattern = _pattern(f"a_b2.{digits}.exr")
    assert pattern == ("a_b2.", ".exr", len(digits))
    assert _width_fits(digits, len(digits))


@pytest.mark.parametrize("kind", list(MOVIE_KINDS))
def test_movies_go_there_and_back(tmp_path: Path, kind: str) -> None:
    path = tmp_path / f"m{MOVIE_KINDS[kind].suffix}"
    writer = MovieWriter(path, kind, 64, 48, Fraction(25))
    ramps = [np.full((48, 64, 3), 0.1 + 0.1 * n, np.float32) * np.float32([1, 0.8, 0.6]) for n in range(5)]
    for r in ramps:
        writer.write(r)
    assert not path.exists()
    writer.finish()
    source = open_source(path)
    assert (source.info.count, source.info.rate, source.info.width) == (5, 25, 64)
    assert source.info.chroma_halved == (kind == "h264")
    for n in (1, 5, 2, 3):  # out of order: seeking is exact
        assert np.abs(source.read(n) - ramps[n - 1]).max() < (1e-4 if kind == "ffv1" else 0.02)
    source.close()


def test_a_vp9_movie_is_read_with_its_rate(tmp_path: Path) -> None:
    path = tmp_path / "clip.webm"
    with av.open(str(path), "w") as box:
        stream = box.add_stream("libvpx-vp9", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for n in range(5):
            grey = np.full((48, 64, 3), 40 * n + 20, np.uint8)
            box.mux(stream.encode(av.VideoFrame.from_ndarray(grey, format="rgb24")))
        box.mux(stream.encode(None))
    source = open_source(path)
    assert (source.info.count, source.info.rate, source.info.width) == (5, 25, 64)
    levels = [float(source.read(n).mean()) for n in range(1, 6)]
    assert all(b > 1.3 * a for a, b in pairwise(levels))


def test_variable_rate_is_told(tmp_path: Path) -> None:
    movie_at(tmp_path / "even.mkv", [0, 40, 80, 120, 160, 200])
    movie_at(tmp_path / "uneven.mkv", [0, 40, 80, 160, 200, 290])
    assert not open_source(tmp_path / "even.mkv").info.variable_rate
    uneven = open_source(tmp_path / "uneven.mkv").info
    assert uneven.variable_rate
    assert any("variable rate" in n for n in uneven.notes)


def _read_all(path: Path) -> None:
    source = open_source(path)
    for n in range(1, source.info.count + 1):
        source.read(n)


@pytest.mark.parametrize("name", ["a.png", "a.exr", "a.tif", "a.mov"])
@pytest.mark.parametrize("how", ["truncated", "empty", "noise"])
def test_broken_files_give_one_clear_sentence(tmp_path: Path, name: str, how: str) -> None:
    path = tmp_path / name
    if name.endswith("mov"):
        writer = MovieWriter(path, "prores", 64, 48, Fraction(24))
        for _ in range(3):
            writer.write(np.full((48, 64, 3), 0.3, np.float32))
        writer.finish()
    else:
        write_still(path, PICTURE, kind="half" if name.endswith("exr") else "uint8")
    data = path.read_bytes()
    path.write_bytes({"truncated": data[: len(data) // 2], "empty": b"", "noise": RNG.bytes(3000)}[how])
    with pytest.raises(UserError) as e:
        _read_all(path)
    assert name in str(e.value)
    assert "\n" not in str(e.value)
    assert len(str(e.value)) < 260


def test_missing_wrong_and_mixed_files(tmp_path: Path) -> None:
    with pytest.raises(UserError, match="no file"):
        open_source(tmp_path / "gone.png")
    with pytest.raises(UserError, match="no file"):
        open_source(tmp_path / "gone.mov")
    (tmp_path / "words.txt").write_text("x")
    with pytest.raises(UserError, match="neither a picture nor a movie"):
        open_source(tmp_path / "words.txt")
    (tmp_path / "none").mkdir()
    with pytest.raises(UserError, match="holds no picture"):
        open_source(tmp_path / "none")
    write_still(tmp_path / "a.1.png", PICTURE, kind="uint8")
    write_still(tmp_path / "a.2.png", PICTURE[:20], kind="uint8")
    source = open_source(tmp_path / "a.1.png")
    with pytest.raises(UserError, match=r"a\.2\.png' is 52 x 20, but the sequence is 52 x 36"):
        source.read(2)


def test_nan_and_infinity_do_not_spread(tmp_path: Path) -> None:
    bad = PICTURE.copy()
    bad[0, 0], bad[1, 1], bad[2, 2] = np.nan, np.inf, -np.inf
    write_still(tmp_path / "a.exr", bad, kind="float")
    got = open_source(tmp_path / "a.exr").read(1)
    assert np.isfinite(got).all()
    assert np.array_equal(got[5:], bad[5:])


def test_write_to_a_read_only_place_says_so(tmp_path: Path) -> None:
    with pytest.raises(UserError, match="Cannot write"):
        write_still(tmp_path / "no" / "folder" / "a.exr", PICTURE, kind="half")


def test_colour_spaces_agree_with_their_standards() -> None:
    x = np.float32([[[0.5, 0.5, 0.5]]])
    assert colour.to_working(x, colour.SRGB)[0, 0, 0] == pytest.approx(0.2140411, abs=2e-5)  # IEC 61966-2-1
    assert colour.to_working(x, colour.CAMERA_709)[0, 0, 0] == pytest.approx(
        ((0.5 + 0.099) / 1.099) ** (1 / 0.45), abs=2e-4
    )  # ITU-R BT.709
    for space in colour.SPACES:
        assert np.allclose(colour.from_working(colour.to_working(PICTURE, space), space), PICTURE, atol=2e-4)
        assert np.array_equal(colour.decode_table(space, 256)[[0]], [0]) or not colour.works_by_channel(space)


def test_cache_never_holds_more_than_its_limit() -> None:
    cache = FrameCache(10_000)
    for n in range(50):
        cache.put(n, np.zeros(250, np.float32))
        assert cache.used <= 10_000
    assert 49 in cache
    assert 0 not in cache
    cache.put("big", np.zeros(100_000, np.uint8))
    assert "big" not in cache
    assert cache.get_or_make("x", lambda: np.ones(3)).sum() == 3
    cache.clear()
    assert cache.used == 0
