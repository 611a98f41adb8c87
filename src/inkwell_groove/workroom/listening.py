"""What is seen and heard of a take: its peaks, its samples, and its sound as a WAV that begins at any sample."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
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
_BLOCK_SAMPLES = 65_536
_HEADER_BYTES = 44


@dataclass(frozen=True)
class WavStretch:
    """Parts of a take one after the other, as a WAV file that is never written: 16 or 24 bit, its bytes made as they
    are asked for. `spans` are first and end samples.
    """

    path: Path
    name: str
    format: SoundFormat
    spans: tuple[tuple[int, int], ...]

    @property
    def bytes_per_sample(self) -> int:
        return 2 if self.format.bits <= 16 else 3

    @property
    def frame_bytes(self) -> int:
        return self.bytes_per_sample * self.format.channels

    @property
    def size(self) -> int:
        return _HEADER_BYTES + sum(end - start for start, end in self.spans) * self.frame_bytes

    def header(self) -> bytes:
        data, form, width = self.size - _HEADER_BYTES, self.format, self.bytes_per_sample
        # Over 4 GiB the sizes cannot be told; players then read on to the end.
        data_size, riff_size = (min(value, 0xFFFFFFFF) for value in (data, data + 36))
        return struct.pack(
            "<4sI4s4sIHHIIHH4sI",
            b"RIFF", riff_size, b"WAVE", b"fmt ", 16, 1, form.channels, form.rate_hz,
            form.rate_hz * self.frame_bytes, self.frame_bytes, 8 * width, b"data", data_size,
        )  # fmt: skip

    def bytes(self, first: int, last: int) -> Iterator[bytes]:
        """Bytes [first, last) of the file."""
        if first < _HEADER_BYTES:
            yield self.header()[first : min(last, _HEADER_BYTES)]
            first = _HEADER_BYTES
        if first >= last:
            return
        from_frame, skip = divmod(first - _HEADER_BYTES, self.frame_bytes)
        left = last - first
        with FileReader(self.path, name=self.name) as reader:
            for start, end in self.spans:
                at = start + from_frame
                from_frame = max(0, from_frame - (end - start))
                while left > 0 and at < end:
                    block = reader.read(at, min(_BLOCK_SAMPLES, end - at))
                    data = self._pcm(block)[skip : skip + left]
                    yield data
                    left -= len(data)
                    at += len(block)
                    skip = 0

    def _pcm(self, block: np.ndarray) -> bytes:
        if self.format.is_float:
            scaled = np.clip(np.rint(block.astype(np.float64) * 8388608.0), -8388608, 8388607).astype(np.int32) << 8
        elif self.bytes_per_sample == 2:
            return block.astype("<i2").tobytes()
        else:
            scaled = block
        return scaled.astype("<i4").view(np.uint8).reshape(-1, 4)[:, 1:].tobytes()


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

    def sound(
        self, take_id: int, from_sample: int, to_sample: int | None, then: tuple[int, int] | None = None
    ) -> WavStretch:
        """The take, or part of it, as a WAV that begins exactly at `from_sample`; `then` is heard right after it, as
        two tracks will sound one after the other. Raises Missing, Refused.
        """
        path, name, form = self._take(take_id)
        spans = [(from_sample, form.samples if to_sample is None else min(to_sample, form.samples))]
        if then is not None:
            spans.append((then[0], min(then[1], form.samples)))
        for start, end in spans:
            if not 0 <= start < end:
                raise Refused(
                    f"samples {start} to {end} are not in this take", where=name, remedy=f"It has {form.samples}"
                )
        return WavStretch(path, name, form, tuple(spans))

    def _take(self, take_id: int) -> tuple[Path, str, SoundFormat]:
        with self._database.begin() as session:
            take = session.get(Take, take_id)
            if take is None:
                raise Missing(f"there is no take {take_id}", remedy="Reload the docket")
            path = self._media.take(take.sha256)
            if not path.is_file():
                raise Missing("the take's file is gone", where=str(path), remedy="Put it back from a copy of the store")
            return path, take.name, format_of(take)
