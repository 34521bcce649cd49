"""What a plate's file says against the shot: rate, size and shape of pixels, and Conform's proposal from it."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from transmixis.media.movie import MovieWriter
from transmixis.media.source import open_source
from transmixis.shot.bare import bare_shot
from transmixis.shot.looks import facts_against_shot, plate_findings
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step


@pytest.fixture
def fast(tmp_path: Path) -> Shot:
    """A movie of 48 pictures a second in a shot of 24; a bar moves 4 px a picture."""
    path = tmp_path / "fast.mkv"
    writer = MovieWriter(path, "ffv1", 128, 64, Fraction(48))
    for n in range(20):
        f = np.full((64, 128, 3), 0.2, np.float32)
        f[:, 20 + 4 * n : 28 + 4 * n] = 0.6
        writer.write(f + np.random.default_rng(n).normal(0, 0.004, f.shape).astype(np.float32))
    writer.finish()
    shot, _ = bare_shot(path)
    return shot.model_copy(update={"rate": "24", "length": 10})


def test_another_rate_is_found_and_conformed(fast: Shot) -> None:
    r = Renderer(fast, Material(Path.cwd()))
    found = [f for f in plate_findings(r, "plate:hero") if "recorded at 48" in f.words]
    assert len(found) == 1
    assert found[0].bad
    shot, step = add_step(fast, "conform")
    proposal = Renderer(shot, Material(Path.cwd())).propose(step.id)
    assert proposal is not None
    assert proposal.values == {"speed": 2.0, "frames": "hold the nearest"}
    done = shot.with_step(step.model_copy(update={"params": proposal.values}))
    conformed = Renderer(done, Material(Path.cwd()))
    assert conformed.propose(step.id) is None
    out = conformed.product(f"step:{step.id}", 4).picture
    assert np.array_equal(out, conformed.product("plate:hero", 7).picture)


def test_size_and_pixel_shape_are_told(fast: Shot) -> None:
    info = open_source(Path(fast.plates[0].path)).info
    wide = fast.model_copy(update={"width": 1920, "height": 1080})
    words = " ".join(f.words for f in facts_against_shot(info, wide, 1.4222, 20))
    assert "is 128 x 64, the shot 1920 x 1080" in words
    assert "pixels 1.422 times as wide" in words
    assert facts_against_shot(info, fast.model_copy(update={"rate": "48"}), 1.0, 20) == []
    ntsc = fast.model_copy(update={"rate": "48000/1001"})
    assert facts_against_shot(info, ntsc, 1.0, 20) == []  # a thousandth is no other rate


def test_square_pixels_are_proposed(fast: Shot) -> None:
    hero = fast.plates[0].model_copy(update={"pixel_aspect": 1.5})
    shot, step = add_step(fast.model_copy(update={"plates": (hero,), "rate": "48"}), "conform")
    proposal = Renderer(shot, Material(Path.cwd())).propose(step.id)
    assert proposal is not None
    assert proposal.values == {"aspect": 1.5}
    done = shot.with_step(step.model_copy(update={"params": {**proposal.values, "size": "fit inside"}}))
    out = Renderer(done, Material(Path.cwd())).product(f"step:{step.id}", 1).picture
    assert out.shape[:2] == (64, 128)
    assert out[2, 64].max() == 0  # a wider picture, fitted inside, leaves room above
