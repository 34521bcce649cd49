"""Pictures that phones say are turned are read upright, and a person may say otherwise."""

from __future__ import annotations

import struct
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from transmixis.media.movie import MovieWriter
from transmixis.media.source import open_source
from transmixis.shot.material import Material
from transmixis.shot.model import Plate


def marked() -> np.ndarray:
    """A grey frame, wider than high, with a white upper left corner."""
    f = np.full((48, 64, 3), 0.1, np.float32)
    f[:16, :16] = 0.9
    return f


def corner(picture: np.ndarray) -> str:
    """Which corner is white."""
    h, w = picture.shape[:2]
    where = {"upper left": (4, 4), "upper right": (4, w - 5), "lower left": (h - 5, 4), "lower right": (h - 5, w - 5)}
    return max(where, key=lambda k: picture[where[k]].mean())


def phone_movie(path: Path, matrix: tuple[int, ...]) -> None:
    """A movie whose track is to be shown through a matrix (ISO/IEC 14496-12, 8.3.2: a, b, u, c, d, v, x, y, w)."""
    writer = MovieWriter(path, "h264", 64, 48, Fraction(24))
    for _ in range(3):
        writer.write(marked())
    writer.finish()
    b = bytearray(path.read_bytes())
    plain = struct.pack(">9i", 0x10000, 0, 0, 0, 0x10000, 0, 0, 0, 0x40000000)
    at = b.index(plain, b.index(b"tkhd"))
    b[at : at + 36] = struct.pack(">9i", *matrix)
    path.write_bytes(bytes(b))


ONE = 0x10000


@pytest.mark.parametrize(
    ("matrix", "size", "where"),
    [
        ((0, ONE, 0, -ONE, 0, 0, 48 * ONE, 0, 0x40000000), (48, 64), "upper right"),  # clockwise: a phone held upright
        ((-ONE, 0, 0, 0, -ONE, 0, 64 * ONE, 48 * ONE, 0x40000000), (64, 48), "lower right"),
        ((0, -ONE, 0, ONE, 0, 0, 0, 64 * ONE, 0x40000000), (48, 64), "lower left"),
    ],
)
def test_a_phone_movie_stands_upright(tmp_path: Path, matrix: tuple[int, ...], size: tuple[int, int], where: str) -> None:
    phone_movie(tmp_path / "p.mp4", matrix)
    source = open_source(tmp_path / "p.mp4")
    assert (source.info.width, source.info.height) == size
    assert any(n.startswith("turned by") for n in source.info.notes)
    assert source.read(2).shape[:2] == size[::-1]
    assert corner(source.read(2)) == where
    as_recorded = source.with_settings(turn=0)
    assert (as_recorded.info.width, as_recorded.info.height) == (64, 48)
    assert not as_recorded.info.notes
    assert corner(as_recorded.read(1)) == "upper left"
    source.close()


@pytest.mark.parametrize(("orientation", "where"), [(1, "upper left"), (6, "upper right"), (3, "lower right"), (8, "lower left")])
def test_a_photograph_s_orientation_is_heeded(tmp_path: Path, orientation: int, where: str) -> None:
    """Exif (CIPA DC-008): 6 is to be turned clockwise by a quarter, 8 the other way, 3 by half."""
    spec = oiio.ImageSpec(64, 48, 3, "uint8")
    spec.attribute("Orientation", orientation)
    out = oiio.ImageOutput.create(str(tmp_path / "p.jpg"))
    out.open(str(tmp_path / "p.jpg"), spec)
    out.write_image((marked() * 255).astype(np.uint8))
    out.close()
    source = open_source(tmp_path / "p.jpg")
    assert corner(source.read(1)) == where
    material = Material(tmp_path)
    plate = Plate(id="a", role="hero", path="p.jpg", turn=90)
    assert corner(material.source(plate).read(1)) == "lower left"
    assert material.stamp(plate, 1) != material.stamp(plate.model_copy(update={"turn": 180}), 1)
