"""Triangular dither (Lipshitz, Wannamaker and Vanderkooy, Quantization and Dither, 1992)."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

_GRAIN = 65_536  # dither is drawn afresh for every such stretch of a take, so any block size gives the same


def dither(first_sample: int, samples: int, channels: int) -> npt.NDArray[np.float64]:
    """Triangular noise of two steps peak to peak for a stretch of the take: the same for the same place, always."""
    out = np.empty((samples, channels))
    done = 0
    while done < samples:
        grain, inside = divmod(first_sample + done, _GRAIN)
        count = min(samples - done, _GRAIN - inside)
        out[done : done + count] = _grain(grain, channels)[inside : inside + count]
        done += count
    return out


@lru_cache(maxsize=4)
def _grain(number: int, channels: int) -> npt.NDArray[np.float64]:
    """One stretch of dither, which small blocks ask for many times."""
    noise = np.random.default_rng([24, number]).random((_GRAIN, channels, 2))
    return np.asarray(noise[:, :, 0] - noise[:, :, 1])
