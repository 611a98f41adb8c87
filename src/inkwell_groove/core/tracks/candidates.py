"""Every place at which one track may end and another begin: gaps, applause, and moments at which the music changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
from scipy.ndimage import maximum_filter1d, uniform_filter1d

from inkwell_groove.core.tracks.hearing import CELL_HOPS, HOP_S, Heard
from inkwell_groove.core.tracks.noise import CELL_S, Noise, runs
from inkwell_groove.core.tracks.novelty import CELL_S as TONE_S
from inkwell_groove.core.tracks.novelty import Change
from inkwell_groove.core.tracks.presence import Gap

Kind = Literal["gap", "applause", "change", "turn-over", "set"]

_APPLAUSE_DB = 8.0  # over the groove
_APPLAUSE_S = 1.5
_BODY, _HANDS = slice(0, 4), slice(8, 17)  # critical bands of 100 to 510 Hz and of 1 to 4.4 kHz
_CHANGE_APART_S = 2.4
_CHANGES_PER_MINUTE = 6.0
_LEAST_CHANGE = 0.02
_CLEAR_S = 4.0  # of music at either end of a gap in which no change is looked for
_POINTED_S = 3.0
_MOST_POINTED = 80
_LOCAL_S = 1.0
_TURN_OVER_S = 8.0
_APPLAUSE_ODDS = 2.0
_TURN_OVER_ODDS = 12.0


@dataclass(frozen=True)
class Join:
    """A place where one track may end and the next begin, in seconds; and the log of its odds to be a join at all,
    before anything is known of the tracks.
    """

    end_s: float
    start_s: float
    kind: Kind
    log_odds: float
    change: float
    gap: Gap | None = None

    @property
    def length_s(self) -> float:
        return self.start_s - self.end_s


def joins_of(heard: Heard, noise: Noise, gaps: Sequence[Gap], change: Change) -> list[Join]:
    """Every place of a side, in order, each kind with its own odds."""
    claps = applause(heard, noise)
    joins = [_gap_join(gap, change, claps) for gap in gaps[1:-1]]
    first, last = gaps[0].start_s, gaps[-1].end_s
    for begin, end in claps:
        if begin > first + 5.0 and end < last - 5.0 and not any(_overlap(join, begin, end) for join in joins):
            at = _quietest(heard, begin + 0.6 * (end - begin), end)
            joins.append(Join(at, at, "applause", _APPLAUSE_ODDS, change.across(begin, end)))
    joins += _changes(heard, change, gaps, joins)
    return sorted(joins, key=lambda join: join.start_s)


def gap_odds(length_s: float, change: float, residue_db: float, fades: bool) -> float:
    """The log of a gap's odds to be a join. Fitted by `groove bench tracks --fit` on sides with rests in the music."""
    return (
        0.5
        + 2.6 * min(length_s, 4.0)
        + 1.4 * float(np.log(max(change, 0.03)))
        - 0.5 * max(0.0, residue_db)
        + (0.5 if fades else 0.0)
    )


def change_odds(change: float) -> float:
    """The same for a change without a gap, fitted likewise: joins of that kind are few, changes in a piece many."""
    return -0.3 + 2.8 * float(np.log(max(change, 0.005)))


def _gap_join(gap: Gap, change: Change, claps: Sequence[tuple[float, float]]) -> Join:
    differs = change.across(gap.end_s, gap.start_s)
    turned = gap.deck and gap.length_s > _TURN_OVER_S
    odds = gap_odds(gap.length_s, differs, gap.residue_db, gap.end_fade_s > 3.0)
    if any(begin - 1.0 < gap.end_s < end + 1.0 for begin, end in claps):
        odds = max(odds, _APPLAUSE_ODDS)
    return Join(
        gap.end_s, gap.start_s, "turn-over" if turned else "gap", _TURN_OVER_ODDS if turned else odds, differs, gap
    )


def _overlap(join: Join, begin: float, end: float) -> bool:
    return join.start_s > begin - 0.5 and join.end_s < end + 0.5


def applause(heard: Heard, noise: Noise) -> list[tuple[float, float]]:
    """Stretches as steady as noise, but far louder than the side's own, with most of the power where hands have it.

    Hundreds of claps make a noise around 1 to 3 kHz (Repp, The sound of two hands clapping, 1987; from memory); dense
    music is as flat, but seldom as steady, and has its power below.
    """
    cells = len(noise.noise_like)
    firsts = np.minimum(np.arange(cells) * CELL_HOPS, max(0, heard.hops - 1))
    power = np.add.reduceat(heard.bands, firsts, axis=0)
    own = np.add.reduceat(noise.power, firsts, axis=0)
    loud = (power / own).mean(axis=1)
    hands = power[:, _HANDS].sum(axis=1) > 2.0 * np.maximum(0.0, power[:, _BODY] - own[:, _BODY]).sum(axis=1)
    steady = (heard.steadiness > -0.3) & (heard.flatness > -0.12)
    clapping = steady & hands & (10 * np.log10(loud + 1e-9) > _APPLAUSE_DB)
    return [
        (first * CELL_S, last * CELL_S)
        for first, last in runs(_majority(clapping))
        if (last - first) * CELL_S >= _APPLAUSE_S
    ]


def _majority(flags: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    return np.asarray(uniform_filter1d(flags.astype(np.float32), size=3, mode="nearest") > 0.5)


def _quietest(heard: Heard, from_s: float, to_s: float) -> float:
    """The middle of the quietest 0.2 s between two moments."""
    first, last = int(from_s / HOP_S), max(int(from_s / HOP_S) + 1, int(to_s / HOP_S))
    level = uniform_filter1d(heard.bands.sum(axis=1)[max(0, first - 10) : last + 10], size=20, mode="nearest")
    inside = level[10:-10] if len(level) > 20 else level
    return (first + int(np.argmin(inside))) * HOP_S


def _changes(heard: Heard, change: Change, gaps: Sequence[Gap], known: Sequence[Join]) -> list[Join]:
    """Where the music changes most, away from every gap, and exactly there."""
    first, last = gaps[0].start_s, gaps[-1].end_s
    curve = change.curve
    at = np.arange(change.cells) * TONE_S
    curve = np.where((at > first + _CLEAR_S) & (at < last - _CLEAR_S), curve, 0.0)
    for join in known:
        curve[(at > join.end_s - _CLEAR_S) & (at < join.start_s + _CLEAR_S)] = 0.0
    highest = maximum_filter1d(curve, size=2 * round(_CHANGE_APART_S / TONE_S) - 1, mode="constant")
    peaks = np.flatnonzero((curve == highest) & (curve >= _LEAST_CHANGE))
    most = max(4, round((last - first) / 60 * _CHANGES_PER_MINUTE))
    greatest = sorted(peaks, key=lambda peak: -curve[peak])[:most]
    return [_changed(heard, float(at[peak]), float(curve[peak])) for peak in greatest]


def pointed_at(
    heard: Heard, change: Change, joins: Sequence[Join], first_s: float, last_s: float, lengths_s: Sequence[float]
) -> list[Join]:
    """Changes near where tracks of these lengths would end or begin, counted from every sure join and from both ends.

    In music that changes much by itself the change at a join is not among the greatest of the side; where the
    catalogue points at a place, the greatest near it is worth a thought.
    """
    sure = [join for join in joins if join.log_odds > 0]
    starts = {first_s, *(join.start_s for join in sure)}
    ends = {last_s, *(join.end_s for join in sure)}
    places = {start + length for start in starts for length in lengths_s}
    places |= {end - length for end in ends for length in lengths_s}
    places |= {first_s + float(total) for total in np.cumsum(lengths_s)}
    places |= {last_s - float(total) for total in np.cumsum(lengths_s[::-1])}
    curve = change.curve
    taken = [(join.end_s - 1.0, join.start_s + 1.0) for join in joins]
    taken += [(-np.inf, first_s + _CLEAR_S), (last_s - _CLEAR_S, np.inf)]
    out: list[Join] = []
    for place in sorted(places):
        low, high = max(0, int((place - _POINTED_S) / TONE_S)), int((place + _POINTED_S) / TONE_S)
        if high <= low + 2 or low >= len(curve):
            continue
        cell = low + int(np.argmax(curve[low:high]))
        if not any(begin < cell * TONE_S < end for begin, end in taken):
            out.append(_changed(heard, cell * TONE_S, float(curve[cell])))
            taken.append((out[-1].start_s - 1.0, out[-1].start_s + 1.0))
            if len(out) >= _MOST_POINTED:
                break
    return out


def _changed(heard: Heard, near_s: float, how_much: float) -> Join:
    place = _change_point(heard, near_s)
    return Join(place, place, "change", change_odds(how_much), how_much)


def _change_point(heard: Heard, near_s: float) -> float:
    """The exact moment of a change: the best division of 3 s of band levels in two."""
    reach = round((_LOCAL_S + 0.6) / HOP_S)
    hop = round(near_s / HOP_S)
    low = max(0, hop - reach)
    part = np.log(heard.bands[low : hop + reach])
    if len(part) < 2 * reach:
        return near_s
    count = np.arange(1, len(part))[:, None]
    total = np.cumsum(part, axis=0)
    left = total[:-1] / count
    right = (total[-1] - total[:-1]) / (len(part) - count)
    gain = (count * (len(part) - count) * (right - left) ** 2).sum(axis=1)
    edge = round(0.3 / HOP_S)
    inside = gain[edge:-edge]
    # The middle of what is nearly as good as the best: no tie between two places is then broken by chance.
    weight = np.maximum(0.0, inside - 0.97 * inside.max()) + 1e-12
    return float(low + edge + 1 + np.average(np.arange(len(inside)), weights=weight)) * HOP_S
