"""Places where a sound is broken, and what tells a click from the attack of a drum: measured, not yet judged.

A candidate is a run of samples that prediction explains badly. Where it begins is told by predicting forwards, which
knows nothing of what comes; where it ends by predicting backwards. What tells it from music is gathered into FEATURES:
its size in each view, its length and shape, what it is like just before and just after it, the other channel, and how
much else there is of its kind around. `guard` weighs them.
"""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration.evidence import Evidence, Rates

Float = npt.NDArray[np.float32]

FEATURES = (
    "alone",
    "both ways",
    "against other",
    "against other both ways",
    "length",
    "mean size",
    "crest",
    "swings",
    "after 1 ms",
    "after 3 ms",
    "after 10 ms",
    "after 40 ms",
    "before 1 ms",
    "before 3 ms",
    "before 10 ms",
    "before 40 ms",
    "scale to surroundings",
    "others 10 ms before",
    "others 10 ms after",
    "others 60 ms before",
    "others 60 ms after",
    "other channel",
    "other channel both ways",
    "stereo likeness",
    "predicted",
    "level rise 2 ms",
    "level rise 10 ms",
    "treble rise 2 ms",
    "treble rise 10 ms",
    "over level",
    "treble share",
    "largest around",
    "size before",
    "size after",
)
STRONG = 4.6  # of the usual size: what white excitation exceeds four times in a million samples
_WEAK = 3.6
_MAX_S = 0.006
_APART_S = 0.0005
_SWINGS_S = 0.00023
_ALONE_S, _FEW = 0.02, 3
_NEAR_S, _FAR_S = 0.001, 0.0035  # between which one looks how excited all around is


class Candidates(NamedTuple):
    """Samples [start, end) of the stretch, the channel, and (candidates, FEATURES) of what was measured."""

    start: npt.NDArray[np.int64]
    end: npt.NDArray[np.int64]
    channel: npt.NDArray[np.int64]
    features: Float


def candidates_in(
    sound: npt.NDArray[np.float64], evidence: Evidence, rates: Rates, *, strong: float = STRONG
) -> Candidates:
    """Of (samples, channels) and its evidence, in order of channel and place."""
    channels = sound.shape[1]
    seen, starts, ends, which = [], [], [], []
    for channel in range(channels):
        other = channels - 1 - channel
        views, largest = evidence.views[channel], evidence.largest
        start, end = _regions(
            views,
            largest[channel],
            largest[other],
            evidence.backwards[channel],
            rates.order,
            round(_MAX_S * rates.rate_hz),
            round(_APART_S * rates.rate_hz),
            round(_NEAR_S * rates.rate_hz),
            round(_FAR_S * rates.rate_hz),
            strong,
            _WEAK,
        )
        wider = _with_tails(start, end, rates, len(sound))
        starts.append(wider[0])
        ends.append(wider[1])
        which.append(np.full(len(start), channel))
        seen.append(
            _features(
                start,
                end,
                views,
                largest[channel],
                largest[other],
                evidence.views[other, 0],
                evidence.cells[channel],
                evidence.scale[channel],
                evidence.gain_db[channel],
                sound[:, channel].astype(np.float32),
                rates.cell,
                rates.hop,
                rates.rate_hz,
                evidence.norm[channel],
                len(FEATURES),
            )
        )
    return Candidates(np.concatenate(starts), np.concatenate(ends), np.concatenate(which), np.concatenate(seen))


def _with_tails(
    start: npt.NDArray[np.int64], end: npt.NDArray[np.int64], rates: Rates, samples: int
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """What swings back after a blow is smooth, and no prediction error tells of it: longer ones are given room for it.

    What of that room was not damaged is left nearly as it was by the mending, which asks each sample.
    """
    longer = (end - start >= round(_SWINGS_S * rates.rate_hz)) & alone(start, rates)
    few = max(1, round(0.00007 * rates.rate_hz))
    first = start - np.where(longer, few, 1)
    last = end + np.where(longer, 3 * few + (end - start) * 3 // 2, 2)
    last[:-1] = np.maximum(end[:-1], np.minimum(last[:-1], start[1:] - few))
    first[1:] = np.maximum(first[1:], last[:-1])
    return np.maximum(np.minimum(first, start), 0), np.minimum(last, samples)


def alone(start: npt.NDArray[np.int64], rates: Rates) -> npt.NDArray[np.bool_]:
    """(candidates,) of one channel: which have few others around. In crackle, what follows a tick is the next one."""
    reach = round(_ALONE_S * rates.rate_hz)
    around = np.searchsorted(start, start + reach) - np.searchsorted(start, start - reach)
    return np.asarray(around <= _FEW)


@numba.njit(nogil=True, cache=True)
def _regions(views, largest, largest_other, backwards, order, longest, apart, near, far, strong, weak):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """(candidates,) starts and ends. A weak one counts where the other channel has a strong one at the same place."""
    samples = len(largest)
    starts = np.empty(samples // 8 + 1, np.int64)
    ends = np.empty(samples // 8 + 1, np.int64)
    count = 0
    n = order
    while n < samples - order:
        if largest[n] < weak:
            n += 1
            continue
        last, peak, most = n, n, np.float32(0.0)
        m = n
        wanted = False
        while m < samples - order and m - last <= apart and m - n < longest:
            size = largest[m]
            if size >= weak:
                last = m
                central = max(abs(views[1, m]), abs(views[3, m]))
                if central > most:
                    most, peak = central, m
                if size >= strong or largest_other[m] >= strong:
                    wanted = True
            m += 1
        if not wanted:
            n = last + 1
            continue
        usual = _usual_beside(views[0], views[2], backwards, peak, near, far)
        start = _outward(views[0], views[2], backwards, peak, -1, max(order, peak - longest), usual)
        end = _outward(views[0], views[2], backwards, peak, 1, min(samples - order, peak + longest), usual)
        start, end = max(0, start), min(samples, end + 1)
        if count and start < ends[count - 1]:
            start = ends[count - 1]
        if end > start and count < len(starts):
            starts[count], ends[count] = start, end
            count += 1
        n = max(last, end) + 1
    return starts[:count], ends[:count]


@numba.njit(nogil=True, cache=True)
def _excited(forwards, against, backwards, n):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """How much a sample is excited. Predicted forwards a click rings on after its end, predicted backwards before its
    beginning: it is where both are.
    """
    one = np.float32(0.0)
    other = np.float32(0.0)
    for m in (n - 1, n, n + 1):
        one = max(one, abs(forwards[m]), abs(against[m]))
        other = max(other, abs(backwards[m]))
    return min(one, other)


@numba.njit(nogil=True, cache=True)
def _outward(forwards, against, backwards, peak, step, limit, usual):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """How far what is excited goes on from the peak: where the sum of its squares over the usual stops growing."""
    best, at_best, total = 0.0, peak, 0.0
    n = peak
    while n != limit:
        size = _excited(forwards, against, backwards, n)
        total += min(size * size, np.float32(7.5) * usual) - usual
        if total > best:
            best, at_best = total, n
        elif total < best - 15.0 * usual:
            break
        n += step
    return at_best


@numba.njit(nogil=True, cache=True)
def _usual_beside(forwards, against, backwards, peak, near, far):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The square above which a sample counts as excited: 4, or more where all around is, as in the attack of a drum."""
    most = np.float32(0.0)
    sizes = np.empty((far - near) // 2 + 1, np.float32)
    for step in (-1, 1):
        count = 0
        for d in range(near, far, 2):
            n = peak + step * d
            if 1 <= n < len(forwards) - 1:
                sizes[count] = _excited(forwards, against, backwards, n)
                count += 1
        if count:
            most = max(most, np.median(sizes[:count]))
    return max(np.float32(4.0), np.float32(1.7) * most * most)


@numba.njit(nogil=True, cache=True)
def _features(  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    starts,
    ends,
    views,
    largest,
    largest_other,
    excitation_other,
    cells,
    scale,
    gain_db,
    sound,
    cell,
    hop,
    rate_hz,
    norm,
    width,
):
    out = np.zeros((len(starts), width), np.float32)
    samples = len(largest)
    ms = rate_hz / 1000.0
    excited, heard, stepped, standing = _totals(views[0], sound, largest)
    for k in range(len(starts)):
        start, end = starts[k], ends[k]
        row = out[k]
        length = end - start
        for v in range(4):
            row[v] = np.log(np.abs(views[v, start:end]).max() + 0.1)
        row[4] = np.log(length / ms)
        inside = views[0, start:end]
        square = (inside * inside).sum() / length
        row[5] = 0.5 * np.log(square + 0.01)
        row[6] = row[0] - row[5]
        swings = 0
        for n in range(start + 1, end):
            if inside[n - start] * inside[n - start - 1] < 0:
                swings += 1
        row[7] = swings / length
        usual = scale[min(start // cell, len(scale) - 1)]
        gap = 0.25 * ms
        f = 8
        edges = (0.0, 1.0, 3.0, 10.0, 40.0)
        for w in range(4):
            row[f + w] = np.log(_rms(excited, end + gap + edges[w] * ms, end + gap + edges[w + 1] * ms) + 0.05)
            row[f + 4 + w] = np.log(_rms(excited, start - gap - edges[w + 1] * ms, start - gap - edges[w] * ms) + 0.05)
        c = start // cell
        wide = np.median(cells[max(0, c - 200) : c + 200])
        row[16] = np.log((usual + 1e-9) / (wide + 1e-9))
        g = int(gap)
        row[17] = np.log(1.0 + _count(standing, start - g - int(10 * ms), start - g))
        row[18] = np.log(1.0 + _count(standing, end + g, end + g + int(10 * ms)))
        row[19] = np.log(1.0 + _count(standing, start - g - int(60 * ms), start - g - int(10 * ms)))
        row[20] = np.log(1.0 + _count(standing, end + g + int(10 * ms), end + g + int(60 * ms)))
        row[21] = np.log(np.abs(excitation_other[start:end]).max() + 0.1)
        row[22] = np.log(largest_other[start:end].max() + 0.1)
        across = (inside * excitation_other[start:end]).sum()
        size = np.sqrt((inside * inside).sum() * (excitation_other[start:end] ** 2).sum())
        row[23] = across / (size + 1e-6)
        row[24] = gain_db[min(start // hop, len(gain_db) - 1)] / 10.0
        two, ten = int(2 * ms), int(10 * ms)
        row[25] = _rise(heard, start - two, start, end, end + two)
        row[26] = _rise(heard, start - ten, start, end, end + ten)
        row[27] = _rise(stepped, start - two, start, end, end + two)
        row[28] = _rise(stepped, start - ten, start, end, end + ten)
        level = _rms(heard, start - ten, start) ** 2 + _rms(heard, end, end + ten) ** 2
        peak = np.abs(views[1, start:end]).max() * usual / norm[min(start // hop, len(norm) - 1)]
        row[29] = np.log((peak + 1e-7) / (np.sqrt(level / 2) + 1e-6))
        a, b = max(1, start - ten), min(samples, end + ten)
        steps, power = (stepped[b] - stepped[a + 1]) / (b - a - 1), (heard[b] - heard[a]) / (b - a)
        row[30] = 0.5 * np.log((max(0.0, steps) + 1e-12) / (max(0.0, power) + 1e-12))
        around = max(_largest(largest, start - g - ten, start - g), _largest(largest, end + g, end + g + ten))
        row[31] = np.log(around + 0.1)
        row[32] = np.log(_largest(largest, start - g - 2 * ten, start - g) + 0.1)
        row[33] = np.log(_largest(largest, end + g, end + g + 2 * ten) + 0.1)
    return out


@numba.njit(nogil=True, cache=True)
def _totals(excitation, sound, largest):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """(samples + 1,) each, what lies before a sample: squares of the excitation, of the sound and of its steps, and how
    many samples stand out. The difference of two is the sum over what lies between.
    """
    samples = len(sound)
    excited, heard, stepped = np.zeros(samples + 1), np.zeros(samples + 1), np.zeros(samples + 1)
    standing = np.zeros(samples + 1, np.int64)
    last = 0.0
    for n in range(samples):
        value, step = float(sound[n]), float(sound[n]) - last
        excited[n + 1] = excited[n] + float(excitation[n]) ** 2
        heard[n + 1] = heard[n] + value * value
        stepped[n + 1] = stepped[n] + step * step
        standing[n + 1] = standing[n] + (largest[n] > 4.0)
        last = value
    return excited, heard, stepped, standing


@numba.njit(nogil=True, cache=True)
def _rms(total, first, end):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    a, b = max(0, int(first)), min(len(total) - 1, int(end))
    return np.sqrt(max(0.0, total[b] - total[a]) / (b - a)) if b > a else 0.0


@numba.njit(nogil=True, cache=True)
def _count(standing, first, end):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    a, b = max(0, first), min(len(standing) - 1, end)
    return standing[b] - standing[a] if b > a else 0


@numba.njit(nogil=True, cache=True)
def _largest(largest, first, end):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    most = np.float32(0.0)
    for n in range(max(0, first), min(len(largest), end)):
        most = max(most, largest[n])
    return most


@numba.njit(nogil=True, cache=True)
def _rise(total, a, b, c, d):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The log of how much louder [c, d) is than [a, b), of what was totalled."""
    a, c, d = max(1, a), max(1, c), min(len(total) - 1, d)
    before = max(0.0, total[b] - total[a]) / (b - a) if b > a else 0.0
    after = max(0.0, total[d] - total[c]) / (d - c) if d > c else 0.0
    return 0.5 * np.log((after + 1e-11) / (before + 1e-11))
