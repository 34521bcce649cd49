"""Movies whose file tells wrong times of its frames: every frame is the right one, whichever way they are asked for."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from movies import movie_at

from transmixis.media.movie import BEHIND, COUNTED, MovieReader, movie_info
from transmixis.media.source import open_source

COUNT = 45


def coded(path: Path, times: str) -> Path:
    """Frames that grow brighter one by one, coded out of their order (B frames); `times`: 'right', 'coded' (in the order of coding) or
    'none' (all the same)."""
    with av.open(str(path), "w") as box:
        stream = box.add_stream("libx264", rate=Fraction(24), options={"bf": "3", "b-adapt": "0", "g": "300", "crf": "4"})
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        late: list[av.Packet] = []
        for n in range(COUNT):
            picture = np.full((64, 64, 3), 20 + 4 * n, np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts = n
            late += stream.encode(frame)
        late += stream.encode(None)
        for k, packet in enumerate(late):
            if times != "right":
                packet.pts = packet.dts = k * 512 if times == "coded" else 0
                packet.time_base = Fraction(1, 12288)
            box.mux(packet)
    return path


@pytest.fixture(scope="module", params=["right", "coded", "none"])
def movie(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    return coded(tmp_path_factory.mktemp("movies") / f"{request.param}.mp4", request.param)


def shown(reader: MovieReader, index: int) -> int:
    return round((float(reader.read(index)[..., 1].mean()) - 20) / 4)


def test_wrong_times_are_told_and_right_ones_trusted(movie: Path) -> None:
    info = movie_info(movie)
    assert info.frames == COUNT
    assert info.counted == (movie.stem != "right")
    assert (COUNTED in info.notes) == info.counted
    assert not info.variable


def test_frames_are_themselves_forwards_backwards_and_at_random(movie: Path) -> None:
    info = movie_info(movie)
    for order in (range(COUNT), range(COUNT - 1, -1, -1), range(0, COUNT, 21), (40, 2, 39, 3, COUNT - 1, 0)):
        reader = MovieReader(movie, info)
        assert [shown(reader, n) for n in order] == list(order)
        reader.close()


@given(order=st.lists(st.integers(0, COUNT - 1), min_size=1, max_size=6))
@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_order_gives_the_same(movie: Path, order: list[int]) -> None:
    reader = MovieReader(movie, movie_info(movie))
    assert [shown(reader, n) for n in order] == order


def test_going_backwards_begins_anew_only_now_and_then(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = coded(tmp_path / "none.mp4", "none")
    reader = MovieReader(path, movie_info(path))
    begun: list[int] = []
    begin = MovieReader._begin
    monkeypatch.setattr(MovieReader, "_begin", lambda self: (begun.append(1), begin(self))[1])
    for n in range(COUNT - 1, -1, -1):
        reader.read(n)
    assert len(begun) <= -(-COUNT // BEHIND)


def test_a_source_reads_such_a_movie_as_any_other(movie: Path) -> None:
    source = open_source(movie)
    values = [float(source.read(n)[..., 1].mean()) for n in (30, 3, 31, 4)]
    assert values[1] < values[3] < values[0] < values[2]


def test_movies_without_frames_out_of_order_are_trusted_without_decoding(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = movie_at(tmp_path / "plain.mkv", range(0, 400, 40))
    monkeypatch.setattr("transmixis.media.movie._as_timed", lambda *_: pytest.fail("decoded in vain"))
    assert not movie_info(path).counted
