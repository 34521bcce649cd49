"""Which screen: the prediction against the key itself, view factors against integration, and what must always hold."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import integrate
from swatchplates import swatch_plate

from transmixis.core.errors import UserError
from transmixis.core.matte import measure
from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot
from transmixis.core.plan import screen as s

SETS = (
    ("green", ("light skin", "grey wool", "red coat"), 1.5),
    ("green", ("denim", "light skin", "dark hair"), 2.5),
    ("green", ("navy wool", "grey wool"), 1.5),
    ("green", ("yellow coat", "white shirt", "light skin"), 1.5),
    ("green", ("sky-blue shirt", "dark skin"), 2.0),
    ("blue", ("light skin", "grey wool", "red coat"), 1.5),
    ("blue", ("leaves", "light skin", "brown wood"), 2.5),
)


@pytest.mark.parametrize(("kind", "names", "grain"), SETS)
def test_the_key_measures_what_was_predicted(kind: str, names: tuple[str, ...], grain: float) -> None:
    """Within 10 %: predicted from swatches and cloth as they are measured on another frame of the plate, and the camera's grain."""
    plate = swatch_plate(kind, names, grain, seed=len(names))
    model = learn_shot(plate.frames, kind=kind, still_camera=True)  # type: ignore[arg-type]
    assert isinstance(model, KeyModel)
    result = key_frame(plate.frames[0], model)
    measured = measure.separation_reading(plate.frames[0], result, model).value
    rows = [np.flatnonzero(plate.stripe == i) for i in range(len(names))]
    middle = plate.alpha > 0.999
    swatches = tuple(
        s.swatch_of(n, plate.frames[1][r][middle[r]], float(plate.alpha[r].sum())) for n, r in zip(names, rows, strict=True)
    )
    bare = np.concatenate([plate.frames[1][:, :200], plate.frames[1][:, 440:]], axis=1)
    found = s.separation(s.shared(swatches), kind, s.measured_cloth(bare), s.law_of_grain(grain))
    assert all(v < 0.2 for _, v in found.reach), found.reach
    assert found.steps == pytest.approx(measured, rel=0.10)


@pytest.mark.parametrize(("kind", "bad"), [("green", "leaves"), ("blue", "denim"), ("blue", "navy wool")])
def test_what_goes_into_the_screen_keys_through(kind: str, bad: str) -> None:
    """A colour that reaches a fifth of the way into the cloth is told by the plan, and the key then has holes or loses it."""
    names = (bad, "light skin")
    found = s.separation(tuple(s.common_swatch(n) for n in names), kind, s.even_cloth(s.CLOTHS[kind], 0.8), s.law_of_grain(1.5))
    assert dict(found.reach)[bad] > 0.2
    assert dict(found.reach)["light skin"] < 0.1
    plate = swatch_plate(kind, names, 1.5, seed=3)
    model = learn_shot(plate.frames, kind=kind, still_camera=True)  # type: ignore[arg-type]
    assert isinstance(model, KeyModel)
    alpha = key_frame(plate.frames[0], model).raw
    inside = plate.alpha > 0.999
    lost = [float(np.mean(alpha[(plate.stripe == i)[:, None] & inside] < 0.97)) for i in range(2)]
    assert lost[0] > 3 * lost[1] + 0.02


def test_the_cloth_as_seen_from_the_side_and_face_on() -> None:
    """View factors by adaptive quadrature (SciPy) of cos cos / (pi r^2); a boundless cloth fills a half of one view, all of the other."""
    w, h, d = 3.0, 2.4, 1.3

    def kernel(y: float, x: float, *, side: bool) -> float:
        r2 = x * x + y * y + d * d
        return (x if side else d) * d / (np.pi * r2 * r2)

    side = integrate.dblquad(lambda y, x: kernel(y, x, side=True), 0, w / 2, -h / 2, h / 2)[0]
    face = integrate.dblquad(lambda y, x: kernel(y, x, side=False), -w / 2, w / 2, -h / 2, h / 2)[0]
    assert s.seen_from_the_side(w, h, d) == pytest.approx(side, rel=1e-6)
    assert s.seen_face_on(w, h, d) == pytest.approx(face, rel=1e-6)
    assert s.seen_from_the_side(1e6, 1e6, 1) == pytest.approx(0.5, abs=1e-4)
    assert s.seen_face_on(1e6, 1e6, 1) == pytest.approx(1.0, abs=1e-4)
    far = s.distance_for_spill(w, h, 0.15)
    assert s.seen_from_the_side(w, h, far) <= 0.15 < s.seen_from_the_side(w, h, far - 0.11)


def test_grain_is_the_deviation_of_the_coded_picture() -> None:
    """Middle grey with that noise, coded by sRGB (IEC 61966-2-1), deviates by as many levels."""
    a, b = s.law_of_grain(2.0)
    light = 0.18 + np.sqrt(a * 0.18 + b) * np.random.default_rng(1).standard_normal(200_000)
    code = 255 * (1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)
    assert np.std(code) == pytest.approx(2.0, rel=0.01)


@settings(max_examples=25)
@given(grain=st.floats(0.5, 4), uneven=st.floats(0, 2), name=st.sampled_from(sorted(s.COMMON)))
def test_more_grain_and_less_even_cloth_bring_it_nearer(grain: float, uneven: float, name: str) -> None:
    swatch = (s.common_swatch(name),)

    def steps(g: float, u: float) -> float:
        return s.separation(swatch, "green", s.even_cloth(s.CLOTHS["green"], u), s.law_of_grain(g)).steps

    assert steps(2 * grain, uneven) <= steps(grain, uneven) + 1e-9
    assert steps(grain, uneven + 0.5) <= steps(grain, uneven) + 1e-9


def test_green_and_blue_are_alike_but_for_their_channels() -> None:
    """Exchange green and blue in everything, and the answer stays."""
    skin = s.common_swatch("light skin")
    turned = s.swatch_of("turned", skin.draws()[:, [0, 2, 1]])
    same = s.swatch_of("same", skin.draws())
    law = s.law_of_grain(1.5)
    green = s.separation((same,), "green", s.Cloth((0.05, 0.27, 0.07)), law)
    blue = s.separation((turned,), "blue", s.Cloth((0.05, 0.07, 0.27)), law)
    assert green.steps == pytest.approx(blue.steps, rel=0.03)


def test_what_cannot_be_measured_is_said() -> None:
    with pytest.raises(UserError, match="too small"):
        s.swatch_of("coat", np.zeros((2, 2, 3)))
    with pytest.raises(UserError, match="too small"):
        s.measured_cloth(np.zeros((4, 4, 3)))
    with pytest.raises(UserError, match="no colour"):
        s.common_swatch("plaid")
    with pytest.raises(UserError, match="Nothing"):
        s.separation((), "green", s.Cloth((0.1, 0.3, 0.1)), (1e-4, 1e-6))
    with pytest.raises(UserError, match="larger"):
        s.seen_from_the_side(0, 1, 1)
    with pytest.raises(UserError, match="not blue"):
        s.separation((s.common_swatch("light skin"),), "blue", s.Cloth((0.05, 0.27, 0.07)), (1e-4, 1e-6))
    with pytest.raises(UserError, match="no pixels"):
        s.measured_cloth(np.full((40, 40, 3), np.nan))
    even = s.measured_cloth(np.full((40, 40, 3), 0.2))
    assert even.low == pytest.approx(1.0)
    assert s.light_on_cloth((0.09, 0.54, 0.14), "green") == pytest.approx(1.0)
    assert s.light_on_cloth((0.0225, 0.135, 0.035), "green") == pytest.approx(-1.0)
