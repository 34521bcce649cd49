"""The screen report on made plates: markers, evenness, level, shadow, and what it advises."""

from __future__ import annotations

import keyplates as kp
import numpy as np

from transmixis.core.matte.keyer import KeyModel, KeySettings, key_frame, learn_shot
from transmixis.core.survey.screen_report import ScreenReport, _wrinkles, report_screen


def report(frames: list[np.ndarray], n: int = 0) -> ScreenReport:
    model = learn_shot(frames)
    assert isinstance(model, KeyModel)
    return report_screen(frames[n], key_frame(frames[n], model, KeySettings()), model)


def plain(gain: np.ndarray | float = 1.0, level: float = 1.0) -> list[np.ndarray]:
    """An even cloth with a grey subject; `gain` over the picture, `level` of the cloth."""
    out = []
    for n in range(3):
        rng = np.random.default_rng(n)
        f = np.full((180, 320, 3), np.float32((0.05, 0.3, 0.07))) * level * np.asarray(gain, np.float32)
        f[60:180, 130:190] = (0.3, 0.28, 0.26)
        out.append((f + rng.normal(0, 0.003, f.shape)).astype(np.float32))
    return out


def test_an_even_screen_is_good_and_an_uneven_one_says_where() -> None:
    good = report(plain())
    assert good.kind == "green"
    assert good.evenness < 0.1
    assert good.verdict == "good", good.advice
    ramp = np.linspace(1.0, 0.35, 320, dtype=np.float32)[None, :, None]
    bad = report(plain(ramp))
    assert 1.0 < bad.evenness < 1.6
    assert any("darkest at the" in a and "right" in a for a in bad.advice)
    assert np.nanmin(bad.map[:, -3:]) < np.nanmax(bad.map[:, :3]) - 0.8


def test_the_level_against_the_subject_and_the_share() -> None:
    dark = report(plain(level=0.3))
    assert dark.level < -1.5
    assert any("under the subject" in a for a in dark.advice)
    assert 0.7 < report(plain()).share < 0.95


def test_markers_are_counted_and_placed() -> None:
    frames = plain()
    places = [(40, 30), (40, 120), (270, 30), (270, 120)]
    for f in frames:
        for x, y in places:
            f[y - 1 : y + 2, x - 5 : x + 6] = (0.2, 0.25, 0.2)
            f[y - 5 : y + 6, x - 1 : x + 2] = (0.2, 0.25, 0.2)
    r = report(frames)
    assert len(r.markers) == 4
    for x, y in places:
        assert min(np.hypot(m.x - x, m.y - y) for m in r.markers) < 2
    assert all(8 < m.size < 24 for m in r.markers)


def test_shadow_and_wrinkles() -> None:
    gain = np.ones((180, 320, 1), np.float32)
    gain[:60, 200:] = 0.45
    shaded = report(plain(gain))
    assert shaded.shadow > 0.05
    assert any("shadow" in a for a in shaded.advice)
    x = np.arange(320, dtype=np.float32)
    waves = (1 + 0.2 * np.sin(2 * np.pi * x / 20))[None, :, None]
    assert report(plain(waves)).wrinkles > 3 * report(plain()).wrinkles + 0.02


def test_a_made_plate_with_hair_and_motion_is_reported(green: kp.MadePlate) -> None:
    frames = [np.ascontiguousarray(f) for f in green.plate]
    r = report(frames, 1)
    assert r.kind == "green"
    assert r.share > 0.2
    assert r.separation is not None
    assert r.verdict in ("good", "usable", "poor")


def test_wrinkles_are_read_on_the_bare_screen_and_nowhere_else() -> None:
    frames = plain(1 + 0.1 * np.sin(np.arange(320, dtype=np.float32) * 2 * np.pi / 16)[None, :, None])
    model = learn_shot(frames)
    assert isinstance(model, KeyModel)
    bare = np.zeros(frames[0].shape[:2], bool)
    bare[:50] = True
    told = _wrinkles(frames[0], bare, model)
    assert 0.02 < told < 0.1 / np.sqrt(2) / np.log(2) * 1.1  # stops rms of the waves, less what is averaged away with the noise
    assert _wrinkles(plain()[0], bare, model) < 0.02
    assert _wrinkles(frames[0], np.zeros_like(bare), model) == 0
    lines = np.zeros_like(bare)
    lines[::4] = True  # much bare screen, but nowhere far from what is not
    assert _wrinkles(frames[0], lines, model) == 0
