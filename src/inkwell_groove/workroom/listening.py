"""What is seen and heard of a take as it came: its peaks and its samples."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.peaks import PeakFile, build
from inkwell_groove.core.sound import SoundFormat
from inkwell_groove.core.soundfiles import FileReader
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import PEAKS_NAME, MediaStore, move_into_place
from inkwell_groove.store.models import Take
from inkwell_groove.workroom.views import format_of

MAX_SAMPLES = 1 << 20


class Listening:
    def __init__(self, database: Database, media: MediaStore) -> None:
        self._database = database
        self._media = media

    def peaks(self, take_id: int) -> PeakFile:
        """The take's pyramid, made again if somebody deleted it. Raises Missing."""
        path, name, _ = self._take(take_id)
        target = self._media.derived(path.name, PEAKS_NAME)
        if not target.exists():
            with self._media.workspace() as work:
                build(path, work / PEAKS_NAME, name=name)
                move_into_place(work / PEAKS_NAME, target)
        return PeakFile(target)

    def samples(self, take_id: int, first_sample: int, samples: int) -> bytes:
        """Samples as interleaved float32, full scale 1.0, clipped to the take. Raises Refused above a million."""
        if samples > MAX_SAMPLES:
            raise Refused(f"{samples} samples at once are too many", remedy=f"Ask for at most {MAX_SAMPLES}")
        path, name, form = self._take(take_id)
        with FileReader(path, name=name) as reader:
            block = reader.read(max(0, first_sample), samples)
        return (block.astype(np.float64) / form.full_scale).astype("<f4").tobytes()

    def _take(self, take_id: int) -> tuple[Path, str, SoundFormat]:
        with self._database.begin() as session:
            take = session.get(Take, take_id)
            if take is None:
                raise Missing(f"there is no take {take_id}", remedy="Reload the docket")
            path = self._media.take(take.sha256)
            if not path.is_file():
                raise Missing("the take's file is gone", where=str(path), remedy="Put it back from a copy of the store")
            return path, take.name, format_of(take)
