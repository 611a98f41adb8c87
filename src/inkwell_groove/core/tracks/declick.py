"""Clicks found and bridged before a level is measured: a dozen ticks a second defeat any median over frames.

Nothing here is a repair. What is bridged is only left out of the finder's measuring; where the clicks were is kept,
since those of a locked groove tell the speed of the carrier.
"""

from __future__ import annotations

import numba
import numpy as np
import numpy.typing as npt

Mono = npt.NDArray[np.float32]

HOP = 240  # samples in which the usual size of a step is measured: 10 ms at the finder's rate
REACH_HOPS = 3  # on either side of a hop: the median of seven hops' medians
_STEP_RATIO = 6.5  # of a click's second difference to the usual one; noise exceeds it once in 10^5 samples
_MAX_CLICK = 72  # samples, 3 ms; what goes on longer is music that begins (Godsill and Rayner, 1998: to 2.5 ms)
_BRIDGE = 5  # samples on either side, for the ringing


@numba.njit(nogil=True, cache=True)
def step_medians(sound: Mono) -> Mono:  # pragma: no cover: compiled
    """(hops * HOP + 2,) samples to (hops,): the median size of the second difference in each hop."""
    hops = (len(sound) - 2) // HOP
    out = np.empty(hops, np.float32)
    sizes = np.empty(HOP, np.float32)
    for hop in range(hops):
        at = hop * HOP
        for i in range(HOP):
            sizes[i] = abs(sound[at + i] - 2 * sound[at + i + 1] + sound[at + i + 2])
        out[hop] = np.median(sizes)
    return out


@numba.njit(nogil=True, cache=True)
def bridge(sound: Mono, scale: Mono, places: npt.NDArray[np.int64], heights: Mono) -> int:  # pragma: no cover: compiled
    """Bridges the clicks of `sound` in place by straight lines; `scale` is the usual step of each hop.

    Writes where each click stands out most, and by how many times the usual step, into `places` and `heights` as far
    as they reach, and returns how many there were.
    """
    samples = len(sound)
    count = 0
    i = 1
    while i < samples - 1:
        usual = scale[min(i // HOP, len(scale) - 1)]
        limit = _STEP_RATIO * usual + 1e-9
        size = abs(sound[i - 1] - 2 * sound[i] + sound[i + 1])
        if size <= limit:
            i += 1
            continue
        first, last, highest, where = i, i, size, i
        j = i + 1
        while j < samples - 1 and j - last <= 12 and j - first <= _MAX_CLICK:
            size = abs(sound[j - 1] - 2 * sound[j] + sound[j + 1])
            if size > limit:
                last = j
                if size > highest:
                    highest, where = size, j
            j += 1
        if last - first < _MAX_CLICK - 12:
            low, high = max(0, first - _BRIDGE), min(samples - 1, last + _BRIDGE)
            start, stop = sound[low], sound[high]
            for k in range(low + 1, high):
                sound[k] = start + (stop - start) * np.float32((k - low) / (high - low))
            if count < len(places):
                places[count] = where
                heights[count] = highest / limit
            count += 1
        i = last + _BRIDGE + 1
    return count
