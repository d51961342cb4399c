"""The compiled part of `clicks`: prediction errors, and what stands out of them.

What is compared with a sample's surroundings is known for every GRAIN samples only: surroundings are hundreds of samples long.
"""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, F64, I64, inlined, kernel
from dubbin.core.measure.levinson_kernels import levinson

GRAIN = 8
TAIL_SHARE = np.float32(0.065)  # of a click's highest error, where it is taken to end
LEAST_TAIL = np.float32(0.5 * 10.0 ** (-66 / 20))  # amplitude; half of what is heard
# Of what a click's error rises above as long as it lasts: the level around it, and the highest error around it.
OVER_LEVEL, OVER_HIGHEST = np.float32(1.6), np.float32(0.6)
NOTHING = np.float32(1e-12)
# A click next to one other, or to two, stands out if it would do so without them by this factor more.
OVER_SECOND, OVER_THIRD = np.float32(2.0), np.float32(4.0)
OUTSTANDING = np.float32(
    2.0
)  # times the mean of its surroundings, or the highest that is not passed over: below, nothing that is near can be a click


@kernel()
def sums_around(x: F64, reach: int) -> F64:
    """For every value of x (n,) the sum of x from `reach` before to `reach` after it; outside of x there is nothing."""
    out = np.empty_like(x)
    n = len(x)
    total = 0.0
    for i in range(min(reach, n)):
        total += x[i]
    for i in range(n):
        if i + reach < n:
            total += x[i + reach]
        if i - reach - 1 >= 0:
            total -= x[i - reach - 1]
        out[i] = max(total, 0.0)
    return out


@kernel(fastmath=True)
def limited(x: F32, width: int) -> F32:
    """x (frames,) with lone peaks held down, so that a click does not teach the predictor to predict it.

    width: frames over which the level is taken that a peak may stand over."""
    n = len(x)
    grains = (n + GRAIN - 1) // GRAIN
    energy = np.zeros(grains)
    for b in range(grains):
        piece = x[b * GRAIN : min((b + 1) * GRAIN, n)]
        total = np.float32(0.0)
        for i in range(len(piece)):
            total += piece[i] * piece[i]
        energy[b] = total
    half = max(width // (2 * GRAIN), 1)
    out = np.empty_like(x)
    around = sums_around(energy, half)
    for b in range(grains):
        most = np.float32(3.5 * np.sqrt(around[b] / ((2 * half + 1) * GRAIN)) + 3.5e-9)
        for i in range(b * GRAIN, min((b + 1) * GRAIN, n)):
            out[i] = min(max(x[i], -most), most)
    return out


@inlined(fastmath=True)
def autocorrelation(x: F64, r: F64, order: int) -> None:
    """Write r[k], k from 0 to order, of x (n,); four lags at a time, which halves what is read from memory. order: a multiple of four is fastest."""
    n = len(x)
    k = 0
    while k + 3 <= order:
        b, c, d, e = x[k:], x[k + 1 :], x[k + 2 :], x[k + 3 :]
        s, t, u, v = 0.0, 0.0, 0.0, 0.0
        for i in range(n - k - 3):
            s += x[i] * b[i]
            t += x[i] * c[i]
            u += x[i] * d[i]
            v += x[i] * e[i]
        i = n - k - 3
        r[k] = s + x[i] * x[n - 3] + x[i + 1] * x[n - 2] + x[i + 2] * x[n - 1]
        r[k + 1] = t + x[i] * x[n - 2] + x[i + 1] * x[n - 1]
        r[k + 2] = u + x[i] * x[n - 1]
        r[k + 3] = v
        k += 4
    while k <= order:
        b = x[k:]
        s = 0.0
        for i in range(n - k):
            s += x[i] * b[i]
        r[k] = s
        k += 1


@kernel(fastmath=True)
def errors(x: F32, model: F32, window: F32, order: int, size: int, hop: int, out: F32) -> None:
    """Write into out the smaller of the errors of predicting each sample from before and from behind.

    x, model: (size + len(out) + size,), the sound and what the predictors are fitted to, with `size` samples before the first that is judged. window: (size,).
    order: of the predictors, a multiple of four. hop: a predictor for so many samples, fitted to `size` samples around them."""
    piece = np.empty(size)
    r, a, old = np.empty(order + 1), np.empty(order + 1), np.empty(order + 1)
    f = np.empty(order + 1, np.float32)
    before, behind = np.empty(hop, np.float32), np.empty(hop, np.float32)
    for block in range(len(out) // hop):
        start = size - hop // 2 + block * hop
        for i in range(size):
            piece[i] = model[start + i] * window[i]
        autocorrelation(piece, r, order)
        levinson(r, a, old, order)
        for j in range(order + 1):
            f[j] = a[j]
        at = size + block * hop
        here = x[at : at + hop]
        for i in range(hop):
            before[i] = here[i]
            behind[i] = here[i]
        for j in range(1, order + 1, 4):
            f1, f2, f3, f4 = f[j], f[j + 1], f[j + 2], f[j + 3]
            past, coming = x[at - j - 3 : at - j + hop], x[at + j : at + j + 3 + hop]
            for i in range(hop):
                before[i] += f1 * past[i + 3] + f2 * past[i + 2] + f3 * past[i + 1] + f4 * past[i]
            for i in range(hop):
                behind[i] += f1 * coming[i] + f2 * coming[i + 1] + f3 * coming[i + 2] + f4 * coming[i + 3]
        y = out[block * hop : (block + 1) * hop]
        for i in range(hop):
            y[i] = min(abs(before[i]), abs(behind[i]))


@kernel()
def sliding_highest(x: F32, width: int) -> F32:
    """Highest of x[i] to x[i + width - 1], x (n,) being 0 or more (van Herk, 1992: three comparisons a value)."""
    n = len(x)
    up, down = x.copy(), x.copy()
    for start in range(0, n, width):
        stop = min(start + width, n)
        top = np.float32(0.0)
        for i in range(start, stop):
            top = max(top, x[i])
            up[i] = top
        top = np.float32(0.0)
        for i in range(stop - 1, start - 1, -1):
            top = max(top, x[i])
            down[i] = top
    out = np.empty_like(x)
    for i in range(n):
        last = min(i + width - 1, n - 1)
        out[i] = down[i] if last // width == i // width else max(down[i], up[last])
    return out


@inlined(fastmath=True)
def next_highest(tops: F32, b: int, guard: int, near: int, first: int, second: int) -> int:
    """Index of the highest of tops (n,) that lie guard to near away from b, and at least guard away from `first` and `second`; -1 where there is none."""
    at, top = -1, np.float32(0.0)
    for side in range(2):
        low, high = (b - near, b - guard) if side == 0 else (b + guard, b + near)
        for j in range(max(low, 0), min(high, len(tops) - 1) + 1):
            if tops[j] > top and abs(j - first) >= guard and abs(j - second) >= guard:
                at, top = j, tops[j]
    return at


PARTS = 4  # of the surroundings, to each side


@inlined(fastmath=True)
def ordered_parts(peaks: F32, b: int, guard: int, near: int, part: int, out: F32) -> None:
    """Write the highest value of each of 2 * PARTS parts of b's surroundings into `out`, the highest first. peaks: of `part` values from each on."""
    for k in range(2 * PARTS):
        at = b - near + k * part if k < PARTS else b + guard + (k - PARTS) * part
        value, i = peaks[at], k
        while i > 0 and out[i - 1] < value:
            out[i] = out[i - 1]
            i -= 1
        out[i] = value


@kernel(fastmath=True)
def lone_passed_over(tops: F32, highest: F32, guard: int, near: int, reach: int) -> F32:
    """The highest (n,) of the surroundings of each value of tops (n,), where one or two of them stand alone: what all others let expect, if that is less.

    guard, near, reach: values; nothing changes farther than `reach` from a value that stands out.
    """
    n, out = len(tops), highest.copy()
    peak, mean = sliding_highest(tops, 2 * reach + 1), sums_around(tops.astype(np.float64), near)
    far = n + near + guard  # an index near to none
    part = (near - guard + 1) // PARTS
    peaks, parts = sliding_highest(tops, max(part, 1)), np.empty(2 * PARTS, np.float32)
    for b in range(n):
        here = peak[max(b - reach, 0)]
        if here < OUTSTANDING * mean[b] / (2 * near + 1):
            continue
        if part >= 2 * guard - 1 and b >= near and b + guard + PARTS * part <= n:
            # What is left out around a peak touches two parts at most: so the second highest is no lower than the third part, the third no lower than the fifth.
            ordered_parts(peaks, b, guard, near, part, parts)
            if here < OUTSTANDING * min(OVER_SECOND * parts[2], OVER_THIRD * parts[4]):
                continue
        first = next_highest(tops, b, guard, near, -far, -far)
        if first < 0:
            continue
        second = next_highest(tops, b, guard, near, first, -far)
        top = tops[second] if second >= 0 else np.float32(0.0)
        most = OVER_SECOND * top
        if second >= 0:
            third = next_highest(tops, b, guard, near, first, second)
            most = min(most, OVER_THIRD * (tops[third] if third >= 0 else np.float32(0.0)))
        out[b] = min(highest[b], most)
    return out


@kernel(fastmath=True)
def surroundings(size: F32, guard: int, near: int, reach: int) -> tuple[F32, F32]:
    """For every GRAIN samples of errors `size` (n,): level, the root mean square within `near`, single peaks held down; and the highest of what lies
    guard to near samples away, a lone one or two passed over within `reach` of what stands out.

    The start of a word is loud on one side only: both sides must be quiet for a click."""
    n = len(size)
    grains = (n + GRAIN - 1) // GRAIN
    guard, near = max(guard // GRAIN, 1), max(near // GRAIN, 2)
    tops = np.empty(grains, np.float32)
    for b in range(grains):
        top = np.float32(0.0)
        for i in range(b * GRAIN, min((b + 1) * GRAIN, n)):
            top = max(top, size[i])
        tops[b] = top
    peak = sliding_highest(tops, near - guard + 1)
    highest = np.empty(grains, np.float32)
    for b in range(grains):
        top = np.float32(0.0)
        if b - near >= 0:
            top = peak[b - near]
        if b + guard < grains:
            top = max(top, peak[b + guard])
        highest[b] = top
    highest = lone_passed_over(tops, highest, guard, near, max(reach // GRAIN, 1))
    level, held = np.empty(grains, np.float32), np.empty(grains)
    for b in range(grains):
        top = highest[b] + NOTHING
        total = np.float32(0.0)
        for i in range(b * GRAIN, min((b + 1) * GRAIN, n)):
            value = min(size[i], top)
            total += value * value
        held[b] = total
    around = sums_around(held, near)
    for b in range(grains):
        level[b] = np.sqrt(around[b] / ((2 * near + 1) * GRAIN))
    return level, highest


@kernel()
def above(size: F32, threshold: F32) -> I64:
    """Indices of the samples of errors `size` (n,) that lie above the threshold of their grain (n / GRAIN,)."""
    out = []
    for b in range(len(threshold)):
        for i in range(b * GRAIN, min((b + 1) * GRAIN, len(size))):
            if size[i] > threshold[b]:
                out.append(i)
    return np.array(out, np.int64)


@kernel()
def bodies(size: F32, level: F32, highest: F32, peaks: I64, bridge: int, longest: int) -> I64:
    """(count, 2), first sample and one past the last: a click lasts as long as its error stays clearly above that of its surroundings.

    size: (n,) errors. level, highest: of their surroundings, by grain. peaks: (m,) where errors stand out. bridge: samples below that are passed over.
    longest: samples to either side."""
    out = np.empty((len(peaks), 2), np.int64)
    count = 0
    end_of_last = -1
    for p in peaks:
        if p < end_of_last:
            continue
        top = size[p]
        for i in range(p, min(p + longest, len(size))):
            top = max(top, size[i])
        tail = max(TAIL_SHARE * top, LEAST_TAIL)
        a = p
        still = 0
        i = p - 1
        while i >= 0 and still < bridge and p - i < longest:
            if size[i] > max(max(OVER_LEVEL * level[i // GRAIN], OVER_HIGHEST * highest[i // GRAIN]), tail):
                a, still = i, 0
            else:
                still += 1
            i -= 1
        b = p + 1
        still = 0
        i = p + 1
        while i < len(size) and still < bridge and i - p < longest + bridge:
            if size[i] > max(max(OVER_LEVEL * level[i // GRAIN], OVER_HIGHEST * highest[i // GRAIN]), tail):
                b, still = i + 1, 0
            else:
                still += 1
            i += 1
        out[count, 0], out[count, 1] = a, b
        count += 1
        end_of_last = b
    return out[:count]
