"""Grades and tables against OpenColorIO and the published values; frame and lens against their laws."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.finish.framing import barred, bars, fringed, room_for, shaken, vignetted
from transmixis.core.finish.grade import Cdl, Table, day_for_night, graded, looked_up
from transmixis.media.exchange.grades import cdl_text, cube_text, read_cdl, read_cube

three = st.tuples(*[st.floats(0.5, 2)] * 3)


def by_ocio(transform: ocio.Transform, colours: np.ndarray) -> np.ndarray:
    out = np.array(colours, np.float32)
    ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor().applyRGB(out)
    return out


def test_the_published_example() -> None:
    """ASC CDL, version 1.2."""
    cdl = Cdl((1.2, 1.0, 0.8), (0.05, 0.0, -0.02), (0.9, 1.0, 1.1), 1.2)
    assert graded(np.array([[0.3, 0.4, 0.5]]), cdl)[0] == pytest.approx([0.456628, 0.398743, 0.332686], abs=4e-6)


@given(three, st.tuples(*[st.floats(-0.2, 0.2)] * 3), three, st.floats(0, 2), st.integers(0, 1000))
def test_grades_are_those_of_opencolorio(slope: tuple, offset: tuple, power: tuple, saturation: float, seed: int) -> None:
    colours = np.random.default_rng(seed).uniform(-0.1, 3, (20, 3)).astype(np.float32)
    reference = ocio.CDLTransform(slope=list(slope), offset=list(offset), power=list(power), sat=saturation)
    reference.setStyle(ocio.CDL_NO_CLAMP)
    assert graded(colours, Cdl(slope, offset, power, saturation)) == pytest.approx(
        by_ocio(reference, colours), abs=2e-4, rel=2e-4
    )


def a_cube(n: int, seed: int) -> np.ndarray:
    axis = np.linspace(0, 1, n)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1)
    return (grid**1.3 + 0.2 * np.random.default_rng(seed).normal(0, 0.3, (n, n, n, 3))).astype(np.float32)


@pytest.mark.parametrize("n", [2, 5, 17])
def test_tables_are_those_of_opencolorio(n: int, tmp_path: Path) -> None:
    path = tmp_path / "t.cube"
    path.write_text(cube_text(a_cube(n, n), "made"))
    table = read_cube(path)
    assert table.cube == pytest.approx(a_cube(n, n), abs=1e-6)
    colours = np.random.default_rng(3).uniform(-0.2, 1.2, (500, 3)).astype(np.float32)
    reference = by_ocio(ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL), colours)
    assert looked_up(colours, table) == pytest.approx(reference, abs=2e-5)


def test_curves_with_a_domain_are_those_of_opencolorio(tmp_path: Path) -> None:
    path = tmp_path / "c.cube"
    rows = "\n".join(f"{x**0.5:.6f} {x:.6f} {x * x:.6f}" for x in np.linspace(0, 1, 33))
    path.write_text(f'# made\nTITLE "c"\nLUT_1D_SIZE 33\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n{rows}\n')
    table = read_cube(path)
    assert (table.low, table.high) == ((0, 0, 0), (2, 2, 2))
    colours = np.random.default_rng(3).uniform(0, 2, (300, 3)).astype(np.float32)
    assert looked_up(colours, table) == pytest.approx(
        by_ocio(ocio.FileTransform(str(path), interpolation=ocio.INTERP_LINEAR), colours), abs=2e-5
    )


def test_a_written_grade_is_read_back_and_by_opencolorio(tmp_path: Path) -> None:
    cdl = Cdl((1.2, 1.0, 0.8), (0.05, 0.0, -0.02), (0.9, 1.0, 1.1), 1.25)
    path = tmp_path / "a.cc"
    path.write_text(cdl_text(cdl, "dusk"))
    assert read_cdl(path) == cdl
    other = ocio.CDLTransform.CreateFromFile(str(path), "dusk")
    assert list(other.getSlope()) == pytest.approx([1.2, 1.0, 0.8])
    assert other.getSat() == pytest.approx(1.25)


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.cc", "<a><b></a>", "no XML"),
        ("a.cc", "<a/>", "holds no slope"),
        ("a.cc", "<a><Slope>1 2</Slope></a>", "three numbers"),
        ("a.cc", "<a><Slope>1 2 x</Slope></a>", "no number"),
        ("a.cc", "<a><Slope>1 2 nan</Slope></a>", "no number"),
        ("a.cc", "<a><Power>1 0 1</Power></a>", "none below zero"),
        ("a.cc", "<a><Saturation>-1</Saturation></a>", "not below zero"),
        ("a.cc", '<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "declares"),
        ("a.cube", "LUT_3D_SIZE 2\n0 0 0\n", "8 are told"),
        ("a.cube", "0 0 0\n", "LUT_1D_SIZE or"),
        ("a.cube", "LUT_3D_SIZE 900\n", "is not read"),
        ("a.cube", "LUT_3D_SIZE many\n", "is not read"),
        ("a.cube", "LUT_1D_SIZE 2\n0 0 0\n1 1\n", "not three numbers"),
        ("a.cube", "LUT_1D_SIZE 2\n0 0 0\nnan 1 1\n", "not three numbers"),
        ("a.cube", "LUT_1D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n1 1 1\n", "ends before"),
    ],
)
def test_broken_files_are_one_sentence(name: str, text: str, words: str, tmp_path: Path) -> None:
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(UserError, match=words):
        (read_cube if name.endswith("cube") else read_cdl)(path)


def test_what_is_no_text_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "a.cube"
    path.write_bytes(b"\xff\xfe\x00\x80LUT")
    with pytest.raises(UserError, match="no text"):
        read_cube(path)


def test_beyond_a_table_is_its_end() -> None:
    table = Table(cube=a_cube(3, 1))
    assert looked_up(np.array([[5.0, 5, 5]]), table)[0] == pytest.approx(table.cube[2, 2, 2])  # type: ignore[index]
    both = Table(curves=np.stack([np.linspace(0, 2, 5)] * 3, 1), cube=a_cube(3, 1))
    assert looked_up(np.array([[0.9, 0.9, 0.9]]), both)[0] == pytest.approx(both.cube[2, 2, 2])  # type: ignore[index]


def test_day_for_night_is_darker_bluer_and_less_coloured() -> None:
    out = graded(np.array([[0.5, 0.4, 0.3]]), day_for_night(2.0, 0.5, 0.6))[0]
    assert out.max() < 0.5 / 2
    assert out[2] / out[0] > 0.3 / 0.5


@pytest.mark.parametrize(
    ("shape", "aspect", "want"),
    [
        ((540, 960), 2.39, (69, 69, 0, 0)),
        ((540, 960), 4 / 3, (0, 0, 120, 120)),
        ((540, 960), 0, (0, 0, 0, 0)),
        ((541, 960), 2.0, (30, 31, 0, 0)),
    ],
)
def test_bars_leave_the_format(shape: tuple[int, int], aspect: float, want: tuple[int, ...]) -> None:
    assert bars(shape, aspect) == want
    out = barred(np.full((*shape, 4), 0.5, np.float32), aspect)
    top, bottom, left, right = want
    seen = out[..., 0] > 0
    assert seen.sum() == (shape[0] - top - bottom) * (shape[1] - left - right)
    if top:
        assert out[0, 0].tolist() == [0, 0, 0, 1]
        assert out[top, 5, 0] == 0.5
        assert out[top - 1, 5, 0] == 0


def test_a_vignette_is_so_many_stops_dark_in_the_corner() -> None:
    flat = np.ones((201, 301, 3), np.float32)
    out = vignetted(flat, 1.0)
    assert out[0, 0, 0] == pytest.approx(0.5, abs=0.006)
    assert out[100, 150, 0] == pytest.approx(1, abs=1e-4)
    assert np.all(np.diff(out[100, 150:, 0]) <= 0)
    assert vignetted(flat, 0.0) is flat


def test_a_fringe_parts_red_and_blue_in_the_corner_only() -> None:
    picture = np.zeros((200, 300, 3), np.float32)
    picture[:, 270:272] = 1
    picture[:, 149:151] = 1
    out = fringed(picture, 0.8)
    xs = np.arange(300) + 0.5

    def at(c: int, a: int, b: int) -> float:
        row = out[100, a:b, c]
        return float((row * xs[a:b]).sum() / row.sum())

    grows = 121 / np.hypot(150, 100)
    assert at(0, 260, 285) - at(1, 260, 285) == pytest.approx(0.8 * grows, abs=0.05)
    assert at(2, 260, 285) - at(1, 260, 285) == pytest.approx(-0.8 * grows, abs=0.05)
    assert at(0, 140, 160) == pytest.approx(at(1, 140, 160), abs=0.02)
    assert np.array_equal(out[..., 1], picture[..., 1])
    assert fringed(picture, 0) is picture


def test_a_hand_shakes_slowly_about_its_place() -> None:
    path = np.array([shaken(n / 24, 5) for n in range(2400)])
    assert path.std(axis=0) == pytest.approx([1, 1, 1], abs=0.25)
    assert np.abs(path.mean(axis=0)).max() < 0.2
    spectrum = np.abs(np.fft.rfft(path[:, 0] - path[:, 0].mean())) ** 2
    hertz = np.fft.rfftfreq(2400, 1 / 24)
    assert spectrum[hertz < 1.2].sum() > 0.6 * spectrum.sum()
    assert spectrum[hertz > 2.5].sum() > 0.002 * spectrum.sum()
    assert shaken(1.0, 5) != shaken(1.0, 6)
    assert np.abs(np.diff(path[:, 0])).max() < 1.2
    assert room_for((540, 960), 3.0, 0.0) == pytest.approx(1 + 18 / 540)
