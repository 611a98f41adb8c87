"""Where there is music and where only the side's noise, and the exact ends between the two.

A stretch of sound is music if in some band it lies above the noise for longer than the noise could by chance: the
generalised likelihood ratio of exponential powers, x - 1 - ln x for a mean power ratio x, summed over the critical
bands (Kay, Fundamentals of Statistical Signal Processing, volume 2, 1998, from memory). Each end is then the most
likely point of change against the noise of its own gap.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy.ndimage import uniform_filter1d

from inkwell_groove.core.tracks.hearing import FINE, HOP, HOP_S, RATE_HZ, Floats, Heard
from inkwell_groove.core.tracks.noise import Noise, runs

_SCALE_HOPS = 20  # 0.2 s
_ON, _OFF = 8.0, 3.0  # in standard deviations of the noise alone
_SHORTEST_GAP_HOPS = 20
_LEAST_GAP_HOPS = 4
_BLIP_S = 0.9  # a needle's thump is shorter, music between two gaps longer
_HEARD = 0.2  # of the noise's power in the bands listened for: ends come out best in `groove bench tracks`
_FLUTTER = 2.5
_REACH_S = 14.0  # how far into a gap a fade is followed
_BEYOND_S = 1.5  # of music next to a gap whose bands are listened for
_BLOCK_HOPS = 10
_QUIET_SHARE = 0.6  # of a gap that is surely not what is left of a fade
_ABRUPT, _STILL_GAP = 2.0, 0.3  # in nats of power: 9 dB and 1.3 dB
_FINE_PER_HOP = HOP // FINE


@dataclass(frozen=True)
class Gap:
    """A stretch without music: the music before it ends at `end_s`, the music after it starts at `start_s`.

    first and last gap of a side have no music before or after. depth_db: how far the loudest second on the quieter
    side stands above the gap. residue_db: how far the gap stands above the side's own noise. `end_fade_s`: how long the
    music sinks before its end, from 12 dB above the noise on; `start_fade_s` the same for its rise.
    """

    end_s: float
    start_s: float
    depth_db: float
    residue_db: float
    end_fade_s: float
    start_fade_s: float
    deck: bool = False

    @property
    def length_s(self) -> float:
        return self.start_s - self.end_s


def excess(heard: Heard, noise: Noise, hops: int = _SCALE_HOPS) -> npt.NDArray[np.float64]:
    """(hops,): how many standard deviations of the noise's own the sound stands above it, over `hops` hops."""
    score = np.zeros(heard.hops)
    for band, weight in enumerate(noise.weight):
        ratio = uniform_filter1d(heard.bands[:, band] / noise.power[:, band], size=hops, mode="nearest")
        over = np.maximum(ratio, 1.0)
        score += (over - 1.0 - np.log(over)) * (weight * hops)
    cell_hops = np.repeat(noise.cells, 50)[: len(score)]
    cell_hops = np.pad(cell_hops, (0, len(score) - len(cell_hops)))
    if cell_hops.sum() >= 100:
        own = score[cell_hops]
        centre, spread = float(np.median(own)), float(np.percentile(own, 84) - np.median(own))
    else:
        centre, spread = 3.0, 3.0
    return np.asarray((score - centre) / max(spread, 1.0))


def gaps_of(heard: Heard, noise: Noise, above: npt.NDArray[np.float64], *, sensitivity: float = 1.0) -> list[Gap]:
    """Every gap of a side in order, the one before the first music and the one after the last among them.

    `above` is the side's `excess`; `sensitivity` over 1 takes fainter sounds for music. No gap at all where nothing
    but noise is heard.
    """
    above = np.where(noise.deck, 0.0, above * sensitivity)
    music = _hysteresis(above)
    music = _without_blips(music)
    if not music:
        return []
    quiet = [(0, music[0][0])]
    quiet += [(a[1], b[0]) for a, b in pairwise(music) if b[0] - a[1] >= _SHORTEST_GAP_HOPS]
    quiet.append((music[-1][1], heard.hops))
    return [
        _exact(heard, noise, before, gap, after)
        for before, gap, after in zip([None, *quiet[:-1]], quiet, [*quiet[1:], None], strict=True)
    ]


def _hysteresis(above: npt.NDArray[np.float64]) -> list[tuple[int, int]]:
    return [(a, b) for a, b in runs(above > _OFF) if above[a:b].max() > _ON]


def _without_blips(music: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Without what is short and stands alone: thumps, a scratch, a turn's click that was not bridged."""
    lone = round(_BLIP_S / HOP_S)
    joined: list[tuple[int, int]] = []
    for first, last in music:
        if joined and first - joined[-1][1] < _SHORTEST_GAP_HOPS:
            joined[-1] = (joined[-1][0], last)
        else:
            joined.append((first, last))
    return [(a, b) for a, b in joined if b - a >= lone + _SCALE_HOPS]


def _exact(
    heard: Heard, noise: Noise, before: tuple[int, int] | None, gap: tuple[int, int], after: tuple[int, int] | None
) -> Gap:
    """The gap with its ends followed into its own noise."""
    first, last = gap
    if last - first < _LEAST_GAP_HOPS:  # the recording begins or ends within the music: there is nothing to look at
        return Gap(first * HOP_S, min(last * HOP_S, heard.seconds), 0.0, 0.0, 0.0, 0.0)
    reach = round(_REACH_S / HOP_S)
    low = max(first - reach, before[1] if before else 0)
    high = min(last + reach, after[0] if after else heard.hops)
    beyond = round(3.0 / HOP_S)
    # Between two sides lies a deck's silence: each end is held against the groove on its own side of that.
    silence = np.flatnonzero(noise.deck[first:last]) + first
    near_end = (first, int(silence[0])) if len(silence) else gap
    near_start = (int(silence[-1]) + 1, last) if len(silence) else gap
    end = start = end_fade = start_fade = 0.0
    depths, residues = [], []
    if before is not None:
        own, residue = _own_noise(heard, noise, near_end)
        end, end_fade = _edge(heard, noise, own, _core(near_end)[0], low, -1)
        depths.append(_depth(heard.bands[max(0, first - beyond) : first], own))
        residues.append(residue)
    start = heard.seconds
    if after is not None:
        own, residue = _own_noise(heard, noise, near_start)
        start, start_fade = _edge(heard, noise, own, _core(near_start)[1], high, +1)
        depths.append(_depth(heard.bands[last : last + beyond], own))
        residues.append(residue)
    return Gap(
        end_s=min(end, start),
        start_s=start,
        depth_db=min(depths, default=0.0),
        residue_db=max(residues, default=0.0),
        end_fade_s=end_fade,
        start_fade_s=start_fade,
        deck=len(silence) > 0,
    )


def _depth(music: Floats, own: Floats) -> float:
    return _decibels(float(music.sum(axis=1).mean() / own.sum())) if len(music) else 0.0


def _core(gap: tuple[int, int]) -> tuple[int, int]:
    """The part of a gap that is surely no music: what is left when the ends are given up."""
    first, last = gap
    give = min(round(0.15 / HOP_S), (last - first) // 4)
    return first + give, max(first + give + 1, last - give)


def _own_noise(heard: Heard, noise: Noise, gap: tuple[int, int]) -> tuple[Floats, float]:
    """(bands,) power of a gap's own noise, and by how many dB it stands above the side's.

    Its own spectrum, in the quieter part of its core, where that is a second long; the side's in this place, brought
    to the gap's level, where it is too short to know.
    """
    first, last = _core(gap)
    level = noise.power[(first + last) // 2]
    blocks = np.add.reduceat(heard.bands[first:last], np.arange(0, last - first, _BLOCK_HOPS), axis=0)
    counts = np.diff([*range(0, last - first, _BLOCK_HOPS), last - first])[:, None]
    blocks /= counts
    shift = np.log(blocks / level).mean(axis=1)
    quiet = np.argsort(shift)[: max(1, round(_QUIET_SHARE * len(shift)))]
    residue = float(np.average(shift[quiet], weights=counts[quiet, 0]))
    inside = np.average(blocks[quiet], axis=0, weights=counts[quiet, 0])
    trust = min(1.0, counts[quiet].sum() / 100)
    own = np.exp(trust * np.log(inside) + (1 - trust) * (np.log(level) + residue))
    return np.asarray(own, np.float32), residue * 10 / float(np.log(10))


def _edge(heard: Heard, noise: Noise, own: Floats, inside: int, limit: int, step: int) -> tuple[float, float]:
    """Where the music on one side of a gap ends, in seconds: from `inside` the gap outwards (`step`) to `limit`.

    Also for how long it fades there. The likeliest change from noise to noise with a just audible tone in the bands
    in which the music beyond is loudest above the noise.
    """
    span = heard.bands[inside:limit] if step > 0 else heard.bands[limit:inside][::-1]
    if len(span) < 4:
        return inside * HOP_S, 0.0
    ratio = span / own
    over = _sure_hop(ratio, noise.weight)
    if over is None:
        return inside * HOP_S, 0.0
    beyond = ratio[over : over + round(_BEYOND_S / HOP_S)].mean(axis=0)
    strength = np.maximum(np.log(np.maximum(beyond, 1e-3)), 0.0)
    share = np.where(strength >= 0.5 * strength.max(), 1.0, 0.0) if strength.max() > 0 else np.ones(len(strength))
    # Log-likelihood of a tone at the threshold against none, hop by hop; one loud hop may not decide alone.
    tone = max(_HEARD, _FLUTTER * noise.flutter)  # noise that swells and sinks with each turn hides more
    gain = noise.weight * (ratio * (tone / (1 + tone)) - np.log(1 + tone))
    score = np.clip((gain * share).sum(axis=1), -12.0, 12.0)
    reach = min(len(score), over + round(0.3 / HOP_S))
    # Music is what lies beyond the change: the sum over what is nearer must be least.
    total = np.concatenate(([0.0], np.cumsum(score[:reach])))
    change = int(np.argmin(total))
    fade = max(0.0, (_loud_hop(ratio, share) - change) * HOP_S)
    at = _refined(heard, inside + step * change, step)
    return at, fade


def _sure_hop(ratio: Floats, weight: Floats) -> int | None:
    """The first hop of a span from which the sound stands far above the noise for 0.3 s."""
    still = uniform_filter1d(ratio, size=15, axis=0, mode="nearest")
    over = np.maximum(still, 1.0)
    score = ((over - 1 - np.log(over)) * weight * 15).sum(axis=1)
    sure = uniform_filter1d((score > 3.0 * len(weight)).astype(np.float32), size=31, mode="nearest") > 0.9
    at = np.flatnonzero(sure)
    return int(at[0]) if len(at) else None


def _loud_hop(ratio: Floats, share: npt.NDArray[np.float64]) -> int:
    """The first hop of a span at which the listened-for bands lie 12 dB above the noise."""
    still = uniform_filter1d((ratio * share).sum(axis=1) / share.sum(), size=15, mode="nearest")
    at = np.flatnonzero(still > 16.0)
    return int(at[0]) if len(at) else len(ratio)


def _refined(heard: Heard, hop: int, step: int) -> float:
    """The change to the millisecond, where it is abrupt: the best division of the fine level in two, from just before
    the change to a quarter of a second into the music, if what then lies outside is as quiet as the gap.
    """
    at, near, far = hop * _FINE_PER_HOP, 4 * _FINE_PER_HOP, 25 * _FINE_PER_HOP
    first = at - near if step > 0 else at - far
    part = np.log(heard.fine[max(0, first) : first + near + far])
    gap = np.log(heard.fine[max(0, at - far) : at] if step > 0 else heard.fine[at : at + far])
    if first < 0 or len(part) < near + far or len(gap) < far:
        return hop * HOP_S
    count = np.arange(1, len(part))
    total = np.cumsum(part)
    left = total[:-1] / count
    right = (total[-1] - total[:-1]) / (len(part) - count)
    best = int(np.argmax(count * (len(part) - count) * (right - left) ** 2))
    outside, inside = (left[best], right[best]) if step > 0 else (right[best], left[best])
    if inside - outside < _ABRUPT or outside > np.median(gap) + _STILL_GAP:
        return hop * HOP_S
    return float((first + best + 1) * FINE / RATE_HZ)


def _decibels(ratio: float) -> float:
    return float(10 * np.log10(max(ratio, 1e-12)))
