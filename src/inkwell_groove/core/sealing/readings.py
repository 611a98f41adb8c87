"""A disc's take held against what was read: the files of a package are proven from the take, so it must be proven too.

A take is made of the best reading of each track. Until the latest reading's take is there, an older one, in which a
track may be damaged, is the side's; nothing else would tell that its log speaks of other samples than its files hold.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.disc.record import TrackRead, best
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.sealing.order import SideOrder

_BLOCK_SAMPLES = 500 * SAMPLES_PER_FRAME


def tracks_read(side: SideOrder) -> list[TrackRead]:
    """The best reading of each of a disc's tracks; none of any other side's."""
    return list(best(side.readings).values())


def prove_reading(side: SideOrder, read: TrackRead) -> None:
    """Raises ProofFailed, naming the track, where the take holds other samples than its best reading found."""
    digest = hashlib.sha256()
    end = read.end_frame * SAMPLES_PER_FRAME
    with FileReader(Path(side.take_path), name=side.take_name) as take:
        for at in range(read.first_frame * SAMPLES_PER_FRAME, end, _BLOCK_SAMPLES):
            digest.update(take.read(at, min(_BLOCK_SAMPLES, end - at)).astype("<i2", copy=False).tobytes())
    if digest.hexdigest() != read.sha256:
        raise ProofFailed(
            f"the recording's track {read.number} is not the one that its best reading found",
            where=side.name,
            remedy=f"Read track {read.number} again",
        )
