"""What the finder heard of a side: kept beside the take, so that finding again needs not hear it again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import TYPE_CHECKING

from inkwell_groove.core.audio.soundfiles import FileReader, Stretch
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.media import HEARD_NAME, MediaStore

if TYPE_CHECKING:
    from inkwell_groove.core.tracks.finder import Ground
    from inkwell_groove.core.tracks.hearing import Heard

_KEPT_GROUNDS = 3  # of 40 MB each for half an hour


def heard_of(
    media: MediaStore,
    sha256: str,
    name: str,
    start_sample: int,
    end_sample: int | None,
    *,
    progress: Callable[[float], None] | None = None,
) -> tuple[int, Heard]:
    """Return the side's first sample, and what is heard from there to its end; listen now if nobody did before."""
    from inkwell_groove.core.tracks.hearing import Heard, hear

    whole = start_sample == 0 and end_sample is None
    target = media.derived(sha256, HEARD_NAME if whole else f"{HEARD_NAME} {start_sample} {end_sample or 'end'}")
    kept = Heard.load(target)
    if kept is not None:
        return start_sample, kept
    with FileReader(media.take(sha256), name=name) as reader:
        end = reader.format.samples if end_sample is None else end_sample
        heard = hear(Stretch(reader, start_sample, end), progress=progress)
    with media.workspace() as work:
        heard.save(work / HEARD_NAME)
        move_into_place(work / HEARD_NAME, target)
    return start_sample, heard


class Grounds:
    """What is worked out from the sides somebody is at work on, kept in memory for as long as they are."""

    def __init__(self, media: MediaStore) -> None:
        self._media = media
        self._kept: OrderedDict[tuple[str, int, int | None], Ground] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, sha256: str, name: str, start_sample: int, end_sample: int | None) -> Ground:
        """Takes a few hundred milliseconds the first time, and none after."""
        from inkwell_groove.core.tracks.finder import ground_of

        key = (sha256, start_sample, end_sample)
        with self._lock:
            if key not in self._kept:
                self._kept[key] = ground_of(heard_of(self._media, sha256, name, start_sample, end_sample)[1])
                if len(self._kept) > _KEPT_GROUNDS:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(key)
            return self._kept[key]
