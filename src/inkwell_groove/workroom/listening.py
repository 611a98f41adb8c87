"""What is seen and heard of a take as it came: its peaks and its samples."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.riff import recording_header
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.peaks import PeakFile, build, usable
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import SealedAlbum, SealedTrack
from inkwell_groove.core.sealing.package import MASTERS
from inkwell_groove.store.database import Database
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.media import PEAKS_NAME, MediaStore
from inkwell_groove.store.models import Take
from inkwell_groove.workroom.reading import WholeDocket, docket_row
from inkwell_groove.workroom.views import TrackLine, format_of

MAX_SAMPLES = 1 << 20
_BLOCK = 1 << 16


class TrackSound(NamedTuple):
    """A stretch of a take, as a 24-bit WAV."""

    path: Path
    name: str
    start_sample: int
    end_sample: int

    def wav(self) -> Iterator[bytes]:
        with FileReader(self.path, name=self.name) as reader:
            form = reader.format
            size = (self.end_sample - self.start_sample) * form.channels * 3
            yield recording_header(rate_hz=form.rate_hz, channels=form.channels, bits=24, bext=b"", data_bytes=size)
            for start in range(self.start_sample, self.end_sample, _BLOCK):
                block = reader.read(start, min(_BLOCK, self.end_sample - start)).astype(np.float64)
                whole = np.clip(block * (2.0**23 / form.full_scale), -(2.0**23), 2.0**23 - 1).astype("<i4")
                yield bytes(pcm_bytes(whole << 8, 24))


class Listening:
    def __init__(self, database: Database, media: MediaStore) -> None:
        self._database = database
        self._media = media

    def peaks(self, take_id: int) -> PeakFile:
        """The take's pyramid, made again where it is gone or damaged. Raises Missing."""
        path, name, form = self._take(take_id)
        target = self._media.derived(path.name, PEAKS_NAME)
        if not usable(target, samples=form.samples):
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

    def track(self, docket_id: int, key: str) -> Path | TrackSound:
        """A track to be heard: the sealed file where there is one, else its stretch of the take. Raises Missing."""
        with self._database.begin() as session:
            whole = WholeDocket(docket_row(session, docket_id))
            line = next((one for one in whole.lines if one.key == key), None)
            if line is None:
                raise Missing(f"this docket has no track {key}", remedy="Reload the docket")
            number, sealed = whole.lines.index(line), []
            for package in reversed(whole.docket.packages):
                album = SealedAlbum.model_validate(package.album)
                tracks = album.tracks
                # Sealed with other tracks, its files are of other stretches.
                if len(tracks) == len(whole.lines) and _is_cut_alike(tracks[number], line):
                    folder = self._media.package_here(package.folder)
                    sealed.append((folder / DATA / MASTERS if album.package else folder) / tracks[number].file)
            side = next(one for one in whole.sides if one.id == line.side_id)
        # What may have to be fetched is looked for while no connection to the database is held.
        for path in map(self._media.here, sealed):
            if path.is_file():
                return path
        if side.chosen_take_id is None:
            raise Missing("this track has no recording", where=key, remedy="Transfer its side first")
        path, name, _ = self._take(side.chosen_take_id)
        return TrackSound(path, name, line.start_sample, line.end_sample)

    def _take(self, take_id: int) -> tuple[Path, str, SoundFormat]:
        with self._database.begin() as session:
            take = session.get(Take, take_id)
            if take is None:
                raise Missing(f"there is no take {take_id}", remedy="Reload the docket")
            sha256, name, form = take.sha256, take.name, format_of(take)
        path = self._media.take(sha256)
        if not path.is_file():
            raise Missing("the take's file is gone", where=str(path), remedy="Put it back from a copy of the store")
        return path, name, form


def _is_cut_alike(sealed: SealedTrack, line: TrackLine) -> bool:
    return (sealed.start_sample, sealed.end_sample) == (line.start_sample, line.end_sample)
