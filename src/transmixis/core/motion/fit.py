"""The compiled heart of direct alignment: rounds of looking at a frame, weighing its pixels and stepping. See core.motion.surface.

A pixel's answer to a parameter is (a du + b dv), with a and b powers of its place (u, v) in the surface's own units and du, dv the
reference's slopes. These answers and their products do not change while a frame is fitted, so the normal equations are one product of a
vector with a table.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from transmixis.core.motion.sampling import _folded

LIGHT = 4  # columns for gain, its slopes to the right and down, and an offset
TUKEY = 4.685  # times the spread: 95 % as good as least squares on plain noise (Huber, 1981)
MEDIAN = 1.4826  # times the median size: the spread of plain noise
DARK = 1e-6  # added to the spread, so that made pictures without noise have one
SPARE = 1e-9
FEWER = 4096  # pixels whose median is taken; of more, evenly chosen ones
FLOAT = np.float32  # as the pixels are: twice as quick to sample by


@njit(inline="always")
def _weights(t):  # type: ignore[no-untyped-def]
    u, sixth = FLOAT(1) - t, FLOAT(1 / 6)
    a, b = u * u * u * sixth, t * t * t * sixth
    c = (FLOAT(4) - FLOAT(6) * t * t + FLOAT(3) * t * t * t) * sixth
    return a, c, FLOAT(1) - a - b - c, b


@njit(cache=True, nogil=True, fastmath=True)
def look(spline, there, matrix, points, seen, inside, kind):  # type: ignore[no-untyped-def]
    """What the frame shows at points (n, 2) led through `matrix`, into seen (n, channels) and inside (n,); gives how many are inside.
    `there` (h, w): where it is picture; of no size where all of it is. `kind`: as long as there are channels, so that they are compiled in.
    """
    h, w = spline.shape[:2]
    channels = len(kind)
    flat, line = spline.reshape(h, w * channels), np.empty(4 * channels, np.float32)
    everywhere = len(there) == 0
    m = matrix  # by its parts: a table might be written over in between, for all that the compiler knows
    xx, xy, xz, yx, yy, yz, zx, zy, zz = m[0, 0], m[0, 1], m[0, 2], m[1, 0], m[1, 1], m[1, 2], m[2, 0], m[2, 1], m[2, 2]
    count = 0
    for k in range(len(points)):
        px, py = points[k, 0], points[k, 1]
        z = 1 / (zx * px + zy * py + zz)
        x, y = (xx * px + xy * py + xz) * z - 0.5, (yx * px + yy * py + yz) * z - 0.5
        inside[k] = -0.5 <= x <= w - 0.5 and -0.5 <= y <= h - 0.5
        if inside[k] and not everywhere:
            inside[k] = there[min(int(y + 0.5), h - 1), min(int(x + 0.5), w - 1)]
        if not inside[k]:
            for c in range(channels):
                seen[k, c] = 0.0
            continue
        count += 1
        i, j = int(np.floor(x)), int(np.floor(y))
        x0, x1, x2, x3 = _weights(FLOAT(x - i))
        y0, y1, y2, y3 = _weights(FLOAT(y - j))
        if i >= 1 and j >= 1 and i + 2 < w and j + 2 < h:
            at = (i - 1) * channels
            r0, r1, r2, r3 = flat[j - 1], flat[j], flat[j + 1], flat[j + 2]
            for q in range(4 * channels):
                line[q] = y0 * r0[at + q] + y1 * r1[at + q] + y2 * r2[at + q] + y3 * r3[at + q]
        else:
            r0, r1 = flat[_folded(j - 1, h)], flat[_folded(j, h)]
            r2, r3 = flat[_folded(j + 1, h)], flat[_folded(j + 2, h)]
            for n in range(4):
                at = _folded(i - 1 + n, w) * channels
                for c in range(channels):
                    line[n * channels + c] = y0 * r0[at + c] + y1 * r1[at + c] + y2 * r2[at + c] + y3 * r3[at + c]
        for c in range(channels):
            seen[k, c] = x0 * line[c] + x1 * line[channels + c] + x2 * line[2 * channels + c] + x3 * line[3 * channels + c]
    return count


@njit(cache=True, nogil=True)
def trust(seen, values, own, light, inside, wider, weights, size):  # type: ignore[no-untyped-def]
    """Tukey's weights (n,) from how far a pixel's colours are off (all channels together), `wider` by that factor."""
    n, channels = seen.shape
    for k in range(n):
        gain = light[0] + light[1] * own[k, 0] + light[2] * own[k, 1]
        total = 0.0
        for c in range(channels):
            r = seen[k, c] - values[k, c] * (1 + gain) - light[3]
            total += r * r
        size[k] = np.sqrt(total / channels)
    tukey(size, inside, wider, weights)


@njit(cache=True, nogil=True)
def tukey(size, inside, wider, weights):  # type: ignore[no-untyped-def]
    """Tukey's weights (n,) of what is off by `size` (n,), `wider` by that factor; nothing for what is not inside."""
    n = len(size)
    step = max(1, n // FEWER)
    some = np.empty(n // step + 1, np.float32)
    count = 0
    for k in range(0, n, step):
        if inside[k]:
            some[count] = size[k]
            count += 1
    limit = FLOAT(TUKEY * wider * (MEDIAN * np.median(some[:count]) + DARK) if count > 0 else 1.0)
    for k in range(n):
        r = size[k] / limit
        r = FLOAT(1) - r * r
        weights[k] = r * r if inside[k] and r > 0 else FLOAT(0)


@njit(inline="always")
def _sides(u, v, a, b):  # type: ignore[no-untyped-def]
    """Each model's moves are the next one's first: position; turn and size; stretch and shear; perspective."""
    a[0], b[0] = 1.0, 0.0
    a[1], b[1] = 0.0, 1.0
    a[2], b[2] = u, v
    a[3], b[3] = -v, u
    a[4], b[4] = u, -v
    a[5], b[5] = v, u
    a[6], b[6] = u * u, u * v
    a[7], b[7] = u * v, v * v


@njit(cache=True, nogil=True)
def answers(values, right, down, own, free):  # type: ignore[no-untyped-def]
    """How every pixel's channels answer to the first `free` moves and to the light, (n * channels, free + LIGHT), and the
    products of these answers summed over the channels, (n, products): those of a symmetric matrix's upper half, row by row."""
    n, channels = values.shape
    size = free + LIGHT
    columns = np.empty((n * channels, size), np.float32)
    products = np.zeros((n, size * (size + 1) // 2), np.float32)
    a, b, row = np.zeros(8), np.zeros(8), np.empty(size)
    for k in range(n):
        u, v = own[k, 0], own[k, 1]
        _sides(u, v, a, b)
        for c in range(channels):
            r, d, g = right[k, c], down[k, c], values[k, c]
            for i in range(free):
                row[i] = a[i] * r + b[i] * d
            row[free], row[free + 1], row[free + 2], row[free + 3] = g, g * u, g * v, 1.0
            at = 0
            for i in range(size):
                columns[k * channels + c, i] = row[i]
                for j in range(i, size):
                    products[k, at] += row[i] * row[j]
                    at += 1
    return columns, products


@njit(cache=True, nogil=True)
def normal_equations(products, weights, normal):  # type: ignore[no-untyped-def]
    """The weighted sums of the products, as a symmetric matrix."""
    sums = np.dot(weights, products)
    spare, at = SPARE * max(weights.sum(), 1.0), 0
    for i in range(len(normal)):
        for j in range(i, len(normal)):
            normal[i, j] = normal[j, i] = sums[at]
            at += 1
        normal[i, i] += spare


@njit(cache=True, nogil=True)
def _moved(p):  # type: ignore[no-untyped-def]
    """The small perspective of parameters, in the surface's own units."""
    q = np.zeros(8)
    q[: len(p)] = p
    out = np.empty((3, 3))
    out[0, 0], out[0, 1], out[0, 2] = 1 + q[2] + q[4], -q[3] + q[5], q[0]
    out[1, 0], out[1, 1], out[1, 2] = q[3] + q[5], 1 + q[2] - q[4], q[1]
    out[2, 0], out[2, 1], out[2, 2] = -q[6], -q[7], 1.0
    return out


@njit(cache=True, nogil=True)
def stepped(matrix, step, frame, unit):  # type: ignore[no-untyped-def]
    new = matrix @ np.linalg.inv(unit @ _moved(step) @ frame)
    return new / new[2, 2]


@njit(cache=True, nogil=True)
def apart(m, n, corners):  # type: ignore[no-untyped-def]
    """The most that a corner lies apart under two matrices, px."""
    most = 0.0
    for k in range(len(corners)):
        x, y = corners[k, 0], corners[k, 1]
        zm, zn = m[2, 0] * x + m[2, 1] * y + m[2, 2], n[2, 0] * x + n[2, 1] * y + n[2, 2]
        dx = (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / zm - (n[0, 0] * x + n[0, 1] * y + n[0, 2]) / zn
        dy = (m[1, 0] * x + m[1, 1] * y + m[1, 2]) / zm - (n[1, 0] * x + n[1, 1] * y + n[1, 2]) / zn
        most = max(most, abs(dx), abs(dy))
    return most


@njit(cache=True, nogil=True)
def rounds(  # type: ignore[no-untyped-def]
    spline, there, to_level, matrix, points, own, values, columns, products, corners, frame, unit, most, begin, largest, done, least,
    seen, inside, weights, normal, light, kind,
):  # fmt: skip
    """Fit until a step moves no corner by more than `done` px; gives the matrix and whether enough of it was inside of the frame.

    `begin`: times as wide the weights begin, halved with every round, since not yet in place even what fits is far off. `largest` step
    px: the law holds near by only. Leaves what was seen, weights, normal equations and light of the last round in the arrays given.
    """
    size, free = np.empty(len(points), np.float32), columns.shape[1] - LIGHT
    rest = np.empty(columns.shape[0], np.float32)
    wider = begin
    light[:] = 0.0
    for _ in range(most):
        if look(spline, there, to_level @ matrix, points, seen, inside, kind) < least:
            return matrix, False
        trust(seen, values, own, light, inside, max(1.0, wider), weights, size)
        _weighed(seen, values, weights, rest)
        normal_equations(products, weights, normal)
        answer = np.linalg.solve(normal, np.dot(rest, columns).astype(np.float64))
        light[:] = answer[free:]
        gain = 1 + light[0]
        step = answer[:free] / (gain if abs(gain) > 0.2 else 1.0)
        new = stepped(matrix, step, frame, unit)
        off = apart(new, matrix, corners)
        if off > largest:
            new = stepped(matrix, step * (largest / off), frame, unit)
        matrix = new
        if not np.isfinite(matrix).all() or (off < done and wider <= 1):
            break
        wider *= 0.5
    return matrix, True


@njit(cache=True, nogil=True)
def _weighed(seen, values, weights, rest):  # type: ignore[no-untyped-def]
    """What is left over of every pixel's channels, by its weight."""
    channels = seen.shape[1]
    for k in range(len(seen)):
        for c in range(channels):
            rest[k * channels + c] = weights[k] * (seen[k, c] - values[k, c])


@njit(cache=True, nogil=True)
def told(seen, values, own, columns, light, weights, blocks, count):  # type: ignore[no-untyped-def]
    """Correlation with the reference, and how each of `count` blocks of the surface pulls at every column."""
    n, channels = seen.shape
    pulls = np.zeros((count, columns.shape[1]))
    sums = np.zeros((channels, 2))
    total = 0.0
    for k in range(n):
        w = weights[k]
        if w <= 0:
            continue
        total += w
        gain = light[0] + light[1] * own[k, 0] + light[2] * own[k, 1]
        here = pulls[blocks[k]]
        for c in range(channels):
            g = values[k, c]
            sums[c, 0] += w * seen[k, c]
            sums[c, 1] += w * g
            e = w * (seen[k, c] - g * (1 + gain) - light[3])
            for i in range(columns.shape[1]):
                here[i] += e * columns[k * channels + c, i]
    return correlation(seen, values, weights, sums, total), pulls


@njit(cache=True, nogil=True)
def corner_error(pulls, normal, corners, frame, free):  # type: ignore[no-untyped-def]
    """Root of the mean variance of the corners, in the surface's own units, from how differently the blocks of the surface pull
    (cluster-robust; Liang & Zeger, 1986): what is left over hangs together within a block, by texture, by what is not quite flat, and so
    counts there as one."""
    used = 0
    for k in range(len(pulls)):
        used += 1 if np.abs(pulls[k]).sum() > 0 else 0
    if used < 2:
        used = 2
    inverse = np.linalg.inv(normal)
    # as many blocks as there are numbers fitted tell nothing of what is left over
    spread = inverse @ (pulls.T @ pulls) @ inverse * (used / max(used - pulls.shape[1], 0.5 * used))
    a, b = np.zeros(8), np.zeros(8)
    total = 0.0
    for k in range(len(corners)):
        _sides(frame[0, 0] * corners[k, 0] + frame[0, 2], frame[1, 1] * corners[k, 1] + frame[1, 2], a, b)
        for i in range(free):
            for j in range(free):
                total += spread[i, j] * (a[i] * a[j] + b[i] * b[j])
    return np.sqrt(max(total, 0.0) / len(corners))


@njit(cache=True, nogil=True)
def correlation(seen, values, weights, sums, total):  # type: ignore[no-untyped-def]
    if total <= 0:
        return 0.0
    both, one, two = 0.0, 0.0, 0.0
    for k in range(len(seen)):
        w = weights[k]
        if w <= 0:
            continue
        for c in range(seen.shape[1]):
            x, y = seen[k, c] - sums[c, 0] / total, values[k, c] - sums[c, 1] / total
            both += w * x * y
            one += w * x * x
            two += w * y * y
    size = np.sqrt(one * two)
    return both / size if size > 0 else 0.0
