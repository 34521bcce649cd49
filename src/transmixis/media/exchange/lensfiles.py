"""A lens as OpenCV's YAML, and as an ST map in EXR.

An ST map says for every pixel of the picture that is made where in the other it is taken from: red across, green up, both 0 to 1 over the
whole frame, with their origin at the lower left (common practice). Two of them belong to a lens: one straightens, one bends back.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.types import Array
from transmixis.media.files import make_folder, said, why
from transmixis.media.source import open_source
from transmixis.media.still import write_still

YAML = (".yaml", ".yml")


@dataclass(frozen=True)
class LensFile:
    """A lens for frames of `size` (w, h) px; `rest` are the terms p1, p2 and k3 of OpenCV's law that ours leaves out."""

    lens: Lens
    size: tuple[int, int]
    rest: tuple[float, float, float] = (0.0, 0.0, 0.0)


def write_yaml(path: Path, made: LensFile) -> None:
    """As OpenCV's camera calibration writes it: camera_matrix and distortion_coefficients (k1, k2, p1, p2, k3), whose pixel centres are
    whole numbers."""
    lens = made.lens
    x, y = (v - 0.5 for v in lens.middle)
    matrix = np.array([[lens.focal, 0, x], [0, lens.focal, y], [0, 0, 1.0]])
    p1, p2, k3 = made.rest
    make_folder(path.parent)
    part = path.with_name(f".{path.stem}.part{path.suffix}")
    try:
        out = cv2.FileStorage(str(part), cv2.FILE_STORAGE_WRITE | cv2.FILE_STORAGE_FORMAT_YAML)
        out.write("image_width", made.size[0])
        out.write("image_height", made.size[1])
        out.write("camera_matrix", matrix)
        out.write("distortion_coefficients", np.array([[lens.k1, lens.k2, p1, p2, k3]]))
        out.release()
        os.replace(part, path)
    except (cv2.error, OSError) as e:
        part.unlink(missing_ok=True)
        raise UserError(f"Cannot write '{said(path)}' ({why(e)}); free some space or choose another place.") from e


def read_yaml(path: Path) -> LensFile:
    """A lens as OpenCV's calibration has written it. Raises UserError where it is none."""
    if not path.is_file():
        raise UserError(f"'{said(path)}' is not there; give a lens in OpenCV's YAML.")
    try:
        given = cv2.FileStorage(str(path), cv2.FILE_STORAGE_READ)
        matrix, bend = given.getNode("camera_matrix").mat(), given.getNode("distortion_coefficients").mat()
        size = (int(given.getNode("image_width").real()), int(given.getNode("image_height").real()))
        given.release()
    except (cv2.error, SystemError) as e:
        raise UserError(f"'{said(path.name)}' is no lens in OpenCV's YAML; it may be damaged.") from e
    if matrix is None or bend is None or matrix.shape != (3, 3) or bend.size < 4 or not np.isfinite(matrix).all():
        raise UserError(f"'{said(path.name)}' holds no camera_matrix and distortion_coefficients; it is no lens.")
    flat = np.zeros(5)
    flat[: min(5, bend.size)] = bend.ravel()[:5]
    if not np.isfinite(flat).all() or matrix[0, 0] <= 0:
        raise UserError(f"'{said(path.name)}' holds a lens without a focal length or with terms that are no numbers.")
    lens = Lens(
        float((matrix[0, 0] + matrix[1, 1]) / 2), (matrix[0, 2] + 0.5, matrix[1, 2] + 0.5), float(flat[0]), float(flat[1])
    )
    return LensFile(lens, size, (float(flat[2]), float(flat[3]), float(flat[4])))


def write_st_map(path: Path, at: Array, size: tuple[int, int]) -> None:
    """A map (h, w, 2) of places px in a frame of `size` (w, h), as 32-bit floats."""
    w, h = size
    out = np.zeros((*at.shape[:2], 3), np.float32)
    out[..., 0], out[..., 1] = at[..., 0] / w, 1 - at[..., 1] / h
    make_folder(path.parent)
    write_still(path, out, kind="float")


def read_st_map(path: Path, size: tuple[int, int]) -> Array:
    """(h, w, 2) places px in a frame of `size` (w, h)."""
    picture = open_source(path).with_settings(space="linear").read(1)
    return np.stack([picture[..., 0] * size[0], (1 - picture[..., 1]) * size[1]], axis=2).astype(np.float64)
