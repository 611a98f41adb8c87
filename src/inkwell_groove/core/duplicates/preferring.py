"""Which of several copies of one recording is the one to keep, and why."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

ALIKE = "they are alike in everything that counts"
_COPY = re.compile(r"^(?:copy of |kopie von )|(?: - copy| copy|\(\d\))$", re.IGNORECASE)


@dataclass(frozen=True)
class Copy:
    """What is known of a file that matters for keeping it. `rate_hz` and `bits` are those it really has."""

    key: str
    name: str
    lossless: bool
    lossy_source: bool = False
    sealed: bool = False
    proven: bool = False
    rate_hz: int = 0
    bits: int = 0
    bitrate_kbps: int = 0
    clipped_runs: int = 0
    described: int = 0

    @property
    def says_it_is_a_copy(self) -> bool:
        return bool(_COPY.search(self.name.rpartition("/")[2].rsplit(".", 1)[0]))


# From the weightiest on: what is preferred, and the words for it. Two that are alike in one are told by the next.
_REASONS: tuple[tuple[Callable[[Copy], float], str], ...] = (
    (lambda one: one.lossless and not one.lossy_source, "it is lossless"),
    (lambda one: one.sealed, "it was sealed here, with proof"),
    (lambda one: one.proven, "its samples have the checksum stored with them"),
    (lambda one: -(one.clipped_runs > 0), "it is not clipped"),
    (lambda one: one.bits if one.lossless else 0, "it has more bits"),
    (lambda one: one.rate_hz if one.lossless else 0, "it has the higher sample rate"),
    (lambda one: 0 if one.lossless else one.bitrate_kbps, "it is coded at a higher rate"),
    (lambda one: one.described, "it is better described"),
    (lambda one: not one.says_it_is_a_copy, "the other's name says that it is a copy"),
)


def by_preference(copies: Sequence[Copy]) -> list[Copy]:
    """The one to keep first; of copies that are alike in everything, the first by name."""
    return sorted(copies, key=lambda one: (*(-measure(one) for measure, _ in _REASONS), one.name))


def why(kept: Copy, other: Copy, *, most: int = 2) -> list[str]:
    """What speaks for a copy over one that is less preferred, the weightiest first."""
    reasons = []
    for measure, words in _REASONS:
        if measure(kept) > measure(other):
            reasons.append(words)
        elif measure(kept) < measure(other) and not reasons:
            break
    return reasons[:most] or [ALIKE]
