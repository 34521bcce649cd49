"""Reading and writing single pictures with OpenImageIO."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from transmixis.core.errors import UserError
from transmixis.core.types import Array
from transmixis.media import colour
from transmixis.media.files import decoding, require_file, said, why

MAX_PIXELS = 200_000_000  # a picture larger than this is refused before memory is taken
MAX_BYTES = 3 << 30  # so is one with so many channels that it would take more than this
# A flat picture is packed to 1/1000 by the usual ways (deflate), with one bit a pixel to 1/8000; small ones are always tried.
MOST_PER_BYTE, FREE_PIXELS = 10_000, 1_000_000


@dataclass(frozen=True)
class StillInfo:
    """What a picture file says of itself."""

    width: int
    height: int
    channels: int
    kind: str  # uint8, uint16, half, float
    pixel_aspect: float
    space: str  # guessed
    turn: int = 0  # degrees anticlockwise by which the file says that it is to be turned for showing


# Exif orientation (CIPA DC-008, 4.6.4): quarter turns anticlockwise that bring the picture upright; mirrored ones are left
_TURNS = {3: 180, 6: 270, 8: 90}


def still_info(path: Path) -> StillInfo:
    """Read the head of a picture file. Raises UserError if it cannot be read."""
    require_file(path)
    with decoding(path):
        reader = oiio.ImageInput.open(str(path))
        if reader is None:
            raise UserError(_why(path, _global_error()))
        try:
            spec = reader.spec()
        finally:
            reader.close()
        _refuse_sizes(path, spec)
        kind = {"uint8": "uint8", "uint16": "uint16", "half": "half", "float": "float"}.get(str(spec.format), str(spec.format))
        aspect = float(spec.get_float_attribute("PixelAspectRatio", 1.0))
        aspect = aspect if 0.05 < aspect < 20 else 1.0
        space = colour.LINEAR if kind in ("half", "float", "double") else colour.SRGB
        turn = _TURNS.get(spec.get_int_attribute("Orientation", 1), 0)
        return StillInfo(spec.width, spec.height, spec.nchannels, kind, aspect, space, turn)


def _refuse_sizes(path: Path, spec: Any) -> None:
    """What a head says is checked against the limits and against the bytes that there are, before memory is taken."""
    pixels, told = spec.width * spec.height, f"'{said(path.name)}' says it is {spec.width} x {spec.height}"
    if spec.width <= 0 or spec.height <= 0 or spec.depth > 1:
        raise UserError(f"{told}, which is no picture; copy it again, or leave it out.")
    if pixels > MAX_PIXELS or pixels * spec.nchannels * 4 > MAX_BYTES:
        raise UserError(f"{told} with {spec.nchannels} channels, more than can be opened ({MAX_PIXELS // 10**6} million pixels).")
    if pixels > FREE_PIXELS + MOST_PER_BYTE * path.stat().st_size:
        raise UserError(f"{told}, which {path.stat().st_size} bytes cannot hold; it is damaged: copy it again, or leave it out.")


def _why(path: Path, detail: str) -> str:
    reason = detail.strip().splitlines()[0][:120] if detail.strip() else "not a picture that can be read"
    return f"'{said(path.name)}' cannot be read ({reason}); copy it again, or leave the frame out."


def _global_error() -> str:
    """The library's last message; it may hold bytes of the damaged file that are no text."""
    try:
        return str(oiio.geterror())
    except UnicodeDecodeError:
        return "damaged"


def _error_of(thing: Any) -> str:
    try:
        return str(thing.geterror())
    except UnicodeDecodeError:
        return "damaged"


def read_coded(path: Path) -> Array:
    """Read a picture as (h, w, 3 or 4) values as stored: uint8, uint16 or float32. Grey becomes RGB.

    A file that ends too early is refused, not filled with black. Raises UserError.
    """
    still_info(path)  # refuses what is too large
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)  # or integer formats would be premultiplied in coded values
    with decoding(path):
        reader = oiio.ImageInput.open(str(path), as_stored)
        if reader is None:
            raise UserError(_why(path, _global_error()))
        try:
            spec = reader.spec()
            wanted = {"uint8": "uint8", "uint16": "uint16"}.get(str(spec.format), "float")
            names = list(spec.channelnames)
            data = reader.read_image(0, 0, 0, spec.nchannels, wanted)
            error = _error_of(reader)
        finally:
            reader.close()
        if data is None or error:
            raise UserError(_why(path, error or "the file ends too early"))
        return _as_rgb(np.asarray(data).reshape(spec.height, spec.width, spec.nchannels), names)


def _as_rgb(data: Array, names: list[str]) -> Array:
    upper = [n.upper().split(".")[-1] for n in names]
    if data.shape[2] == 1:
        return np.repeat(data, 3, axis=2)
    if data.shape[2] == 2:  # grey and alpha
        return np.concatenate([np.repeat(data[..., :1], 3, axis=2), data[..., 1:]], axis=2)
    if {"R", "G", "B"} <= set(upper):
        order = [upper.index(c) for c in "RGB"] + ([upper.index("A")] if "A" in upper else [])
        return np.ascontiguousarray(data[..., order])
    return np.ascontiguousarray(data[..., :4])


def jpeg_chroma_halved(path: Path) -> bool | None:
    """What a JPEG file says of its chroma: True if it is at half size both ways (sampling factors of its frame header, ITU-T T.81
    B.2.2); None if it is no JPEG or says nothing."""
    try:
        with open(path, "rb") as f:
            b = f.read(1 << 20)
    except OSError:
        return None
    if b[:2] != b"\xff\xd8":
        return None
    i = 2
    while i + 9 < len(b):
        if b[i] != 0xFF:
            return None
        mark = b[i + 1]
        if mark in (0xFF, 0x01) or 0xD0 <= mark <= 0xD7:
            i += 1 if mark == 0xFF else 2
        elif 0xC0 <= mark <= 0xCF and mark not in (0xC4, 0xC8, 0xCC):
            parts = b[i + 9]
            factors = [(b[i + 11 + 3 * k] >> 4, b[i + 11 + 3 * k] & 15) for k in range(parts) if i + 11 + 3 * k < len(b)]
            if len(factors) < 3:
                return False
            return all(factors[0][0] >= 2 * f[0] and factors[0][1] >= 2 * f[1] for f in factors[1:3])
        else:
            i += 2 + int.from_bytes(b[i + 2 : i + 4], "big")
    return None


def to_linear(coded: Array, space: str) -> Array:
    """Stored values to working-space float32, premultiplied if there is alpha. NaN and infinity become 0."""
    if coded.dtype in (np.uint8, np.uint16) and colour.works_by_channel(space):
        table = colour.decode_table(space, 256 if coded.dtype == np.uint8 else 65536)
        rgb = table[coded[..., :3]]
    else:
        rgb = colour.to_working(as_unit_float(coded[..., :3]), space)
    if not np.isfinite(rgb).all():
        rgb = np.nan_to_num(rgb, nan=0.0, posinf=0.0, neginf=0.0)
    if coded.shape[2] == 3:
        return np.ascontiguousarray(rgb, np.float32)
    alpha = np.nan_to_num(as_unit_float(coded[..., 3:]))
    if coded.dtype in (np.uint8, np.uint16):  # integer formats are stored straight; float ones premultiplied
        rgb = rgb * alpha
    return np.concatenate([rgb, alpha], axis=2).astype(np.float32)


def as_unit_float(coded: Array) -> Array:
    """Integer codes to 0..1 float32; floats pass."""
    if coded.dtype == np.uint8:
        return coded.astype(np.float32) / np.float32(255)
    if coded.dtype == np.uint16:
        return coded.astype(np.float32) / np.float32(65535)
    return coded.astype(np.float32, copy=False)


def write_still(
    path: Path, linear: Array, *, kind: str, space: str | None = None, ready: Callable[[Path], None] = lambda part: None
) -> None:
    """Write working-space (h, w, 1, 3 or 4) to `path`, by way of a temporary file so that no half frame is ever seen.

    `kind`: half, float, uint16, uint8. Float kinds stay linear; integer ones are coded to `space` (sRGB) and stored
    straight, not premultiplied, when there is alpha. One channel (a matte) is never coded. `ready` hears of the whole file
    before it gets its name.
    """
    data = np.asarray(linear, np.float32)
    if data.ndim == 2:
        data = data[..., None]
    target = space or (colour.LINEAR if kind in ("half", "float") else colour.SRGB)
    if data.shape[2] >= 3:
        data = _coded_for(data, target, straight=kind in ("uint8", "uint16"))
    if kind in ("uint8", "uint16"):
        top = 255 if kind == "uint8" else 65535
        data = (np.clip(data, 0, 1) * top + 0.5).astype(np.uint8 if kind == "uint8" else np.uint16)
    part = path.with_name(f".{path.stem}.part{path.suffix}")
    spec = oiio.ImageSpec(data.shape[1], data.shape[0], data.shape[2], kind)
    spec.attribute("DateTime", "1970:01:01 00:00:00")  # the time of day would make equal frames differ
    if path.suffix == ".exr":
        spec.attribute("compression", "zip")
    elif data.shape[2] == 4:
        spec.attribute("oiio:UnassociatedAlpha", 1)
    if data.shape[2] == 1:
        spec.channelnames = ("A",) if path.suffix == ".exr" else ("Y",)
    try:
        _write(part, data, spec)
        ready(part)
        os.replace(part, path)
    except (UserError, OSError, ValueError, RuntimeError) as e:
        with contextlib.suppress(OSError, ValueError):
            part.unlink(missing_ok=True)
        raise UserError(f"Cannot write '{said(path)}' ({why(e)}); free some space or choose another place, then go on.") from e


def _write(part: Path, data: Array, spec: Any) -> None:
    """Raises UserError with the library's reason only."""
    writer = oiio.ImageOutput.create(str(part))
    if writer is None or not writer.open(str(part), spec):
        raise UserError(_global_error() if writer is None else _error_of(writer))
    if not (writer.write_image(np.ascontiguousarray(data)) and writer.close()):
        raise UserError(_error_of(writer).strip() or "the disk may be full")


def _coded_for(data: Array, space: str, *, straight: bool) -> Array:
    rgb = data[..., :3]
    if data.shape[2] == 4 and straight:
        a = data[..., 3:]
        rgb = np.where(a > 1e-4, rgb / np.maximum(a, 1e-4), 0)
    rgb = colour.from_working(rgb, space)
    return np.concatenate([rgb, data[..., 3:]], axis=2)
