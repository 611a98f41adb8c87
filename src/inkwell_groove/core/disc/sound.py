"""A disc's audio as one recording, from the files of its tracks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from types import TracebackType

import numpy as np

from inkwell_groove.core.audio.sound import Samples, SoundFormat
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.disc.reading import file_name
from inkwell_groove.core.disc.toc import RATE_HZ, SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.errors import Missing, Truncated


class DiscSound:
    """Samples from frame address 0 to the end of the audio. Also a context manager.

    `files` has the track's FLAC by number; a hidden opening without one is silence, as a silent one is kept. Raises
    Missing for a track that has none, Truncated where one has another length than its track.
    """

    def __init__(self, toc: Toc, files: Mapping[int, Path]) -> None:
        self._parts: list[tuple[int, int, FileReader | None]] = []
        numbers = ([0] if toc.opening_frames else []) + [track.number for track in toc.audio_tracks]
        try:
            for number in numbers:
                first, end = (frame * SAMPLES_PER_FRAME for frame in toc.extent(number))
                reader = FileReader(files[number]) if number in files else None
                self._parts.append((first, end, reader))
                if reader is None and number:
                    raise Missing(f"track {number} has not been read", where="the disc", remedy="Read it first")
                if reader is not None and reader.format.samples != end - first:
                    raise Truncated(
                        f"it has {reader.format.samples} samples, the track {end - first}",
                        where=files[number].name,
                        remedy="Read this track again",
                    )
        except BaseException:
            self.close()
            raise
        self.format = SoundFormat(
            container="CD", word="s16", rate_hz=RATE_HZ, channels=2, samples=toc.audio_end * SAMPLES_PER_FRAME
        )

    def read(self, start_sample: int, samples: int) -> Samples:
        end_sample = min(start_sample + samples, self.format.samples)
        parts = []
        for first, end, reader in self._parts:
            low, high = max(first, start_sample), min(end, end_sample)
            if low < high:
                silence = np.zeros((high - low, 2), np.int16)
                parts.append(silence if reader is None else reader.read(low - first, high - low))
        return np.concatenate(parts) if parts else np.zeros((0, 2), np.int16)

    def close(self) -> None:
        for _, _, reader in self._parts:
            if reader is not None:
                reader.close()

    def __enter__(self) -> DiscSound:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def files_in(folder: Path, numbers: Sequence[int]) -> dict[int, Path]:
    """The tracks' files in a folder of one reading, those that are there."""
    paths = {number: folder / file_name(number) for number in numbers}
    return {number: path for number, path in paths.items() if path.exists()}
