"""What the survey's plots hold: the survey's own figures, limits and words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from movingplates import centred, made_picture, recorded, scans_of, seen

from transmixis.core.plot import COMBED, DOUBLED, JUMP, MISSING, Curve, Frames, Path, Spotted, Trace
from transmixis.core.progress import Progress
from transmixis.core.survey.dust import Dust, Spot
from transmixis.core.survey.findings import EXPOSURE, FLICKER, SHARP, SHIFT
from transmixis.core.survey.plate import survey_plate
from transmixis.core.survey.plots import detail_plot, exposure_plot, marks_plot, path_plot, timing_plot
from transmixis.core.survey.timing import Timing


@pytest.fixture(scope="module")
def found():  # type: ignore[no-untyped-def]
    picture, lights = made_picture(5), (1.0, 1.0, 1.1, 1.1, 1.1, 1.1, 1.1, 1.1)
    moves = [centred(0.5 * i, -0.25 * i) for i in range(8)]
    frames = [recorded(seen(picture, m) * light, i) for i, (m, light) in enumerate(zip(moves, lights, strict=True))]
    return survey_plate(scans_of(frames), 24, lambda n: frames[n - 1], Progress())


@pytest.fixture(scope="module")
def still():  # type: ignore[no-untyped-def]
    frames = [recorded(seen(made_picture(6)), i) for i in range(6)]
    return survey_plate(scans_of(frames), 24, lambda n: frames[n - 1], Progress())


def test_the_path_is_the_cameras(found) -> None:  # type: ignore[no-untyped-def]
    plot = path_plot(found)
    (path,) = plot.panels
    assert isinstance(path, Path)
    assert path.ring == SHIFT
    assert path.points[7] - path.points[0] == pytest.approx((3.5, -1.75), abs=0.1)
    assert plot.words == found.steadiness.words


def test_exposure_and_flicker_have_their_own_limits(found) -> None:  # type: ignore[no-untyped-def]
    exposure, flicker = exposure_plot(found).panels
    assert isinstance(exposure, Trace)
    assert isinstance(flicker, Trace)
    assert exposure.values[[0, 7]] == pytest.approx((0, np.log2(1.1)), abs=0.01)
    assert (exposure.limit, flicker.limit) == (EXPOSURE, FLICKER)
    assert exposure.reach == pytest.approx(1.2 * np.log2(1.1), rel=0.05)
    assert Trace("", np.full(3, 0.001), 0.02).reach == pytest.approx(0.032)
    assert Trace("", np.full(3, np.nan)).reach == 1.0


def test_detail_is_in_per_cent_and_noise_meets_its_law(found) -> None:  # type: ignore[no-untyped-def]
    detail, noise = detail_plot(found).panels
    assert isinstance(detail, Trace)
    assert (detail.limit, detail.floor) == (100 * SHARP, True)
    assert np.nanmax(detail.values) == pytest.approx(100, abs=8)
    assert isinstance(noise, Curve)
    assert noise.why == "not measured: nothing stands still"  # the camera moves here


def test_noise_meets_its_law(still) -> None:  # type: ignore[no-untyped-def]
    _, noise = detail_plot(still).panels
    assert isinstance(noise, Curve)
    assert not noise.why
    a, b = still.noise.law[1, 0], still.noise.law[1, 1]
    assert noise.ys == pytest.approx(np.sqrt(np.maximum(a * noise.xs + b, 0)))
    assert noise.dots[:, 1] ** 2 == pytest.approx(np.maximum(still.noise.variance, 0))
    assert noise.xs[-1] == pytest.approx(1.05 * noise.dots[:, 0].max())


def test_frames_and_what_reaches_in(found) -> None:  # type: ignore[no-untyped-def]
    (strip,) = timing_plot(found).panels
    assert isinstance(strip, Frames)
    assert strip.count == 8
    assert strip.marks == ()
    odd = replace(found, timing=Timing((3,), (5,), (7,), (2, 4), False, False, ""))
    plot = timing_plot(odd)
    assert isinstance(plot.panels[0], Frames)
    assert set(plot.panels[0].marks) == {(3, DOUBLED), (5, JUMP), (7, MISSING), (2, COMBED), (4, COMBED)}
    assert plot.words.startswith("1 doubled, 1 place where a frame is missing, 1 without a file, 2 combed. Too little moves")
    assert timing_plot(replace(odd, timing=replace(odd.timing, cadence="every second one"))).words.startswith("every second one")
    (spotted,) = marks_plot(found).panels
    assert isinstance(spotted, Spotted)
    assert spotted.size == found.path.size
    assert len(spotted.rings) == len(found.dust.spots)
    assert marks_plot(found).words.endswith(".")


def test_what_is_said_where_nothing_is_known(found) -> None:  # type: ignore[no-untyped-def]
    assert [p.why for p in exposure_plot(found).panels] == ["not measured"] * 2  # type: ignore[union-attr]
    why = replace(found, gains=replace(found.gains, reason="all of it is black"))
    assert [p.why for p in exposure_plot(why).panels] == ["all of it is black"] * 2  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("reason", "seen", "words"),
    [
        ("", "", "No dust found; "), ("", "half of all spots of 5 px", "No dust found; half of all spots of 5 px; "),
        ("the picture stands", "half of all", "The picture stands; "), ("the picture stands", "", "The picture stands; "),
    ],
)  # fmt: skip
def test_dust_is_told_with_what_could_have_been_seen(found, reason: str, seen: str, words: str) -> None:  # type: ignore[no-untyped-def]
    told = replace(found, dust=Dust((), found.dust.lack, reason, seen=seen), intruders=(), intruders_told=True)
    assert marks_plot(told).words == words + "nothing reaches in."
    spots = (Spot(10, 10, 3, 0.1), Spot(30, 10, 3, 0.1))
    assert marks_plot(replace(told, dust=Dust(spots, found.dust.lack))).words.startswith("2 spots of dust; ")
    assert "edges are not compared" in marks_plot(replace(told, intruders_told=False)).words
