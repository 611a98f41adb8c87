"""How like two recordings are: the share of bits in which their prints differ, and where and how fast they fit.

Prints of the same recording differ in few bits, of different ones in half of them; blocks of 256 prints are taken for
the same sound under a bit error rate of 0.35 (Haitsma and Kalker 2002, section 4.4, with a false positive once in
3.6e20 for independent bits; their own neighbouring bits are not, so it is measured in `benchmarks/fingerprint`).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.fingerprint.prints import BITS, BLOCK, HOP_S, Prints

SAME_UNDER = 0.35
SPEEDS = tuple(round(1.0 + step / 1000, 3) for step in range(-24, 25, 6))
"""Speeds that are tried: bands are 6 % wide, so 0.3 % beside the truth costs little."""
_STEP = BLOCK // 2
_LEFT_OVER = 0.004  # of speed: half the distance between two of those that are tried, and a little more
_TOO_LITTLE = 0.1  # share of the shorter recording: less may be a quotation

Verdict = Literal["same recording", "same recording, another edit", "different"]


class Likeness(BaseModel):
    """How the second recording lies on the first."""

    model_config = ConfigDict(frozen=True)

    verdict: Verdict
    bit_error_rate: float = Field(
        ge=0, le=1, description="Over what fits; of the best fitting place where nothing does."
    )
    offset_s: float = Field(description="Where the second's beginning lies in the first, of what fits longest.")
    speed_ratio: float = Field(description="How much faster than the first the second runs.")
    matched_share: float = Field(ge=0, le=1, description="How much of the shorter one is found in the other.")
    matched_s: float = Field(description="The same in seconds.")


def bit_error_rate(one: Prints, other: Prints) -> float:
    """Share of differing bits of two equally long stretches of prints."""
    return float(np.bitwise_count(one ^ other).sum()) / (BITS * len(one))


def rates_along(one: Prints, other: Prints, offset: int) -> npt.NDArray[np.float64]:
    """Bit error rates of blocks of 256, every 128 prints and at the end: `other` lies `offset` prints into `one`."""
    first, last = max(0, offset), min(len(one), offset + len(other))
    if last - first < BLOCK:
        return np.zeros(0)
    wrong = np.bitwise_count(one[first:last] ^ other[first - offset : last - offset]).astype(np.int64)
    total = np.concatenate([[0], np.cumsum(wrong)])
    starts = _block_starts(last - first)
    return np.asarray((total[starts + BLOCK] - total[starts]) / (BITS * BLOCK))


def _block_starts(length: int) -> npt.NDArray[np.int64]:
    starts = np.arange(0, length - BLOCK + 1, _STEP)
    end = length - BLOCK
    return starts if starts[-1] == end else np.append(starts, end)


class Fit(NamedTuple):
    """How one recording lies on another, block by block, where a small difference of speed may pull it along."""

    starts: npt.NDArray[np.int64]
    """Where in the second the blocks begin."""
    rates: npt.NDArray[np.float64]
    offsets: npt.NDArray[np.int64]
    """Where in the first, less where in the second, each of them fits best."""

    @property
    def fits(self) -> npt.NDArray[np.bool_]:
        return np.asarray(self.rates < SAME_UNDER)


def fit_near(first: Prints, second: Prints, offset: int) -> Fit:
    """The second on the first near an offset: each block may lie aside by as much as the speeds may still differ."""
    starts = _block_starts(len(second)) if len(second) >= BLOCK else np.zeros(0, np.int64)
    reach = 3 + round(len(second) * _LEFT_OVER)
    rates = np.full(len(starts), 1.0)
    offsets = np.full(len(starts), offset)
    for aside in sorted(range(-reach, reach + 1), key=abs):
        here = offset + aside
        inside = (starts + here >= 0) & (starts + here + BLOCK <= len(first))
        if not inside.any():
            continue
        low, high = max(0, -here), min(len(second), len(first) - here)
        wrong = np.bitwise_count(first[low + here : high + here] ^ second[low:high]).astype(np.int64)
        total = np.concatenate([[0], np.cumsum(wrong)])
        at = starts[inside] - low
        rate = (total[at + BLOCK] - total[at]) / (BITS * BLOCK)
        better = rate < rates[inside]
        rates[inside] = np.where(better, rate, rates[inside])
        offsets[inside] = np.where(better, here, offsets[inside])
    return Fit(starts, rates, offsets)


def compare(first: Prints, second_at: Callable[[float], Prints], *, speeds: Sequence[float] = SPEEDS) -> Likeness:
    """How two recordings are related. `second_at` gives the second's prints as if a speed error were undone.

    Places are found by prints that are exactly the same, speeds by which of them finds most; what fits is then counted
    block by block. A recording of which more than a twentieth fits elsewhere, or not at all, is another edit.
    """
    best: tuple[int, float, Prints, list[int]] | None = None
    for speed in sorted(speeds, key=lambda one: abs(one - 1.0)):
        prints = second_at(speed)
        offsets = likely_offsets(first, prints)
        fitting = max((_fitting(first, prints, offset) for offset in offsets), default=0)
        if best is None or fitting > best[0]:
            best = fitting, speed, prints, offsets
        if fitting > 0.8 * min(len(first), len(prints)) / _STEP:
            break
    assert best is not None
    _, speed, prints, offsets = best
    return _told(first, prints, offsets, speed)


def likely_offsets(first: Prints, second: Prints, most: int = 12) -> list[int]:
    """Where the second may lie in the first, most often first: by equal prints, silence (all zero bits) left out."""
    order = np.argsort(first, kind="stable")
    ranked = first[order]
    useful = np.flatnonzero((second != 0) & (second != 0xFFFFFFFF))
    low = np.searchsorted(ranked, second[useful], "left")
    high = np.searchsorted(ranked, second[useful], "right")
    counts = np.minimum(high - low, 20)  # a print that is everywhere tells nothing
    places = np.repeat(useful, counts)
    within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    offsets = order[np.repeat(low, counts) + within] - places
    values, often = np.unique(offsets, return_counts=True)
    return [int(one) for one in values[np.argsort(-often, kind="stable")][:most]]


def _fitting(first: Prints, second: Prints, offset: int) -> int:
    return int((rates_along(first, second, offset) < SAME_UNDER).sum())


def _told(first: Prints, second: Prints, offsets: list[int], speed: float) -> Likeness:
    fits = [fit for fit in (fit_near(first, second, offset) for offset in offsets) if len(fit.rates)]
    if not fits:
        return Likeness(
            verdict="different", bit_error_rate=0.5, offset_s=0.0, speed_ratio=speed, matched_share=0.0, matched_s=0.0
        )
    best = max(fits, key=lambda fit: (fit.fits.sum(), -fit.rates.min()))
    shorter = min(len(first), len(second))
    matched = _covered(second, fits)
    share, alone = min(1.0, matched / shorter), _covered(second, [best]) / shorter
    same_length = abs(len(first) - len(second)) < 0.05 * max(len(first), len(second)) + 2 / HOP_S
    if not best.fits.any() or share < _TOO_LITTLE:
        verdict: Verdict = "different"
    elif alone > 0.9 and same_length:
        verdict = "same recording"
    else:
        verdict = "same recording, another edit"
    pulled = _pull(best)
    return Likeness(
        verdict=verdict,
        bit_error_rate=float(best.rates[best.fits].mean() if best.fits.any() else best.rates.min()),
        offset_s=float(np.median(best.offsets[best.fits] - pulled * best.starts[best.fits]) if best.fits.any() else 0.0)
        * HOP_S,
        speed_ratio=speed * (1.0 + pulled),
        matched_share=share,
        matched_s=matched * HOP_S,
    )


def _pull(fit: Fit) -> float:
    """By how much faster the second still is: how the offset grows along it, by the median of all pairs of blocks (Sen,
    Estimates of the regression coefficient based on Kendall's tau, 1968).
    """
    starts, offsets = fit.starts[fit.fits], fit.offsets[fit.fits]
    if len(starts) < 4:
        return 0.0
    one, other = np.triu_indices(len(starts), k=1)
    return float(np.median((offsets[other] - offsets[one]) / (starts[other] - starts[one])))


def _covered(second: Prints, fits: Sequence[Fit]) -> int:
    """How many prints of the second lie in a block that fits anywhere."""
    covered = np.zeros(len(second), bool)
    for fit in fits:
        for start in fit.starts[fit.fits]:
            covered[start : start + BLOCK] = True
    return int(covered.sum())
