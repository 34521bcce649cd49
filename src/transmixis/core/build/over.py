"""Alpha algebra on premultiplied pictures (Porter & Duff, Compositing Digital Images, 1984)."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array, Matte, Rgb, Rgba


def join(foreground: Rgb, alpha: Matte) -> Rgba:
    """Premultiplied (h, w, 3) colour and (h, w) alpha as one (h, w, 4) picture."""
    return np.concatenate([foreground, alpha[..., None]], axis=2).astype(np.float32, copy=False)


def with_alpha(picture: Array) -> Rgba:
    """The picture with an alpha: as it is if it has one, else opaque."""
    if picture.shape[2] == 4:
        return picture
    return join(picture[..., :3], np.ones(picture.shape[:2], np.float32))


def over(front: Rgba, back: Array) -> Array:
    """`front` (h, w, 4) over `back` (h, w, 3 or 4), both premultiplied; gives as many channels as `back` has."""
    channels = back.shape[2]
    return np.asarray(front[..., :channels] + (1 - front[..., 3:]) * back, np.float32)


def added(front: Rgba, back: Array) -> Array:
    """Light on light: the front's colour added to the back; the back's alpha stays (plus, W3C Compositing and Blending, 2015, 9.1.13,
    for the colour)."""
    out = np.array(back, np.float32)
    out[..., :3] = back[..., :3] + front[..., :3]
    return out


def screened(front: Rgba, back: Array) -> Array:
    """Screen, 1 - (1 - a)(1 - b) (W3C Compositing and Blending, 2015, 10.1.3), for light that may be brighter than white: there the
    front adds nothing, so that nothing grows darker."""
    a, b = front[..., :3], back[..., :3]
    out = np.array(back, np.float32)
    out[..., :3] = b + a * np.clip(1 - b, 0, 1)
    return out
