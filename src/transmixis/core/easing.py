"""Values between two pins: hold, linear, smooth, cubic-bezier (W3C CSS Easing Functions)."""

from __future__ import annotations


def cubic_bezier(x1: float, y1: float, x2: float, y2: float, t: float) -> float:
    """Progress at time `t` 0..1 of the curve through (0,0), (x1,y1), (x2,y2), (1,1); x1 and x2 lie in 0..1."""
    if t <= 0 or t >= 1:
        return min(max(t, 0.0), 1.0)

    def along(a: float, b: float, u: float) -> float:
        return 3 * (1 - u) ** 2 * u * a + 3 * (1 - u) * u * u * b + u**3

    low, high = 0.0, 1.0
    for _ in range(60):  # x rises with u, so halving always finds it
        mid = (low + high) / 2
        if along(x1, x2, mid) < t:
            low = mid
        else:
            high = mid
    return along(y1, y2, (low + high) / 2)


def progress(easing: str, t: float, handles: tuple[float, float, float, float] = (0.42, 0.0, 0.58, 1.0)) -> float:
    """Progress 0..1 at time `t` 0..1 between two pins, by the first pin's easing."""
    if easing == "hold":
        return 0.0 if t < 1 else 1.0
    if easing == "linear":
        return t
    if easing == "smooth":
        return t * t * (3 - 2 * t)
    x1, y1, x2, y2 = handles
    return cubic_bezier(min(max(x1, 0), 1), y1, min(max(x2, 0), 1), y2, t)
