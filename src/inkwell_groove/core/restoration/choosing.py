"""Which of a scan's candidates are mended: by one amount, by what a person said of them, and by what they cost.

The amount runs from 0 to 100 and is a likelihood in another dress: at 50 whatever is more likely a click than music is
mended, at 25 what is so by twelve to one, at 10 by fifty to one. The least sufficient amount is the smallest that is
expected to find nearly all clicks, and never one that is expected to take more than a little music with them.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration.scan import Scan
from inkwell_groove.core.restoration.told import Proposal

CAUTIOUS, MOST = 15.0, 70.0
_STEP = 2.5
_FEW = 3.0
_ENOUGH = 0.98  # of the clicks expected to be found
_FALSE_SHARE, _FALSE_FEW = 0.008, 0.5  # of what is mended expected to be music
_PARTNER = 3.0  # in log odds: a click in one channel makes one in the other likelier
_CRACKLE_S, _CRACKLE_RATE = 0.0006, 16.0  # short ones, at so many a second around


def threshold(amount: float) -> float:
    """The log odds above which an amount mends."""
    return 5.0 - amount / 10.0


def chosen(scan: Scan, amount: float) -> npt.NDArray[np.bool_]:
    """(candidates,): what an amount mends, before anybody refused or asked for anything."""
    limit = threshold(amount)
    sure = scan.odds > limit
    if not len(scan):
        return sure
    # The other half of a click that is in both channels.
    near = scan.odds > limit - _PARTNER
    for one, other in ((0, 1), (1, 0)):
        here, there = (
            np.flatnonzero(near & (scan.channel == one) & ~sure),
            np.flatnonzero(sure & (scan.channel == other)),
        )
        if len(here) and len(there):
            k = np.searchsorted(scan.start[there], scan.end[here]) - 1
            touches = (k >= 0) & (scan.end[there][np.maximum(k, 0)] > scan.start[here])
            sure[here[touches]] = True
    return sure


def propose(scan: Scan) -> Proposal:
    """The least sufficient amount for a side."""
    likely = scan.likelihood
    expected = float(likely.sum())
    best, because = CAUTIOUS, "few clicks to go by, so a cautious amount"
    if expected >= _FEW:
        because = "it is the most that is ever proposed"
        for amount in np.arange(CAUTIOUS, MOST + _STEP, _STEP):
            mended = scan.odds > threshold(amount)
            found = float(likely[mended].sum())
            if float(mended.sum()) - found > _FALSE_SHARE * found + _FALSE_FEW:
                because = "more would begin to take music for damage"
                break
            best = float(amount)
            if found >= _ENOUGH * expected:
                because = "it is enough for nearly all that is likely a click"
                break
    mended = scan.odds > threshold(best)
    return Proposal(
        amount=best,
        clicks_expected=expected,
        found_share=float(likely[mended].sum()) / expected if expected > 0 else 1.0,
        false_expected=float((1.0 - likely[mended]).sum()),
        mended=int(chosen(scan, best).sum()),
        because=because,
    )


def kinds(scan: Scan, mended: npt.NDArray[np.bool_]) -> npt.NDArray[np.str_]:
    """(candidates,): "scratch" for members of a family, "crackle" for short ones among many, else "click"."""
    out = np.full(len(scan), "click", dtype="<U8")
    at = np.sort(scan.start[mended])
    half = scan.rate_hz // 2
    around = np.searchsorted(at, scan.start + half) - np.searchsorted(at, scan.start - half)
    out[(scan.end - scan.start < _CRACKLE_S * scan.rate_hz) & (around > _CRACKLE_RATE)] = "crackle"
    out[scan.family >= 0] = "scratch"
    return out
