"""How sure the finder is of each end, as a probability that has been held against the truth, and why, in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from inkwell_groove.core.tracks.arrange import Arrangement
from inkwell_groove.core.tracks.candidates import Join
from inkwell_groove.core.tracks.found import FoundEdge

# The log-odds that an end is within 0.5 s, fitted by `groove bench tracks --fit` on other sides than those it reports.
_CONSTANT = 3.4
_WEIGHTS = {
    "posterior": 0.38,
    "change": -3.2,
    "applause": 0.0,
    "fade_s": -0.08,
    "residue_db": -0.5,
    "off_s": -0.1,
    "untold_odds": 0.0,
    "untold_brevity_s": -5.0,  # steeper than fitted (-2.2): where nothing else tells, a rest must be doubtful
    "outer": 0.0,
    "flutter": -7.0,
    "shallow": -1.6,
}
_ROUNDING_S = 0.5  # of printed durations
_CLEAR_DB = 30.0  # of music over the noise: from there on an end is found as well as it can be
_MUCH = 0.3
_USUAL_GAP_S = 2.0  # of records (common practice)
FEATURES = tuple(_WEIGHTS)
_LEAST = 1e-3


@dataclass(frozen=True)
class Edge:
    """What speaks for and against one end of a track."""

    join: Join
    side: str  # "start" or "end", of the track
    posterior: float
    off_s: float | None  # the length's difference from the catalogue's, after speed
    outer: bool
    flutter: float  # of the side's noise: what swells and sinks with every turn hides an end

    @property
    def features(self) -> tuple[float, ...]:
        gap = self.join.gap
        fade = 0.0 if gap is None else gap.start_fade_s if self.side == "start" else gap.end_fade_s
        chance = min(1 - _LEAST, max(_LEAST, self.posterior))
        values = {
            "posterior": math.log(chance / (1 - chance)),
            "change": float(self.join.kind == "change"),
            "applause": float(self.join.kind == "applause"),
            "fade_s": min(fade, 10.0),
            "residue_db": max(0.0, min(10.0, gap.residue_db)) if gap else 0.0,
            "off_s": min(6.0, max(0.0, abs(self.off_s) - _ROUNDING_S)) if self.off_s is not None else 0.0,
            "untold_odds": 0.0 if self.outer or self.off_s is not None else max(-5.0, min(5.0, self.join.log_odds)),
            "untold_brevity_s": 0.0
            if self.outer or self.off_s is not None or gap is None
            else max(0.0, _USUAL_GAP_S - gap.length_s),
            "outer": float(self.outer),
            "flutter": min(1.0, self.flutter),
            "shallow": max(0.0, _CLEAR_DB - gap.depth_db) / 10 if gap else 0.0,
        }
        return tuple(values[name] for name in FEATURES)


def judged(edge: Edge) -> FoundEdge:
    """An end with its probability and its reason."""
    if edge.join.kind == "set":
        return FoundEdge(confidence=1.0, reason="set by hand", by_hand=True)
    odds = _CONSTANT + sum(weight * value for weight, value in zip(_WEIGHTS.values(), edge.features, strict=True))
    return FoundEdge(confidence=round(1 / (1 + math.exp(-odds)), 3), reason=_reason(edge))


def _reason(edge: Edge) -> str:
    join, gap = edge.join, edge.join.gap
    words = []
    if join.kind == "applause":
        words.append("within applause")
    elif gap is None:
        words.append("no gap; the music changes here" + (" much" if join.change > _MUCH else " a little"))
    elif edge.outer:
        words.append(f"{'run-out' if edge.side == 'end' else 'lead-in'} {join.length_s:.1f} s")
    else:
        words.append(f"{'turn-over' if join.kind == 'turn-over' else 'gap'} {join.length_s:.1f} s")
    if gap is not None:
        words[0] += f", {gap.depth_db:.0f} dB under the music"
        if gap.residue_db > 3.0:
            words.append(f"not as quiet as the groove, by {gap.residue_db:.0f} dB")
        fade = gap.start_fade_s if edge.side == "start" else gap.end_fade_s
        if fade > 1.0:
            words.append(f"{'fades in' if edge.side == 'start' else 'fades out'} over {fade:.0f} s")
    if edge.off_s is not None:
        words.append(f"{abs(edge.off_s):.1f} s from the catalogue time")
    if edge.posterior < 0.5 and not edge.outer:
        words.append("other places are as likely")
    return "; ".join(words)


def edges_of(
    arrangement: Arrangement, first: Join, last: Join, durations_s: Sequence[float | None] | None, flutter: float
) -> list[tuple[Edge, Edge]]:
    """For each track its start and its end, with all that is known of them."""
    joins = [first, *arrangement.joins, last]
    posteriors = [1.0, *arrangement.sure, 1.0]
    speed = arrangement.speed or 1.0
    out = []
    for number, index in enumerate(arrangement.listed):
        before, after = joins[number], joins[number + 1]
        told = durations_s[index] if durations_s is not None and index is not None else None
        length = after.end_s - before.start_s
        if arrangement.counts_gap:
            length += min(after.length_s, 6.0) if after is not last else 2.0
        off = None if told is None else length * speed - told
        out.append(
            (
                Edge(before, "start", posteriors[number], off, number == 0, flutter),
                Edge(after, "end", posteriors[number + 1], off, number + 1 == len(arrangement.listed), flutter),
            )
        )
    return out
