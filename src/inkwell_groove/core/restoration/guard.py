"""How likely a candidate is a click and no music: boosted trees over what `candidates` measured.

The trees were fitted by benchmarks/guard.py on music of many kinds with known damage. They give the log of the odds
for a take with as many clicks among its candidates as there were then; every side has its own share, which the side
itself tells: the odds are moved until the share they give is the share they assume (Saerens, Latinne and Decaestecker,
Adjusting the outputs of a classifier to new a priori probabilities, 2002). So a clean record of drums is believed to
be one.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numba
import numpy as np
import numpy.typing as npt

Float = npt.NDArray[np.float32]
MODEL_FILE = Path(__file__).with_name("guard.npz")
_IMAGINED = 20.0  # candidates that are no clicks, added to each side's own, so that a handful cannot decide
_MOST_RISE = 1.0  # of the log odds: a side full of clicks may not make music of every attack


class _Trees(NamedTuple):
    feature: npt.NDArray[np.int8]
    threshold: Float
    left: npt.NDArray[np.int16]
    right: npt.NDArray[np.int16]
    value: Float
    roots: npt.NDArray[np.int16]


@lru_cache(maxsize=1)
def _model() -> tuple[_Trees, float, float]:
    with np.load(MODEL_FILE) as held:
        trees = _Trees(*(held[name] for name in _Trees._fields))
        return trees, float(held["before"]), float(held["share"])


def log_odds(features: Float) -> Float:
    """(candidates, FEATURES) to (candidates,): the log of the odds that each is a click, before `side_shift`."""
    trees, before, _ = _model()
    return np.asarray(_sum_of_leaves(features, *trees) + np.float32(before))


def side_shift(odds: Float) -> float:
    """By how much the log odds of all of a side's candidates are to be moved, from -8 to 1."""
    _, _, share = _model()
    usual = np.log(share / (1.0 - share))
    shift = 0.0
    for _ in range(60):
        clicks = (1.0 / (1.0 + np.exp(-(odds.astype(np.float64) + shift)))).sum()
        own = np.clip((clicks + 0.02) / (len(odds) + _IMAGINED), 1e-5, 0.99)
        wanted = float(np.log(own / (1.0 - own)) - usual)
        if abs(wanted - shift) < 1e-3:
            break
        shift = wanted
    return min(max(shift, -8.0), _MOST_RISE)


@numba.njit(nogil=True, cache=True)
def _sum_of_leaves(features, feature, threshold, left, right, value, roots):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    out = np.zeros(len(features), np.float32)
    for root in roots:  # tree by tree, each of which the processor has at hand
        for k in range(len(features)):
            node = np.int64(root)
            while feature[node] >= 0:
                node = np.int64(left[node] if features[k, feature[node]] <= threshold[node] else right[node])
            out[k] += value[node]
    return out
