"""A reading held against the witness register's answer: each track gets its witnesses."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from pathlib import Path

from inkwell_groove.core.disc.offset import with_witnesses
from inkwell_groove.core.disc.reading import DiscReading
from inkwell_groove.core.disc.record import Opening, TrackRead
from inkwell_groove.core.disc.sound import DiscSound
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.disc.witnesses import Register, compare
from inkwell_groove.core.errors import Refused


def proven(reading: DiscReading, register: Register, toc: Toc, files: Mapping[int, Path]) -> DiscReading:
    """The reading with what the register says of it; `files` are the tracks' that are there, for a look beside."""
    if register.known is None:
        return reading
    sums = {one.number: one.witness_sum for one in reading.tracks if one.witness_sum is not None}
    found = compare(register.known, sums, {one.number: one.whole_sum for one in reading.tracks})
    if any(one.answer == "disagrees" for one in found.values()) and _whole(toc, files):
        # It only says more of what disagrees: whatever hinders it, what was read and compared stays.
        with contextlib.suppress(Refused), DiscSound(toc, files) as sound:
            found = with_witnesses(register.known, sums, found, sound, toc)
    tracks = tuple(one.model_copy(update={"witness": found.get(one.number, one.witness)}) for one in reading.tracks)
    return DiscReading(tracks, _opening(reading.opening, tracks))


def _whole(toc: Toc, files: Mapping[int, Path]) -> bool:
    return all(track.number in files for track in toc.audio_tracks)


def _opening(opening: Opening | None, tracks: tuple[TrackRead, ...]) -> Opening | None:
    """A drive that gives silence where others read music is named as such."""
    hidden = next((one for one in tracks if one.number == 0), None)
    if opening is None or hidden is None or opening.outcome != "silent":
        return opening
    if hidden.witness.answer != "disagrees":
        return opening
    many = hidden.witness.of
    words = (
        f"This drive gives silence before track 1, where {many} other read{'s have' if many > 1 else ' has'} sound: "
        "read the hidden opening with another drive."
    )
    return opening.model_copy(update={"outcome": "refused", "words": words})


def settled_opening(found: Mapping[int, TrackRead]) -> bool:
    """Whether the hidden opening, as it was best read, is worth a file of its own: it is there, and not all silence."""
    return 0 in found and found[0].silent_share < 1.0
