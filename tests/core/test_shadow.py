"""Shadows against a render by rays to many points of the light, and against geometry."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest

from transmixis.core.light.shadow import (
    Cast,
    cast_of,
    contact,
    drawn_cast,
    foot_of,
    ground_matrix,
    lies_along,
    shaded,
    shadow_colour,
    shadow_of,
    top_of,
)

SIZE = (360, 480)
FOOT = (200.0, 180.0)


def figure() -> np.ndarray:
    """A post with a ball on it, upright on the foot."""
    out = np.zeros(SIZE, np.float32)
    cv2.rectangle(out, (192, 90), (208, 179), 1.0, -1)
    cv2.circle(out, (200, 80), 26, 1.0, -1, cv2.LINE_AA)
    return out


def rendered(matte: np.ndarray, azimuth: float, elevation: float, tilt: float, width: float, rays: int = 900) -> np.ndarray:
    """Light that each place of the ground gets from a disc in the sky past an upright card, seen by a far camera that looks down by `tilt`: by rays, one sun point after the other."""
    rng = np.random.default_rng(1)
    t = math.radians(tilt)
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]] + 0.5
    gx, gz = xx - FOOT[0], -(yy - FOOT[1]) / math.sin(t)  # on the ground, z away from the camera
    up, a = math.radians(elevation), math.radians(azimuth)
    sun = np.array([math.cos(up) * math.cos(a), math.sin(up), math.cos(up) * math.sin(a)])
    e1 = np.cross(sun, [0, 1, 0])
    e1 /= np.linalg.norm(e1)
    e2 = np.cross(sun, e1)
    dark = np.zeros(SIZE)
    for _ in range(rays):
        r, phi = math.tan(math.radians(width) / 2) * math.sqrt(rng.random()), 2 * math.pi * rng.random()
        d = sun + r * (math.cos(phi) * e1 + math.sin(phi) * e2)
        s = -gz / d[2]  # where the ray to the light passes the card, z = 0
        x, y = gx + s * d[0], s * d[1]
        hit = (s > 0).astype(np.float32)
        u, v = (FOOT[0] + x).astype(np.float32), (FOOT[1] - y * math.cos(t)).astype(np.float32)
        dark += hit * cv2.remap(matte, u - 0.5, v - 0.5, cv2.INTER_LINEAR, borderValue=0)
    return dark / rays


def read_direction(shadow: np.ndarray, foot: tuple[float, float]) -> float | None:
    """Degrees (0 to the right, 90 up, as seen) in which a shadow lies from its foot: of its middle, weighed by how dark it is; None if there is none."""
    yy, xx = np.mgrid[0 : shadow.shape[0], 0 : shadow.shape[1]] + 0.5
    total = float(shadow.sum())
    if total < 1:
        return None
    x, y = float((xx * shadow).sum()) / total - foot[0], float((yy * shadow).sum()) / total - foot[1]
    return math.degrees(math.atan2(-y, x))


def edge_width(row: np.ndarray) -> float:
    """Px from a tenth to nine tenths of a rising edge."""
    k = int(np.argmax(row >= 0.95 * row.max()))
    part = row[: k + 1] / row.max()
    return float(np.interp(0.9, part, np.arange(len(part))) - np.interp(0.1, part, np.arange(len(part))))


@pytest.mark.parametrize(
    ("azimuth", "elevation", "tilt", "width"),
    [(120.0, 35.0, 30.0, 4.0), (60.0, 50.0, 25.0, 8.0), (100.0, 30.0, 40.0, 2.0), (240.0, 40.0, 35.0, 5.0)],
)
def test_a_shadow_is_that_of_rays(azimuth: float, elevation: float, tilt: float, width: float) -> None:
    truth = rendered(figure(), azimuth, elevation, tilt, width)
    made = shadow_of(figure(), cast_of(FOOT, azimuth, elevation, tilt, width))
    a, b = read_direction(made, FOOT), read_direction(truth.astype(np.float32), FOOT)
    assert a is not None
    assert b is not None
    assert a == pytest.approx(b, abs=0.5)  # wanted: 2 degrees
    assert float(np.abs(made - truth).mean()) < 0.003
    assert float(np.sqrt(((made - truth) ** 2).mean())) < 0.02
    # the ball's edge, across: as soft as the light makes it that far away
    y = (
        int((truth.sum(axis=1)[185:] > 0).nonzero()[0].mean()) + 185
        if azimuth < 180
        else int((truth.sum(axis=1)[:178] > 0).nonzero()[0].mean())
    )
    assert edge_width(made[y]) == pytest.approx(edge_width(truth[y]), rel=0.2, abs=0.4)


def test_the_shadow_is_as_long_as_geometry_says() -> None:
    """Height over the tangent of the elevation, away from the light."""
    cast = cast_of(FOOT, 90.0, 30.0, 30.0)
    assert cast.right == pytest.approx(0, abs=1e-9)
    assert cast.down == pytest.approx(math.sin(math.radians(30)) / math.cos(math.radians(30)) / math.tan(math.radians(30)))
    top = ground_matrix(cast) @ np.array([200.0, 80.0, 1.0])
    assert top[:2] == pytest.approx([200, 180 + 100 * cast.down])
    assert ground_matrix(cast) @ np.array([*FOOT, 1.0]) == pytest.approx([*FOOT, 1.0])
    behind = cast_of(FOOT, 270.0, 45.0, 30.0)
    assert behind.down < 0
    aside = cast_of(FOOT, 0.0, 45.0, 30.0)
    assert aside.right < 0
    assert np.isfinite(shadow_of(figure(), aside)).all()


def test_it_is_softer_the_farther_from_what_casts_it() -> None:
    truth = shadow_of(np.pad(np.ones((120, 12), np.float32), ((60, 180), (194, 274))), cast_of(FOOT, 90.0, 40.0, 30.0, 4.0))
    widths = [edge_width(truth[y]) for y in (185, 205, 225)]
    assert widths[0] < widths[1] < widths[2]


def test_contact_is_darkest_under_the_border_and_ends() -> None:
    matte = np.zeros((60, 60), np.float32)
    matte[20:40, 20:40] = 1
    dark = contact(matte, 8.0)
    assert dark[40, 30] == 1
    assert dark[44, 30] == pytest.approx(0.25)
    assert dark[49, 30] == 0
    assert dark[30, 45] == 0  # not beside it
    assert contact(np.zeros((9, 9), np.float32), 5.0).max() == 0
    assert contact(matte, 0.0).max() == 0


def test_the_colour_of_shadows_is_measured() -> None:
    rng = np.random.default_rng(3)
    ground = np.full((40, 40, 3), (0.4, 0.5, 0.6), np.float32) * rng.normal(1, 0.02, (40, 40, 1)).astype(np.float32)
    shade = np.zeros((40, 40), bool)
    shade[:, :15] = True
    ground[shade] *= (0.3, 0.35, 0.45)
    found = shadow_colour(ground, shade, ~shade)
    assert found == pytest.approx([0.3, 0.35, 0.45], abs=0.01)
    assert shadow_colour(ground, shade & False, ~shade) is None
    out = shaded(np.full((4, 4, 3), 0.5, np.float32), np.full((4, 4), 0.5, np.float32), np.array([0.2, 0.4, 1.0]))
    assert out[0, 0] == pytest.approx([0.3, 0.35, 0.5])


def test_nothing_casts_no_shadow() -> None:
    assert read_direction(np.zeros((9, 9), np.float32), (4, 4)) is None
    assert shadow_of(np.zeros((30, 30), np.float32), Cast((15, 20), 0.2, 0.5)).max() == 0


def test_where_a_matte_stands_and_how_a_shadow_lies() -> None:
    matte = np.zeros((60, 80), np.float32)
    matte[10:40, 20:30] = 1
    assert top_of(matte) == (25.0, 10.0)
    assert foot_of(matte) == (25.0, 40.0)
    assert top_of(matte * 0) is None
    assert foot_of(matte * 0) is None
    assert lies_along(matte) == pytest.approx(90, abs=0.5)
    assert lies_along(matte.T.copy()) in (pytest.approx(0, abs=0.5), pytest.approx(180, abs=0.5))
    slanted = np.zeros((80, 80), np.float32)
    cv2.line(slanted, (10, 60), (60, 10), 1.0, 5)
    assert lies_along(slanted) == pytest.approx(45, abs=2)
    assert lies_along(matte[:, :22]) is not None
    square = np.zeros((60, 60), np.float32)
    square[20:40, 20:40] = 1
    assert lies_along(square) is None
    assert lies_along(square * 0) is None
    cast = drawn_cast((25.0, 40.0), (65.0, 55.0), (25.0, 10.0), 0.2)
    assert (cast.right, cast.down) == pytest.approx((40 / 30, 0.5))
    assert drawn_cast((25.0, 40.0), (26.0, 42.0), (25.0, 39.5), 0.2).down == pytest.approx(
        2.0
    )  # hardly any height: as of a pixel
