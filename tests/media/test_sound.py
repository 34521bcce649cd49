"""Sound goes along with a delivered movie, in step with its pictures, or its loss is said."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from transmixis.core.progress import Progress
from transmixis.media.sound import Sound, samples
from transmixis.shot.deliver import deliver
from transmixis.shot.document import Document
from transmixis.shot.model import Step
from transmixis.shot.session import Session
from transmixis.shot.workorder import new_shot, plate_from

RATE, FRAMES, CLICK = 48_000, 24, 0.5  # s into the movie


def movie_with_click(path: Path, *, late: float = 0.0, fps: int = 24, codec: str = "pcm_s16le") -> Path:
    """Grey pictures and silence with one click; `late`: the sound begins so many seconds after the pictures."""
    with av.open(str(path), "w") as box:
        picture: Any = box.add_stream("mpeg4", rate=fps)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound: Any = box.add_stream(codec, rate=RATE, layout="mono")
        for i in range(FRAMES):
            grey = np.full((48, 64, 3), 80 + i, np.uint8)
            box.mux(picture.encode(av.VideoFrame.from_ndarray(grey, format="rgb24")))
        box.mux(picture.encode(None))
        wave = np.zeros((1, RATE * FRAMES // fps - round(late * RATE)), np.float32)
        wave[0, round((CLICK - late) * RATE) :][:48] = 0.9
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray((wave * 32767).astype(np.int16)), format="s16", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, round(late * RATE), Fraction(1, RATE)
        box.mux(sound.encode(frame))
        box.mux(sound.encode(None))
    return path


def click_at(path: Path) -> tuple[float, float]:
    """Seconds after the first picture at which a movie clicks, and how long its sound is."""
    blocks = list(samples(Sound(path, 0.0, 3.0), RATE))
    whole = np.concatenate(blocks, axis=1)[0]
    with av.open(str(path)) as box:
        assert len(box.streams.audio) == 1
        length = sum(f.samples for f in box.decode(audio=0)) / RATE
    return float(np.argmax(np.abs(whole))) / RATE, length


def session_of(folder: Path, plate: Path, **more: Any) -> Session:
    doc = Document.create(folder, "Film", "24")
    made, info = plate_from(folder, plate, None)
    shot = new_shot("A", "", info, made, "24")
    doc.change_shot("Add", shot.model_copy(update=more))
    return Session(doc, 64 << 20)


@pytest.mark.parametrize("late", [0.0, 0.2])
@pytest.mark.parametrize(("suffix", "off"), [(".mov", 0.0005), (".mkv", 0.0005), (".mp4", 0.003)])
def test_sound_stays_in_step(tmp_path: Path, suffix: str, off: float, late: float) -> None:
    session = session_of(tmp_path / "film", movie_with_click(tmp_path / "in.mov", late=late))
    out = tmp_path / f"out{suffix}"
    report = deliver(session.renderer("A"), "plate:hero", out, range(1, FRAMES + 1), Progress())
    assert "is kept along" in report.sound
    at, length = click_at(out)
    assert at == pytest.approx(CLICK, abs=off)
    assert length == pytest.approx(1.0, abs=0.03)
    again = deliver(session.renderer("A"), "plate:hero", out, range(1, FRAMES + 1), Progress())
    assert (again.made, again.kept, again.sound) == (0, FRAMES, report.sound)
    session.close()


def test_sound_follows_the_plate_s_offset(tmp_path: Path) -> None:
    session = session_of(tmp_path / "film", movie_with_click(tmp_path / "in.mov"))
    shot = session.document.shot("A")
    moved = shot.plates[0].model_copy(update={"offset": 6})
    session.document.change_shot("cut", shot.model_copy(update={"plates": (moved,), "length": 12}))
    out = tmp_path / "out.mov"
    deliver(session.renderer("A"), "plate:hero", out, range(1, 13), Progress())
    at, length = click_at(out)
    assert at == pytest.approx(CLICK - 6 / 24, abs=0.0005)
    assert length == pytest.approx(0.5, abs=0.001)
    session.close()


def test_a_loss_of_sound_is_said_with_its_reason(tmp_path: Path) -> None:
    session = session_of(tmp_path / "film", movie_with_click(tmp_path / "in.mov"))
    renderer = session.renderer("A")
    part = deliver(renderer, "plate:hero", tmp_path / "part.mov", range(1, 6), Progress())
    assert "only a part of the shot" in part.sound
    pictures = deliver(renderer, "plate:hero", tmp_path / "f.####.png", range(1, 3), Progress())
    assert "a sequence of pictures holds none" in pictures.sound
    shot = session.document.shot("A")
    step = Step(id="conform", kind="conform", name="Conform", inputs={"picture": "plate:hero"})
    session.document.change_shot("conform", shot.model_copy(update={"steps": (step,)}))
    timed = deliver(session.renderer("A"), "plate:hero", tmp_path / "timed.mov", range(1, FRAMES + 1), Progress())
    assert "Conform takes other frames" in timed.sound
    session.document.change_shot("rate", session.document.shot("A").model_copy(update={"steps": (), "rate": "25"}))
    other = deliver(session.renderer("A"), "plate:hero", tmp_path / "other.mov", range(1, FRAMES + 1), Progress())
    assert "recorded at 24 frames a second, the shot has 25" in other.sound
    with av.open(str(tmp_path / "other.mov")) as box:
        assert not box.streams.audio
    session.close()


def test_damaged_sound_becomes_silence_not_a_failure(tmp_path: Path) -> None:
    path = movie_with_click(tmp_path / "in.mp4", codec="aac")
    data = bytearray(path.read_bytes())
    start = data.index(b"mdat")
    size = int.from_bytes(data[start - 4 : start], "big")
    dice = np.random.default_rng(3)
    for i in dice.integers(start + 8, start + size - 8, size // 12):
        data[i] ^= 0xFF
    path.write_bytes(data)
    got = np.concatenate(list(samples(Sound(path, 0.0, 1.0), RATE)), axis=1)
    assert got.shape[1] == RATE


@pytest.mark.parametrize("rate", [192_000, 12_345])
def test_sound_of_a_rate_that_aac_does_not_know_is_brought_to_one(tmp_path: Path, rate: int) -> None:
    path = tmp_path / "odd.mov"
    with av.open(str(path), "w") as box:
        picture: Any = box.add_stream("mpeg4", rate=24)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv420p"
        sound: Any = box.add_stream("pcm_s16le", rate=rate, layout="mono")
        for i in range(FRAMES):
            box.mux(picture.encode(av.VideoFrame.from_ndarray(np.full((48, 64, 3), 80 + i, np.uint8), format="rgb24")))
        box.mux(picture.encode(None))
        wave = (20_000 * np.sin(2 * np.pi * 440 * np.arange(rate) / rate)).astype(np.int16)
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(wave[None]), format="s16", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
        box.mux(sound.encode(frame))
        box.mux(sound.encode(None))
    session = session_of(tmp_path / "film", path)
    out = tmp_path / "out.mp4"
    deliver(session.renderer("A"), "plate:hero", out, range(1, FRAMES + 1), Progress())
    wave_out = np.concatenate(list(samples(Sound(out, 0.1, 0.8), 48_000)), axis=1)[0]
    tone = np.argmax(np.abs(np.fft.rfft(wave_out * np.hanning(len(wave_out))))) / 0.8
    assert tone == pytest.approx(440, abs=3)
    session.close()
