"""Three plain ways of keying, to measure ours against, and the scores."""

from __future__ import annotations

import cv2
import keyplates as kp
import numpy as np

from transmixis.core.matte import error

Mattes = tuple[list[np.ndarray], list[np.ndarray]]


def _channels(kind: str) -> tuple[int, list[int]]:
    k = 1 if kind == "green" else 2
    return k, [0, 3 - k]


def difference_on_codes(p: kp.MadePlate) -> Mattes:
    """(a) Colour difference on code values, one screen colour; gives alphas and coded foregrounds."""
    k, o = _channels(p.kind)
    alphas, fores = [], []
    for code in p.code:
        x = code.astype(np.float32) / 255
        d = x[..., k] - x[..., o].max(-1)
        screen = np.median(x[d > np.quantile(d, 0.3)], 0)
        a = np.clip(1 - d / (screen[k] - screen[o].max()), 0, 1)
        f = x - (1 - a)[..., None] * screen
        f[..., k] = np.minimum(f[..., k], f[..., o].max(-1))
        alphas.append(a)
        fores.append(np.clip(f, 0, None))
    return alphas, fores


def difference_with_empty_frame(p: kp.MadePlate) -> Mattes:
    """(b) Colour difference in linear light against a frame of the empty screen."""
    k, o = _channels(p.kind)
    ds = p.clean[..., k] - p.clean[..., o].max(-1)
    alphas, fores = [], []
    for x in p.plate:
        a = np.clip(1 - (x[..., k] - x[..., o].max(-1)) / np.maximum(ds, 1e-3), 0, 1)
        f = x - (1 - a)[..., None] * p.clean
        f[..., k] = np.minimum(f[..., k], f[..., o].max(-1))
        alphas.append(a)
        fores.append(np.clip(f, 0, None))
    return alphas, fores


def knn_with_trimap(p: kp.MadePlate, frames: int = 1) -> Mattes:
    """(c) PyMatting's KNN matting with a trimap of a 10 px band made from the truth."""
    from pymatting import estimate_alpha_knn, estimate_foreground_ml

    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (21, 21))
    alphas, fores = [], []
    for code, truth in list(zip(p.code, p.alpha, strict=True))[:frames]:
        x = code.astype(np.float64) / 255
        trimap = np.full(truth.shape, 0.5)
        trimap[cv2.erode((truth > 0.99).astype(np.uint8), disc) > 0] = 1
        trimap[cv2.dilate((truth > 0.01).astype(np.uint8), disc) == 0] = 0
        a = estimate_alpha_knn(x, trimap)
        alphas.append(a.astype(np.float32))
        fores.append((kp.srgb_decode(estimate_foreground_ml(x, a)) * a[..., None]).astype(np.float32))
    return alphas, fores


def scores(p: kp.MadePlate, made: Mattes, *, coded: bool = False) -> dict[str, float]:
    """SAD (thousands a frame), MSE (1e-3), gradient error, chatter (1e-3), and PSNR (dB) of the composite."""
    alphas, fores = made
    truth, premult = p.alpha[: len(alphas)], p.premult[: len(alphas)]
    behind = kp.background(*p.alpha.shape[1:])
    db = []
    for a, f, t, pm in zip(alphas, fores, truth, premult, strict=True):
        want = kp.srgb_encode(pm + (1 - t)[..., None] * behind)
        if coded:
            got = np.clip(f + (1 - a)[..., None] * kp.srgb_encode(behind), 0, 1)
        else:
            got = kp.srgb_encode(f + (1 - a)[..., None] * behind)
        db.append(error.psnr(got, want))
    n = range(len(alphas))
    return {
        "sad": float(np.mean([error.sad(alphas[i], truth[i]) for i in n])) / 1000,
        "mse": float(np.mean([error.mse(alphas[i], truth[i]) for i in n])) * 1000,
        "gradient": float(np.mean([error.gradient_error(alphas[i], truth[i]) for i in n])),
        "chatter": error.chatter(np.stack(alphas), truth) * 1000,
        "psnr": float(np.mean(db)),
    }
