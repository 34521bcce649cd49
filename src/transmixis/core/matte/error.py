"""How far a matte is from the truth.

SAD, MSE and the gradient error follow Rhemann et al., "A Perceptually Motivated Online Benchmark for Image Matting",
CVPR 2009; overlap (J) and border match (F) Perazzi et al., "A Benchmark Dataset and Evaluation Methodology for Video Object Segmentation",
CVPR 2016. Chatter is the change of the error from frame to frame, so a constant bias does not count as chatter.
"""

from __future__ import annotations

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.types import Mask, Matte


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


def overlap(a: Mask, b: Mask) -> float:
    """J: the intersection of two regions over their union; 1 where neither has any."""
    union = (a | b).sum()
    return float((a & b).sum() / union) if union else 1.0


def border_match(a: Mask, b: Mask) -> float:
    """F: the harmonic mean of precision and recall of their border pixels, matched within 0.8 % of the diagonal."""
    reach = max(1, round(0.008 * np.hypot(*a.shape)))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    edge_a, edge_b = (m & ~(cv2.erode(m.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) for m in (a, b))
    if not edge_a.any() and not edge_b.any():
        return 1.0
    near_a, near_b = (cv2.dilate(e.astype(np.uint8), disc) > 0 for e in (edge_a, edge_b))
    precision = (edge_a & near_b).sum() / max(edge_a.sum(), 1)
    recall = (edge_b & near_a).sum() / max(edge_b.sum(), 1)
    return float(2 * precision * recall / max(precision + recall, 1e-9))


def psnr(picture: np.ndarray, truth: np.ndarray) -> float:
    """Peak signal to noise ratio in dB of two display-coded pictures with peak 1; infinite when they are equal."""
    err = float(np.mean((np.asarray(picture, np.float64) - truth) ** 2))
    return float("inf") if err == 0 else float(-10 * np.log10(err))
