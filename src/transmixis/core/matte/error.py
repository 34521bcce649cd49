"""How far a matte is from the truth.

SAD, MSE and the gradient error follow Rhemann et al., "A Perceptually Motivated Online Benchmark for Image Matting",
CVPR 2009. Chatter is the change of the error from frame to frame, so a constant bias does not count as chatter.
"""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from transmixis.core.types import Matte


def sad(alpha: Matte, truth: Matte) -> float:
    """Sum of absolute differences, in alpha units (divide by 1000 for the usual table)."""
    return float(np.abs(np.asarray(alpha, np.float64) - truth).sum())


def mse(alpha: Matte, truth: Matte) -> float:
    """Mean squared error over all pixels."""
    return float(np.mean((np.asarray(alpha, np.float64) - truth) ** 2))


def gradient_error(alpha: Matte, truth: Matte, sigma: float = 1.4) -> float:
    """Sum of squared differences of the gradient magnitudes, by first derivatives of a gaussian of `sigma` px."""
    a = ndimage.gaussian_gradient_magnitude(np.asarray(alpha, np.float64), sigma, mode="nearest")
    t = ndimage.gaussian_gradient_magnitude(np.asarray(truth, np.float64), sigma, mode="nearest")
    return float(((a - t) ** 2).sum())


def chatter(alphas: Matte, truths: Matte) -> float:
    """Mean absolute change over time of (alpha - truth); both (frames, h, w); 0 with fewer than two frames."""
    if len(alphas) < 2:
        return 0.0
    err = np.asarray(alphas, np.float64) - truths
    return float(np.abs(np.diff(err, axis=0)).mean())


def psnr(picture: np.ndarray, truth: np.ndarray) -> float:
    """Peak signal to noise ratio in dB of two display-coded pictures with peak 1; infinite when they are equal."""
    err = float(np.mean((np.asarray(picture, np.float64) - truth) ** 2))
    return float("inf") if err == 0 else float(-10 * np.log10(err))
