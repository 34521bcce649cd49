"""Mattes compared with their truth, frame by frame."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.error import border_match, mse, overlap, sad
from transmixis.core.progress import Progress
from transmixis.core.types import Matte
from transmixis.media.colour import LINEAR
from transmixis.media.source import Source, open_source


def scored(mattes: Path, truth: Path, progress: Progress) -> dict[str, Any]:
    """Each frame's `sad` (thousands of alpha), `mse`, `overlap` and `border`, their `mean`, the `worst` frame and the `chatter` of the error from frame to
    frame. The frames are compared in their order. Raises UserError where they do not belong to each other."""
    ours, theirs = (open_source(p).with_settings(space=LINEAR) for p in (mattes, truth))
    a, b = ours.info, theirs.info
    if (a.width, a.height) != (b.width, b.height):
        raise UserError(f"{mattes.name} is {a.width} × {a.height}, {truth.name} {b.width} × {b.height}; give mattes of one size.")
    if a.count != b.count:
        raise UserError(f"{mattes.name} has {a.count} frames, {truth.name} {b.count}; give as many of both.")
    frames: list[dict[str, Any]] = []
    before: Matte | None = None
    changes = []
    for n in range(1, a.count + 1):
        progress.at(n - 1, a.count, f"comparing frame {n}")
        alpha, true = _matte(ours, n), _matte(theirs, n)
        solid, there = alpha > 0.5, true > 0.5
        frames.append(
            {
                "frame": n,
                "sad": sad(alpha, true) / 1000,
                "mse": mse(alpha, true),
                "overlap": overlap(solid, there),
                "border": border_match(solid, there),
            }
        )
        error = alpha - true
        if before is not None:
            changes.append(float(np.abs(error - before).mean()))
        before = error
    mean = {k: float(np.mean([f[k] for f in frames])) for k in ("sad", "mse", "overlap", "border")}
    worst = max(frames, key=lambda f: float(f["sad"]))
    return {"frames": frames, "mean": mean, "worst": worst, "chatter": float(np.mean(changes)) if changes else 0.0}


def _matte(source: Source, frame: int) -> Matte:
    """A frame's alpha, or else its brightness as it is recorded."""
    picture = source.read(frame)
    return np.asarray(picture[..., 3] if picture.shape[2] == 4 else picture[..., :3].mean(axis=2), np.float32)
