"""What files hold, to the code: every value of every depth, heads made by hand, the cache's order, odd calendars, sequences' names."""

from __future__ import annotations

import struct
import threading
import zlib
from datetime import date
from fractions import Fraction
from pathlib import Path

import av
import colour as reference
import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from movies import movie_at

from transmixis.core.errors import UserError
from transmixis.media import colour
from transmixis.media.cache import FrameCache, size_of
from transmixis.media.calendar import read_days
from transmixis.media.files import read_bytes
from transmixis.media.movie import MovieWriter, movie_info
from transmixis.media.sequence import MOST_FRAMES, find_sequence, name_rule
from transmixis.media.source import open_source
from transmixis.media.still import MAX_PIXELS, jpeg_chroma_halved, still_info, write_still

ALL_8 = np.arange(256, dtype=np.uint8).reshape(16, 16)
ALL_16 = np.arange(65536, dtype=np.uint16).reshape(256, 256)


def srgb(codes: np.ndarray, top: int) -> np.ndarray:
    """IEC 61966-2-1 by a reference library."""
    return np.asarray(reference.models.eotf_sRGB(codes.astype(np.float64) / top))


@pytest.mark.parametrize(("codes", "top"), [(ALL_8, 255), (ALL_16, 65535)])
@pytest.mark.parametrize("suffix", [".png", ".tif"])
def test_every_code_is_read_as_the_standard_says(tmp_path: Path, codes: np.ndarray, top: int, suffix: str) -> None:
    path = tmp_path / f"codes{suffix}"
    cv2.imwrite(str(path), np.repeat(codes[..., None], 3, 2))
    got = open_source(path).read(1)
    assert np.abs(got - srgb(codes, top)[..., None]).max() < 2e-6
    assert (got.min(), got.max()) == (0, pytest.approx(1.0, abs=1e-6))
    write_still(tmp_path / f"back{suffix}", got, kind="uint8" if top == 255 else "uint16")
    back = cv2.imread(str(tmp_path / f"back{suffix}"), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(back[..., 0], codes)  # there and back without a step lost


@pytest.mark.parametrize(("kind", "top"), [(np.uint8, 255), (np.uint16, 65535)])
def test_alpha_is_a_share_and_never_coded(tmp_path: Path, kind: type, top: int) -> None:
    """Straight in the file: colour (top, half, 0) under alpha 0, a third, a half and 1; white under full alpha is white."""
    data = np.zeros((1, 4, 4), kind)
    data[..., 2], data[..., 1] = top, top // 2 + 1  # as blue, green, red
    data[0, :, 3] = [0, top // 3, top // 2 + 1, top]
    cv2.imwrite(str(tmp_path / "a.png"), data)
    got = open_source(tmp_path / "a.png").read(1)[0]
    share = data[0, :, 3].astype(float) / top
    assert got[:, 3] == pytest.approx(share, abs=1e-6)
    half = float(srgb(np.array(top // 2 + 1), top))
    assert got[:, 0] == pytest.approx(share, abs=2e-6)
    assert got[:, 1] == pytest.approx(half * share, abs=2e-6)
    assert np.all(got[:, 2] == 0)


def test_grey_and_its_alpha_become_colour(tmp_path: Path) -> None:
    cv2.imwrite(str(tmp_path / "g.png"), ALL_8)
    grey = open_source(tmp_path / "g.png").read(1)
    assert grey.shape == (16, 16, 3)
    assert np.array_equal(grey[..., 0], grey[..., 2])

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    rows = b"".join(b"\0" + bytes([v, 128]) for v in (0, 255))  # two pixels, one above the other: black and white, half there
    head = struct.pack(">IIBBBBB", 1, 2, 8, 4, 0, 0, 0)
    png = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
    (tmp_path / "ga.png").write_bytes(png)
    got = open_source(tmp_path / "ga.png").read(1)[:, 0]
    assert got == pytest.approx(np.array([[0, 0, 0, 128 / 255], [128 / 255] * 4]), abs=2e-6)


def test_channels_are_found_by_name_in_whatever_order(tmp_path: Path) -> None:
    spec = oiio.ImageSpec(6, 4, 5, "float")
    spec.channelnames = ("A", "Z", "B", "R", "G")
    out = oiio.ImageOutput.create(str(tmp_path / "p.exr"))
    assert out.open(str(tmp_path / "p.exr"), spec)
    out.write_image(np.full((4, 6, 5), [0.5, 99.0, 0.3, 0.1, 0.2], np.float32))
    out.close()
    assert open_source(tmp_path / "p.exr").read(1)[0, 0] == pytest.approx([0.1, 0.2, 0.3, 0.5])


def test_heads_that_cannot_be_true_are_refused_and_large_flat_ones_are_not(tmp_path: Path) -> None:
    flat = np.zeros((3000, 4000, 3), np.uint8)  # 12 million pixels in some 50 kB: as tightly packed as can be
    cv2.imwrite(str(tmp_path / "flat.png"), flat, [cv2.IMWRITE_PNG_COMPRESSION, 9])
    assert (tmp_path / "flat.png").stat().st_size < 100_000
    assert still_info(tmp_path / "flat.png").width == 4000
    small = cv2.imencode(".png", np.zeros((8, 8, 3), np.uint8))[1].tobytes()

    def claiming(w: int, h: int) -> Path:
        body = b"IHDR" + struct.pack(">II", w, h) + small[24:29]
        path = tmp_path / f"{w}.png"
        path.write_bytes(small[:12] + body + struct.pack(">I", zlib.crc32(body)) + small[33:])
        return path

    assert still_info(claiming(900, 900)).height == 900  # small ones are always tried
    with pytest.raises(UserError, match="bytes cannot hold"):
        still_info(claiming(3000, 2000))
    with pytest.raises(UserError, match="more than can be opened"):
        still_info(claiming(MAX_PIXELS // 1000 + 1, 1000))


def jpeg_head(factors: list[tuple[int, int]], *, mark: int = 0xC0, before: bytes = b"") -> bytes:
    """Start of a JPEG file with a frame header (ITU-T T.81, B.2.2)."""
    parts = b"".join(bytes([k + 1, (h << 4) | v, 0]) for k, (h, v) in enumerate(factors))
    return (
        b"\xff\xd8"
        + before
        + bytes([0xFF, mark])
        + struct.pack(">HBHHB", 8 + len(parts), 8, 16, 16, len(factors))
        + parts
        + b"\0" * 8
    )


TABLE = b"\xff\xc4" + struct.pack(">H", 5) + b"\x11\x22\x22"  # a table whose content looks like factors


@pytest.mark.parametrize(
    ("data", "halved"),
    [
        (jpeg_head([(2, 2), (1, 1), (1, 1)]), True),
        (jpeg_head([(2, 2), (1, 1), (1, 1)], mark=0xC2), True),  # progressive
        (jpeg_head([(2, 2), (1, 1), (1, 1)], before=TABLE), True),
        (jpeg_head([(2, 2), (1, 1), (1, 1)], before=b"\xff\xff\xff"), True),  # fill bytes are allowed
        (jpeg_head([(4, 2), (2, 1), (2, 1)]), True),
        (jpeg_head([(2, 1), (1, 1), (1, 1)]), False),
        (jpeg_head([(1, 2), (1, 1), (1, 1)]), False),
        (jpeg_head([(4, 1), (1, 1), (1, 1)]), False),
        (jpeg_head([(1, 1), (1, 1), (1, 1)]), False),
        (jpeg_head([(2, 2), (2, 2), (1, 1)]), False),
        (jpeg_head([(2, 2), (1, 1), (2, 2)]), False),
        (jpeg_head([(2, 2)]), False),
        (b"\xff\xd8" + TABLE, None),
        (b"\xff\xd8\x00\x00" + jpeg_head([(2, 2), (1, 1), (1, 1)])[2:], None),
        (b"\x89PNG" + b"\0" * 40, None),
        (b"", None),
    ],
)
def test_a_jpeg_s_head_is_read_to_the_letter(tmp_path: Path, data: bytes, halved: bool | None) -> None:
    (tmp_path / "h.jpg").write_bytes(data)
    assert jpeg_chroma_halved(tmp_path / "h.jpg") is halved
    assert jpeg_chroma_halved(tmp_path / "none.jpg") is None


@pytest.mark.parametrize(
    ("step", "rate"), [(83, None), (56, None), (40, Fraction(25)), (20, Fraction(50)), (125, Fraction(8)), (10, Fraction(100))]
)
def test_a_rate_is_read_from_the_frames_times(tmp_path: Path, step: int, rate: Fraction | None) -> None:
    info = movie_info(movie_at(tmp_path / "m.mkv", range(0, 40 * step, step)))
    assert float(info.rate) == pytest.approx(1000 / step, rel=0.004)
    assert rate is None or info.rate == rate
    assert (info.frames, info.variable) == (40, False)


@pytest.mark.parametrize(
    ("measured", "usual"),
    [
        (Fraction(23976, 1000), Fraction(24000, 1001)), (Fraction(24), Fraction(24)), (Fraction(2997, 100), Fraction(30000, 1001)),
        (Fraction(1000, 33), Fraction(1000, 33)), (Fraction(18), Fraction(18)), (Fraction(1802, 100), Fraction(901, 50)),
        (Fraction(11988, 100), Fraction(120000, 1001)), (Fraction(12, 1), Fraction(12)), (Fraction(15, 1), Fraction(15)),
        (Fraction(4796, 100), Fraction(48)), (Fraction(17, 3), Fraction(17, 3)),
    ],
)  # fmt: skip
def test_a_rate_near_a_usual_one_is_that(measured: Fraction, usual: Fraction) -> None:
    from transmixis.media.movie import _usual

    assert _usual(measured) == usual


def test_a_lossless_movie_keeps_every_code(tmp_path: Path) -> None:
    path = tmp_path / "m.mkv"
    writer = MovieWriter(path, "ffv1", 16, 16, Fraction(24))
    exact = srgb(ALL_8, 255).astype(np.float32)
    frame = np.stack([exact, exact[::-1], exact.T], 2)
    writer.write(np.concatenate([frame, np.full((16, 16, 1), 0.5, np.float32)], 2))  # alpha is left out
    writer.write(frame * 0)
    writer.finish()
    source = open_source(path)
    assert source.info.count == 2
    assert np.abs(source.read(1) - frame).max() < 2e-6
    assert source.read(2).max() == 0
    source.close()
    with av.open(str(path)) as box:
        ctx = box.streams.video[0].codec_context
        assert (ctx.color_trc, ctx.color_primaries) == (13, 1)  # sRGB curve, BT.709 primaries (ISO/IEC 23091-2)


def test_a_movie_for_looking_at_needs_even_sides(tmp_path: Path) -> None:
    for size in ((15, 16), (16, 15)):
        with pytest.raises(UserError, match="even"):
            MovieWriter(tmp_path / "m.mp4", "h264", *size, Fraction(24))
    writer = MovieWriter(tmp_path / "m.mp4", "h264", 16, 16, Fraction(24))
    writer.write(np.full((16, 16, 3), 0.5, np.float32))
    writer.abandon()
    assert not list(tmp_path.iterdir())


def test_the_least_recently_used_goes_first() -> None:
    cache = FrameCache(300)
    block = np.zeros(100, np.uint8)
    for name in "abc":
        cache.put(name, block)
    assert cache.used == 300  # exactly full is not too full
    assert cache.get("a") is block
    cache.put("d", block)
    assert [k in cache for k in "abcd"] == [True, False, True, True]
    assert cache.get("b") is None
    cache.put("c", np.zeros(200, np.uint8))  # in the place of the old one
    assert cache.used == 300
    assert [k in cache for k in "acd"] == [False, True, True]
    cache.put("whole", np.zeros(300, np.uint8))
    assert "whole" in cache
    assert cache.used == 300
    cache.put("whole", np.zeros(301, np.uint8))
    assert ("whole" in cache, cache.used) == (False, 0)  # nor is the old one taken for the new


def test_what_is_looked_at_again_stays() -> None:
    cache = FrameCache(200)
    for name in "ab":
        cache.put(name, np.zeros(100, np.uint8))
    assert cache.get_or_make("a", lambda: 1 / 0) is not None
    cache.put("c", np.zeros(100, np.uint8))
    assert ("a" in cache, "b" in cache) == (True, False)


def test_sizes_are_counted_through_and_through() -> None:
    a = np.zeros((4, 5), np.float32)
    assert size_of(a) == 80
    assert size_of((a, [a, {"x": a}])) == 240
    assert size_of("words") == 64


def test_two_threads_make_a_value_once_and_a_failure_is_tried_again() -> None:
    cache, made, begun, go_on = FrameCache(1000), [], threading.Event(), threading.Event()

    def make() -> np.ndarray:
        made.append(1)
        begun.set()
        go_on.wait(10)
        return np.ones(3, np.uint8)

    got: list[np.ndarray] = []
    threads = [threading.Thread(target=lambda: got.append(cache.get_or_make("x", make))) for _ in range(4)]
    threads[0].start()
    assert begun.wait(10)
    for t in threads[1:]:
        t.start()
    go_on.set()
    for t in threads:
        t.join(10)
    assert (len(made), len(got)) == (1, 4)
    assert all(g is got[0] for g in got)
    with pytest.raises(ZeroDivisionError):
        cache.get_or_make("y", lambda: 1 / 0)
    assert cache.get_or_make("y", lambda: np.zeros(2, np.uint8)).shape == (2,)


@pytest.mark.parametrize(
    ("lines", "days"),
    [
        (["DTSTART;VALUE=DATE:20260510", "DTEND;VALUE=DATE:20260512"], [10, 11]),
        (["DTSTART;VALUE=DATE:20260510"], [10]),
        (["DTSTART;VALUE=DATE:20260510", "DTEND;VALUE=DATE:20260510"], [10]),
        (["DTSTART;VALUE=DATE:20260510", "DURATION:P3D"], [10, 11, 12]),
        (["DTSTART:20260510T220000", "DTEND:20260511T020000"], [10, 11]),
        (["DTSTART:20260510T220000", "DTEND:20260511T000000"], [10]),
        (["DTSTART:20260510T080000", "DURATION:PT2H"], [10]),
        (["DTSTART:20260510T080000", "DTEND:20260510T080000"], [10]),
        (["DTSTART:20260510T080000"], [10]),
        (["DTSTART:20260510T000000", "DTEND:20260512T000000"], [10, 11]),
    ],
)
def test_the_days_that_events_cover(tmp_path: Path, lines: list[str], days: list[int]) -> None:
    """RFC 5545, 3.6.1: the end is not a part of the event; a day without an end is that day."""
    event = ["BEGIN:VEVENT", "UID:x", *lines, "END:VEVENT"]
    text = "\r\n".join(["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:x", *event, "END:VCALENDAR", ""])
    (tmp_path / "c.ics").write_text(text)
    assert read_days(tmp_path / "c.ics") == [date(2026, 5, d) for d in days]


def test_an_event_of_a_life_is_refused(tmp_path: Path) -> None:
    event = "BEGIN:VEVENT\r\nUID:x\r\nDTSTART;VALUE=DATE:19260510\r\nDTEND;VALUE=DATE:20260510\r\nEND:VEVENT\r\n"
    (tmp_path / "c.ics").write_text(f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n{event}END:VCALENDAR\r\n")
    with pytest.raises(UserError, match="fifty years"):
        read_days(tmp_path / "c.ics")


def touched(folder: Path, *names: str) -> Path:
    for name in names:
        (folder / name).write_bytes(b"x")
    return folder


def test_numbers_far_apart_are_takes_of_their_own(tmp_path: Path) -> None:
    touched(tmp_path, *(f"a.{n}.png" for n in (1, 2, 3, 7, 20, 21)))  # six files: up to six may be missing in a row
    found = find_sequence(tmp_path / "a.1.png")
    assert (list(found.files), found.others, found.holes) == ([1, 2, 3, 7], 2, [4, 5, 6])
    assert list(find_sequence(tmp_path / "a.21.png").files) == [20, 21]
    assert list(find_sequence(tmp_path / "a.#.png").files) == [1, 2, 3, 7]  # the longest
    edge = tmp_path / "edge"
    edge.mkdir()
    touched(edge, "b.1.png", "b.4.png", "c.1.png", "c.5.png")
    assert list(find_sequence(edge / "b.1.png").files) == [1, 4]  # two missing of two
    assert list(find_sequence(edge / "c.1.png").files) == [1]  # three missing of two
    assert MOST_FRAMES == 1_000_000


@pytest.mark.parametrize(
    ("name", "same", "other"),
    [
        (
            "take.0001.png",
            ["take.0002.png", "take.12345.png"],
            ["take.002.png", "take.0002.jpg", "take2.0001.png", "take.00002.png"],
        ),
        ("p_####.exr", ["p_0001.exr"], ["p_1.exr", "q_0001.exr"]),
        ("p_%03d.exr", ["p_001.exr", "p_1000.exr"], ["p_01.exr", "p_0001.exr"]),
        ("p_%d.exr", ["p_1.exr", "p_0001.exr"], ["p_x.exr"]),
        ("v2_7b.tif", ["v2_8b.tif"], ["v3_7b.tif", "v2_7c.tif"]),
    ],
)
def test_which_names_belong_to_a_sequence(name: str, same: list[str], other: list[str]) -> None:
    rule = name_rule(name)
    assert rule is not None
    assert [rule(n) for n in same] == [True] * len(same)
    assert [rule(n) for n in other] == [False] * len(other)
    assert name_rule("still.png") is None


def test_the_longest_sequence_of_a_folder_is_taken(tmp_path: Path) -> None:
    touched(tmp_path, "a.1.png", "b.1.png", "b.2.png", "b.3.png", "c.png", "notes.txt")
    assert list(find_sequence(tmp_path).files) == [1, 2, 3]


def test_a_document_has_a_largest_size(tmp_path: Path) -> None:
    (tmp_path / "d").write_bytes(b"12345")
    assert read_bytes(tmp_path / "d", 5) == b"12345"
    with pytest.raises(UserError, match="larger"):
        read_bytes(tmp_path / "d", 4)


def test_spaces_that_are_a_curve_serve_as_a_table() -> None:
    """BT.709's camera curve as its standard inverts it: 0.081 is where the two parts meet."""
    codes = np.arange(256) / 255
    want = np.where(codes < 0.081, codes / 4.5, ((codes + 0.099) / 1.099) ** (1 / 0.45))
    assert np.abs(colour.decode_table(colour.CAMERA_709, 256) - want).max() < 2e-4
    assert colour.decode_table(colour.LINEAR, 256) == pytest.approx(codes, abs=1e-6)
    assert not colour.works_by_channel(colour.ACESCG)
    white = colour.to_working(np.ones((1, 1, 3), np.float32), colour.ACESCG)
    assert white[0, 0] == pytest.approx([1, 1, 1], abs=2e-3)


@pytest.mark.parametrize("turn", [0, 90, 180, 270, 360, 450])
def test_a_still_is_turned_by_quarters_and_back(tmp_path: Path, turn: int) -> None:
    """Degrees anticlockwise as numpy's rot90 turns; what was set before does not matter."""
    picture = np.random.default_rng(1).random((6, 10, 3)).astype(np.float32)
    write_still(tmp_path / "a.exr", picture, kind="float")
    plain = open_source(tmp_path / "a.exr")
    for source in (plain.with_settings(turn=turn), plain.with_settings(turn=90).with_settings(turn=turn)):
        want = np.rot90(picture, turn // 90)
        assert np.array_equal(source.read(1), want)
        assert (source.info.height, source.info.width) == want.shape[:2]
        assert source.info.turn == turn % 360
        assert any("turned by" in n for n in source.info.notes) == bool(turn % 360)
    back = plain.with_settings(turn=90).with_settings(turn=0)
    assert back.info == plain.info


def test_what_a_movie_says_of_itself(tmp_path: Path) -> None:
    path = tmp_path / "m.mkv"
    writer = MovieWriter(path, "ffv1", 32, 16, Fraction(24000, 1001))
    for n in range(4):
        writer.write(np.full((16, 32, 3), 0.1 * n, np.float32))
    writer.finish()
    info = open_source(path).info
    assert (info.kind, info.first_number, info.count, info.holes) == ("movie", 1, 4, ())
    assert (info.width, info.height, info.pixel_aspect) == (32, 16, 1.0)
    assert info.rate == Fraction(24000, 1001)
    assert not info.chroma_halved
    assert not info.sound
    for frame in (0, 5):
        with pytest.raises(UserError, match="frames 1 to 4"):
            open_source(path).read(frame)


@pytest.mark.parametrize(
    ("times", "variable"), [([0, 40, 80, 120, 167], False), ([0, 40, 80, 120, 170], True), ([0, 40, 81, 120, 161], False)]
)
def test_uneven_by_more_than_a_fifth_of_a_step(tmp_path: Path, times: list[int], variable: bool) -> None:
    assert movie_info(movie_at(tmp_path / "m.mkv", times)).variable == variable
