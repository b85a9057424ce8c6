"""What runs over every pixel of a recipe's frame. Arrays are float32, and whole: a part of one may be of another type for the
compiler."""

from __future__ import annotations

import numpy as np

from pale_ember.core.kernel import kernel


@kernel
def read(planes, x, y, wraps, out, first, last):
    """Planes (c, h, w) read at places (n,) from `first` to `last`, pixels, straight between four; beyond the edge they come in again,
    or are 0."""
    count, tall, wide = planes.shape
    # Flat, and at places that cannot be negative: else each is looked after by itself.
    flat, line, plane = planes.reshape(-1), np.uint64(wide), np.uint64(tall * wide)
    for n in range(first, last):
        fx, fy = np.floor(x[n]), np.floor(y[n])
        u, v = x[n] - fx, y[n] - fy
        left, top = np.int64(fx), np.int64(fy)
        right, low = left + 1, top + 1
        unit = np.float32(1.0)
        a, b, c, d = (unit - u) * (unit - v), u * (unit - v), (unit - u) * v, u * v
        if wraps:
            if left < 0 or right >= wide:
                left, right = left % wide, right % wide
            if top < 0 or low >= tall:
                top, low = top % tall, low % tall
        else:
            if left < 0 or left >= wide:
                a, c, left = np.float32(0.0), np.float32(0.0), 0
            if right < 0 or right >= wide:
                b, d, right = np.float32(0.0), np.float32(0.0), 0
            if top < 0 or top >= tall:
                a, b, top = np.float32(0.0), np.float32(0.0), 0
            if low < 0 or low >= tall:
                c, d, low = np.float32(0.0), np.float32(0.0), 0
        above, below = np.uint64(top) * line, np.uint64(low) * line
        p, q, r, s = (above + np.uint64(left), above + np.uint64(right), below + np.uint64(left), below + np.uint64(right))
        for k in range(count):
            out[k, n] = a * flat[p] + b * flat[q] + c * flat[r] + d * flat[s]
            p, q, r, s = p + plane, q + plane, r + plane, s + plane


@kernel
def multiplied(state, planes, first, last):
    """Rows of a picture (h, w, 4), straight, as planes (4, h, w): light multiplied by its cover, and cover."""
    for j in range(first, last):
        for i in range(state.shape[1]):
            cover = state[j, i, 3]
            for k in range(3):
                planes[k, j, i] = state[j, i, k] * cover
            planes[3, j, i] = cover


@kernel
def straight(planes, state, first, last):
    """Rows of such planes as a picture (h, w, 4). What does not cover has no colour of its own: it is white."""
    for j in range(first, last):
        for i in range(state.shape[1]):
            cover = planes[3, j, i]
            for k in range(3):
                state[j, i, k] = planes[k, j, i] / cover if cover > np.float32(1e-4) else np.float32(1.0)
            state[j, i, 3] = min(max(cover, np.float32(0.0)), np.float32(1.0))


@kernel
def bells(points, out):
    """Adds soft grains to tones (h, w). points : (n, 4) float32 across and up, -1 to 1, size and brightness."""
    tall, wide = out.shape
    for n in range(points.shape[0]):
        x, y = (points[n, 0] + 1) * wide / 2 - 0.5, (1 - points[n, 1]) * tall / 2 - 0.5
        size = max(points[n, 2] * wide / 2, np.float32(0.3))
        reach = 3 * size
        for j in range(max(np.int64(y - reach), 0), min(np.int64(y + reach) + 2, tall)):
            for i in range(max(np.int64(x - reach), 0), min(np.int64(x + reach) + 2, wide)):
                away = ((i - x) ** 2 + (j - y) ** 2) / (size * size)
                out[j, i] += points[n, 3] * np.exp(-away)


@kernel
def lines(pieces, power, out):
    """Lays pieces of lines over tones (h, w), the lighter of both. pieces : (n, 5) float32 from and to, -1 to 1, and how thick."""
    tall, wide = out.shape
    for n in range(pieces.shape[0]):
        px, py = (pieces[n, 0] + 1) * wide / 2 - 0.5, (1 - pieces[n, 1]) * tall / 2 - 0.5
        qx, qy = (pieces[n, 2] + 1) * wide / 2 - 0.5, (1 - pieces[n, 3]) * tall / 2 - 0.5
        thick = pieces[n, 4] * wide / 2
        # A line thinner than a pixel is as much darker.
        light, thick = min(thick / np.float32(0.5), np.float32(1.0)), max(thick, np.float32(0.5))
        reach = 4 * thick + 1
        ex, ey = qx - px, qy - py
        long = max(ex * ex + ey * ey, np.float32(1e-9))
        for j in range(max(np.int64(min(py, qy) - reach), 0), min(np.int64(max(py, qy) + reach) + 2, tall)):
            for i in range(max(np.int64(min(px, qx) - reach), 0), min(np.int64(max(px, qx) + reach) + 2, wide)):
                share = min(max(((i - px) * ex + (j - py) * ey) / long, np.float32(0.0)), np.float32(1.0))
                away = np.sqrt((i - px - share * ex) ** 2 + (j - py - share * ey) ** 2) / thick
                out[j, i] = max(out[j, i], light * np.exp(-(away**power)))


@kernel
def touch(planes, tip, x, y, radius, flow, red, green, blue, tool, from_x, from_y, wraps, held):
    """One touch of a brush on planes (4, h, w), light times cover and cover. tool : 0 paints, 1 erases, 2 smears what lies at
    `from`. held : (4, n) float32 room for what is smeared."""
    tall, wide = planes.shape[1], planes.shape[2]
    left, right = np.int64(np.floor(x - radius)), np.int64(np.ceil(x + radius))
    top, foot = np.int64(np.floor(y - radius)), np.int64(np.ceil(y + radius))
    across = right - left + 1
    if tool == 2:
        for j in range(top, foot + 1):
            for i in range(left, right + 1):
                a = np.int64(np.floor(i + 0.5 - x + from_x))
                b = np.int64(np.floor(j + 0.5 - y + from_y))
                if wraps:
                    a, b = a % wide, b % tall
                n = (j - top) * across + i - left
                for k in range(4):
                    inside = 0 <= a < wide and 0 <= b < tall
                    held[k, n] = planes[k, b, a] if inside else np.float32(0.0)
    for j in range(top, foot + 1):
        for i in range(left, right + 1):
            a, b = i, j
            if wraps:
                a, b = a % wide, b % tall
            if a < 0 or a >= wide or b < 0 or b >= tall:
                continue
            u = (i + 0.5 - x + radius) / (2 * radius) * tip.shape[1] - 0.5
            v = (j + 0.5 - y + radius) / (2 * radius) * tip.shape[0] - 0.5
            p, q = np.int64(np.floor(u)), np.int64(np.floor(v))
            if p < -1 or q < -1 or p >= tip.shape[1] or q >= tip.shape[0]:
                continue
            s, t = np.float32(u - p), np.float32(v - q)
            share = np.float32(0.0)
            for dq in range(2):
                for dp in range(2):
                    pp, qq = p + dp, q + dq
                    if 0 <= pp < tip.shape[1] and 0 <= qq < tip.shape[0]:
                        share += tip[qq, pp] * (s if dp else 1 - s) * (t if dq else 1 - t)
            share *= flow
            keep = 1 - share
            if tool == 0:
                planes[0, b, a] = planes[0, b, a] * keep + red * share
                planes[1, b, a] = planes[1, b, a] * keep + green * share
                planes[2, b, a] = planes[2, b, a] * keep + blue * share
                planes[3, b, a] = planes[3, b, a] * keep + share
            elif tool == 1:
                for k in range(4):
                    planes[k, b, a] *= keep
            else:
                n = (j - top) * across + i - left
                for k in range(4):
                    planes[k, b, a] = planes[k, b, a] * keep + held[k, n] * share
