"""How many samples late a drive delivers, and whether a track lies aside on another pressing: by the witness sums.

Every offset that a drive can have is tried at once (`checksums.sums_at_offsets`). A single sum could agree by chance
about once in 4e14; an offset counts all the same only where two tracks give it, or the disc has but one that is known.
"""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Callable, Iterator, Mapping

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.disc.checksums import FURTHEST_OFFSET, Stereo, sums_at_offsets, window
from inkwell_groove.core.disc.drive import Drive, Placed
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.disc.twin import audio_of, twin_read
from inkwell_groove.core.disc.witnesses import Known, Witness, wanted_sums
from inkwell_groove.core.errors import Refused

_BLOCK_FRAMES = 500
_TRACKS = 3  # so many tracks are read; two that agree are enough


class FoundOffset(BaseModel):
    """An offset, and how many tracks gave it, of how many that were tried."""

    model_config = ConfigDict(frozen=True)

    offset_samples: int
    tracks: int
    of: int


def find_offset(
    drive: Drive, toc: Toc, known: Known, *, progress: Callable[[float], None] = lambda share: None
) -> FoundOffset:
    """The drive's offset, by a disc that a register knows.

    Raises Refused, saying why, where the register knows too little of the disc or no offset fits.
    """
    numbers = [track.number for track in toc.audio_tracks if wanted_sums(known, track.number)]
    # The shortest first: the answer is the same, and sooner.
    numbers = sorted(
        (one for one in numbers if _fits(toc, one)), key=lambda one: toc.extent(one)[1] - toc.extent(one)[0]
    )
    if not numbers:
        raise Refused(
            "the witness register does not know this disc", where="drive offset", remedy="Take a more common disc"
        )
    placed = Placed(drive, toc)
    votes: Counter[int] = Counter()
    tried = numbers[:_TRACKS]
    for place, number in enumerate(tried):
        low, high = window(toc, number)
        sums = sums_at_offsets(_around(placed, low, high), high - low)
        for wanted in wanted_sums(known, number):
            votes.update({int(at) - FURTHEST_OFFSET for at in np.flatnonzero(sums == np.uint64(wanted))})
        progress((place + 1) / len(tried))
        if votes and votes.most_common(1)[0][1] >= min(2, len(tried)):
            best, count = votes.most_common(1)[0]
            return FoundOffset(offset_samples=best, tracks=count, of=place + 1)
    raise Refused(
        f"no offset from {-FURTHEST_OFFSET} to {FURTHEST_OFFSET} samples makes {len(tried)} tracks agree",
        where="drive offset",
        remedy="Take a clean disc, or another one that the register knows",
    )


def beside_its_place(sound: SoundReader, toc: Toc, number: int, known: Known) -> Witness | None:
    """Whether a track that disagrees with the register is the same audio, some samples aside; none if not.

    `sound` is the whole disc from frame address 0.
    """
    wanted = wanted_sums(known, number)
    if not wanted or not _fits(toc, number):
        return None
    low, high = window(toc, number)
    sums = sums_at_offsets(_read_around(sound, low, high), high - low)
    for value, (reads, of) in wanted.items():
        for at in np.flatnonzero(sums == np.uint64(value)):
            beside = FURTHEST_OFFSET - int(at)
            return Witness(answer="agrees beside its place", reads=reads, of=of, beside_samples=beside)
    return None


def _fits(toc: Toc, number: int) -> bool:
    try:
        window(toc, number)
    except Refused:
        return False
    return True


def _around(placed: Placed, low: int, high: int) -> Iterator[Stereo]:
    """Samples from FURTHEST_OFFSET before `low` to as many after `high`, read twice: one wrong sample spoils a sum."""
    start, end = low - FURTHEST_OFFSET, high + FURTHEST_OFFSET
    first, last = max(0, start) // SAMPLES_PER_FRAME, -(-end // SAMPLES_PER_FRAME)
    yield _before_the_disc(start)
    start = max(0, start)
    with tempfile.TemporaryFile() as spool:
        read = twin_read(placed, first, last - first, spool)
        for at in range(first, last, _BLOCK_FRAMES):
            audio = audio_of(read, spool, at, min(_BLOCK_FRAMES, last - at)).reshape(-1, 2)
            skip = max(0, start - at * SAMPLES_PER_FRAME)
            yield audio[skip : end - at * SAMPLES_PER_FRAME]


def _read_around(sound: SoundReader, low: int, high: int) -> Iterator[Stereo]:
    block = _BLOCK_FRAMES * SAMPLES_PER_FRAME
    start, end = low - FURTHEST_OFFSET, high + FURTHEST_OFFSET
    yield _before_the_disc(start)
    for at in range(max(0, start), end, block):
        yield sound.read(at, min(block, end - at))


def _before_the_disc(start_sample: int) -> Stereo:
    """Silence for the samples before frame address 0: after an opening of a few frames a window begins so early."""
    return np.zeros((max(0, -start_sample), 2), np.int16)


def with_witnesses(
    known: Known, sums: Mapping[int, str], found: Mapping[int, Witness], sound: SoundReader | None, toc: Toc
) -> dict[int, Witness]:
    """`found`, with tracks that disagree looked for beside their place, if the whole disc is there to look in."""
    out = dict(found)
    for number in sums:
        if sound is not None and found[number].answer == "disagrees":
            out[number] = beside_its_place(sound, toc, number, known) or found[number]
    return out
