"""Mattes beside their truth: the figures against their definitions, the demo's take without a screen, and what does not belong together."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from places import ROOT

from transmixis.core.matte.error import border_match, overlap
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.mattescore import scored

SIZE = (60, 80)


def disc(x: float, r: float = 15.3) -> np.ndarray:
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    return np.clip(r + 0.5 - np.hypot(xx - x, yy - 30), 0, 1).astype(np.float32)


@pytest.fixture
def both(tmp_path: Path) -> tuple[Path, Path]:
    """Mattes as floats, the truth as 16-bit grey; the third frame goes 6 px beside."""
    for n, off in ((1, 0.0), (2, 0.0), (3, 6.0)):
        write_still(tmp_path / f"m.{n:04d}.exr", disc(30 + n + off), kind="half")
        write_still(tmp_path / f"t.{1000 + n}.png", disc(30 + n), kind="uint16")
    return tmp_path / "m.0001.exr", tmp_path / "t.1001.png"


def test_figures_are_those_of_the_definitions(both: tuple[Path, Path]) -> None:
    got = scored(*both, Progress())
    assert [round(f["overlap"], 3) for f in got["frames"][:2]] == [1.0, 1.0]
    assert got["frames"][0]["sad"] < 0.002  # half floats
    want = np.abs(disc(39) - disc(33)).sum() / 1000
    assert got["worst"]["frame"] == 3
    assert got["worst"]["sad"] == pytest.approx(want, abs=2e-3)
    a, b = disc(39) > 0.5, disc(33) > 0.5
    assert got["worst"]["overlap"] == pytest.approx((a & b).sum() / (a | b).sum(), abs=1e-9)
    assert got["worst"]["border"] < 0.6
    assert got["mean"]["sad"] == pytest.approx(want / 3, abs=2e-3)
    assert got["chatter"] == pytest.approx(np.abs(disc(39) - disc(33)).mean() / 2, rel=0.02)


def test_overlap_and_borders() -> None:
    a, none = disc(40) > 0.5, np.zeros(SIZE, bool)
    assert (overlap(a, a), border_match(a, a)) == (1.0, 1.0)
    assert (overlap(none, none), border_match(none, none)) == (1.0, 1.0)
    assert (overlap(a, none), border_match(a, none)) == (0.0, 0.0)
    assert border_match(a, np.roll(a, 1, axis=1)) == 1.0  # within the reach, a px here
    ring = a & ~(disc(40, 12) > 0.5)
    assert overlap(a, ring) == pytest.approx(ring.sum() / a.sum())
    assert 0.6 < border_match(a, ring) < 0.8  # half of the ring's border is no border of the disc: precision 0.55, recall 1


def test_from_the_command_line_and_what_does_not_belong_together(both: tuple[Path, Path], tmp_path: Path) -> None:
    told = json.loads(here("matte", "score", *both, "--json").stdout)
    assert len(told["frames"]) == 3
    assert "3 frames; SAD" in here("matte", "score", *both).stdout
    write_still(tmp_path / "small.png", disc(30)[:40], kind="uint8")
    write_still(tmp_path / "one.png", disc(30), kind="uint8")
    for other, words in (("small.png", "give mattes of one size"), ("one.png", "3 frames, one.png 1")):
        done = ran("matte", "score", both[0], tmp_path / other)
        assert done.returncode == 1
        assert words in done.stderr
    assert ran("matte", "score", both[0], tmp_path / "none.png").returncode == 1


def test_the_demos_take_without_a_screen(tmp_path: Path) -> None:
    """At most half of the error of a difference with the best threshold, on coded frames with a shadow and a drift of the exposure."""
    from transmixis.core.colour.curves import linear_to_srgb
    from transmixis.core.matte.away import learn_away, take_away
    from transmixis.media.source import open_source

    plates, truth = ROOT / "demo" / "kite_post" / "plates" / "KP100", ROOT / "demo" / "truth" / "KP100"
    take, empty = (
        open_source(plates / "hero" / "KP100_hero.mp4"),
        open_source(plates / "clean" / "KP100_clean.0001.png").read(1)[..., :3],
    )
    model = learn_away([take.read(n)[..., :3] for n in (1, 9, 17)], empty)
    ours = plain = 0.0
    for n in (5, 20):
        alpha = open_source(truth / f"alpha.{1000 + n}.png").with_settings(space="linear").read(n)[..., 0]
        frame = take.read(n)[..., :3]
        ours += float(np.abs(take_away(frame, model).alpha - alpha).sum())
        off = np.abs(linear_to_srgb(np.clip(frame, 0, 1)) - linear_to_srgb(np.clip(empty, 0, 1))).max(axis=2)
        plain += min(float(np.abs((off > t) - alpha).sum()) for t in np.linspace(0.02, 0.4, 39))
    assert ours < 0.4 * plain  # 0.27 over five frames
