"""One track: written, then decoded again and held against the take, sample by sample."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

import numpy as np

from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.rendering import BLOCK_SAMPLES, WordLength, render
from inkwell_groove.core.audio.sound import Samples, SoundReader
from inkwell_groove.core.audio.soundfiles import FileReader, blocks, sound_writer
from inkwell_groove.core.errors import ProofFailed

_CONTAINERS = {".flac": ("FLAC",), ".wav": ("WAV", "RF64"), ".aiff": ("AIFF",)}


def write_track(
    reader: SoundReader,
    start_sample: int,
    end_sample: int,
    word: WordLength,
    target: Path,
    *,
    fades: tuple[int, int] = (0, 0),
    form: str = "FLAC",
    level: int = 5,
) -> None:
    """A new file holding exactly those samples of the take, but for `fades`. `target` must not exist.

    `form` is FLAC, WAV or AIFF; `level` is FLAC's, 0 to 8.
    """
    rate_hz, channels = reader.format.rate_hz, reader.format.channels
    with sound_writer(target, rate_hz=rate_hz, channels=channels, bits=word.bits, form=form, level=level) as file:
        for block in render(reader, start_sample, end_sample, word, fades=fades):
            file.write(block)


def prove_track(
    path: Path,
    reader: SoundReader,
    start_sample: int,
    end_sample: int,
    word: WordLength,
    *,
    fades: tuple[int, int] = (0, 0),
    heard: Callable[[Samples], None] | None = None,
) -> tuple[str, int]:
    """Decodes a file and compares every sample with what the take and the plan say: (MD5 in hexadecimal, samples).

    The file must be of the format that its name says. Of FLAC also checks the decoded samples' MD5 against the one in
    STREAMINFO, which other tools will check. `heard` is given each block as it decodes. Raises ProofFailed naming the
    file, the sample and the channel of the first difference.
    """
    digest = hashlib.md5(usedforsecurity=False)
    with FileReader(path) as file:
        if file.format.container not in _CONTAINERS[path.suffix]:
            raise ProofFailed(
                f"it is a {file.format.container} file, its name says {path.suffix}",
                where=path.name,
                remedy="Seal again",
            )
        expected_samples = end_sample - start_sample
        if file.format.samples != expected_samples:
            raise ProofFailed(
                f"it holds {file.format.samples} samples, the plan says {expected_samples}",
                where=path.name,
                remedy="Seal again",
            )
        at = 0
        for wanted in render(reader, start_sample, end_sample, word, fades=fades):
            got = file.read(at, len(wanted))
            if not np.array_equal(got, wanted):
                sample, channel = (int(i) for i in np.argwhere(got != wanted)[0])
                raise ProofFailed(
                    f"sample {at + sample} of channel {channel + 1} differs from the take",
                    where=path.name,
                    remedy="Look at the disk's health, then seal again",
                )
            digest.update(pcm_bytes(got, word.bits))
            if heard is not None:
                heard(got)
            at += len(wanted)
    if path.suffix == ".flac" and digest.digest() != _stated_md5(path):
        raise ProofFailed(
            "its samples have not the MD5 that its STREAMINFO gives", where=path.name, remedy="Seal again"
        )
    return digest.hexdigest(), at


def prove_samples(path: Path, md5: str, samples: int, *, heard: Callable[[Samples], None]) -> None:
    """Decodes a file that was proven once and holds its samples against what was found then.

    Raises ProofFailed where they are others, NotSound or Truncated where they cannot be decoded.
    """
    digest = hashlib.md5(usedforsecurity=False)
    with FileReader(path) as file:
        for block in blocks(file, 0, file.format.samples, BLOCK_SAMPLES):
            digest.update(pcm_bytes(block, file.format.bits))
            heard(block)
        if (digest.hexdigest(), file.format.samples) != (md5, samples):
            raise ProofFailed(
                "its samples are not those that were sealed", where=path.name, remedy="Rebuild everything"
            )


def _stated_md5(path: Path) -> bytes:
    with path.open("rb") as stream:
        return read_streaminfo(stream, size=path.stat().st_size, name=path.name).md5
