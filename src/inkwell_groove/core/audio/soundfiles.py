"""The one door through which recordings are opened and written. Everything else in core takes readers and arrays."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType
from typing import Any, BinaryIO, cast

import numpy as np
import soundfile

from inkwell_groove.core.audio import riff
from inkwell_groove.core.audio.packing import unpacked24
from inkwell_groove.core.audio.sound import Samples, SoundFormat, SoundReader, Word
from inkwell_groove.core.errors import NotSound, Refused, Truncated
from inkwell_groove.core.full_disk import full_disk_is_told

_WORD_OF_SUBTYPE: dict[str, Word] = {
    "PCM_U8": "u8",
    "PCM_S8": "s8",
    "PCM_16": "s16",
    "PCM_24": "s24",
    "PCM_32": "s32",
    "FLOAT": "f32",
    "DOUBLE": "f64",
}
_LOSSY_SUBTYPES = {"VORBIS", "OPUS", "MPEG_LAYER_I", "MPEG_LAYER_II", "MPEG_LAYER_III"}


class FileReader:
    """A recording on disk, read through libsndfile, plain PCM straight from the file. Also a context manager."""

    def __init__(self, path: Path, *, name: str | None = None) -> None:
        self._name = name or path.name
        try:
            self._file = soundfile.SoundFile(str(path))
        except soundfile.LibsndfileError as cause:
            raise NotSound(
                f"this cannot be read as audio ({cause.error_string.rstrip('.')})",
                where=self._name,
                remedy="Give a WAV, RF64, AIFF or FLAC recording",
            ) from cause
        file = self._file
        lossy = file.subtype in _LOSSY_SUBTYPES
        if not lossy and file.subtype not in _WORD_OF_SUBTYPE:
            file.close()
            raise NotSound(
                f"samples stored as {file.subtype} are not read here",
                where=self._name,
                remedy="Give integer PCM of 16, 24 or 32 bit, or 32-bit float",
            )
        self.format = SoundFormat(
            container="WAV" if file.format == "WAVEX" else file.format,
            word="f32" if lossy else _WORD_OF_SUBTYPE[file.subtype],
            rate_hz=file.samplerate,
            channels=file.channels,
            samples=file.frames,
            lossless=not lossy,
        )
        self._at = 0
        self._plain = _plain_samples(path, self.format, self._name)

    def read(self, start_sample: int, samples: int) -> Samples:
        start_sample = min(start_sample, self.format.samples)  # no file system seeks as far as numbers go
        samples = max(0, min(samples, self.format.samples - start_sample))
        if self._plain is not None:
            block = self._plain.read(start_sample, samples)
        else:
            block = self._decoded(start_sample, samples)
        if len(block) < samples:
            raise Truncated(
                f"the audio ends at sample {start_sample + len(block)}, its header promises {self.format.samples}",
                where=self._name,
                remedy="Make the file again from its source, or take in what is there",
            )
        return block

    def _decoded(self, start_sample: int, samples: int) -> Samples:
        try:
            if start_sample != self._at:
                # Seeking in FLAC costs a bisection; reading on does not.
                self._file.seek(start_sample)
            block = self._file.read(samples, dtype=self.format.dtype.name, always_2d=True)
        except soundfile.LibsndfileError as cause:
            raise NotSound(
                f"the audio is damaged after sample {start_sample} ({cause.error_string.rstrip('.')})",
                where=self._name,
                remedy="Make the file again from its source",
            ) from cause
        self._at = start_sample + len(block)
        return cast(Samples, block)

    def close(self) -> None:
        self._file.close()
        if self._plain is not None:
            self._plain.close()

    def __enter__(self) -> FileReader:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


class _PlainSamples:
    """Little-endian integers of 16 or 24 bit as they lie in a file.

    A take is read many times over, and libsndfile needs four times as long for it (it fetches 8 KiB at a time).
    """

    def __init__(self, file: BinaryIO, *, offset: int, channels: int, bits: int) -> None:
        self._file, self._offset, self._channels, self._bits = file, offset, channels, bits

    def read(self, start_sample: int, samples: int) -> Samples:
        """Return (samples, channels), fewer if the file ends: int16, or int32 with 24 bits in its upper part."""
        width = self._bits // 8
        self._file.seek(self._offset + start_sample * self._channels * width)
        values = samples * self._channels
        if width == 2:
            found = np.fromfile(self._file, "<i2", values)
        else:
            packed = np.fromfile(self._file, np.uint8, values * width)
            found = unpacked24(packed)
        whole = len(found) // self._channels
        return found[: whole * self._channels].reshape(whole, self._channels)

    def close(self) -> None:
        self._file.close()


def _plain_samples(path: Path, form: SoundFormat, name: str) -> _PlainSamples | None:
    """Return the samples of a WAV or RF64 whose header we read as libsndfile does; None for any other file."""
    if form.container not in ("WAV", "RF64") or form.word not in ("s16", "s24"):
        return None
    file = path.open("rb", buffering=0)
    try:
        layout = riff.read_layout(cast(BinaryIO, file), size=path.stat().st_size, name=name)
        told = (layout.found_samples, layout.channels, layout.bits, layout.block_align)
        if told == (form.samples, form.channels, form.bits, form.channels * form.bits // 8):
            return _PlainSamples(
                cast(BinaryIO, file), offset=layout.data_offset, channels=form.channels, bits=form.bits
            )
    except Refused:
        pass  # libsndfile forgives more, and what it reads is what has always been taken in
    file.close()
    return None


class Stretch:
    """Part of a recording, as a reader of its own: its sample 0 is the recording's `start_sample`."""

    def __init__(self, reader: SoundReader, start_sample: int, end_sample: int) -> None:
        self._reader = reader
        self._start = start_sample
        self.format = reader.format.model_copy(update={"samples": end_sample - start_sample})

    def read(self, start_sample: int, samples: int) -> Samples:
        left = max(0, self.format.samples - start_sample)
        return self._reader.read(self._start + start_sample, min(samples, left))


def blocks(reader: FileReader, start_sample: int, end_sample: int, block_samples: int) -> Iterator[Samples]:
    """Yield samples [start_sample, end_sample) in order, in blocks of at most block_samples."""
    for first in range(start_sample, end_sample, block_samples):
        yield reader.read(first, min(block_samples, end_sample - first))


class SoundWriter:
    """A new sound file for blocks of (samples, channels). Raises OSError if the disk is full, LibsndfileError else."""

    def __init__(self, path: Path, mode: str, rate_hz: int, channels: int, **form: Any) -> None:
        """`mode` is "x" for a file that must not be there, "w" to replace one; `form` as libsndfile has it."""
        self._path = path
        with full_disk_is_told(path):
            self._file = soundfile.SoundFile(str(path), mode, rate_hz, channels, **form)

    def write(self, block: Samples) -> None:
        with full_disk_is_told(self._path):
            self._file.write(block)

    def __enter__(self) -> SoundWriter:
        return self

    def __exit__(self, *error: object) -> None:
        with full_disk_is_told(self._path):
            self._file.close()


@contextmanager
def sound_writer(
    path: Path, *, rate_hz: int, channels: int, bits: int, form: str = "FLAC", level: int = 5
) -> Iterator[SoundWriter]:
    """Open a new FLAC, WAV, RF64 or AIFF for blocks of int16 (16 bit) or left-justified int32 (24 bit).

    `level` is FLAC's, 0 to 8.
    """
    compression = {"compression_level": level / 8} if form == "FLAC" else {}
    with SoundWriter(path, "x", rate_hz, channels, subtype=f"PCM_{bits}", format=form, **compression) as file:
        yield file
