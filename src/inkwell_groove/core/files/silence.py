"""A long silence at the end of a file taken off: without loss, tags and pictures kept."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from mutagen.flac import FLAC, Padding, SeekTable

from inkwell_groove.core.audio.soundfiles import FileReader, SoundWriter
from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.files.formats import Opened, id3_of
from inkwell_groove.core.files.info_tags import read_info, write_info
from inkwell_groove.core.files.reading import read_file

_BLOCK = 1 << 18
_PADDING_BYTES = 8_192
_LOSSLESS = ("FLAC", "WAV", "AIFF")
KEPT_S = 1.0  # what is left after the last sound
LEAST_S = 5.0  # a shorter silence belongs to the music
_SILENT = 2.0**-15  # one step of 16 bits


def silent_tail_s(path: Path) -> float:
    """How many seconds at the end hold nothing above one step of 16 bits; of lossless files only, else 0."""
    with FileReader(path) as reader:
        if not reader.format.lossless:
            return 0.0
        last = _last_sound(reader)
        return round((reader.format.samples - last) / reader.format.rate_hz, 3)


def without_tail(path: Path, beside: Path) -> int:
    """Writes the file without its silent end to `beside`: same samples, tags and pictures; how many samples fell away.

    Raises Refused for lossy files, and where there is no such silence.
    """
    told = read_file(path)
    if told.format not in _LOSSLESS:
        raise Refused(
            f"{told.format} cannot be cut without loss", where=path.name, remedy="Leave it, or seal the take anew"
        )
    with FileReader(path) as reader:
        form = reader.format
        end = min(form.samples, _last_sound(reader) + round(KEPT_S * form.rate_hz))
        if form.samples - end < (LEAST_S - KEPT_S) * form.rate_hz:
            raise Refused("it has no long silence at its end", where=path.name, remedy="There is nothing to take off")
        subtype = {8: "PCM_S8", 16: "PCM_16", 24: "PCM_24", 32: "PCM_32"}.get(form.bits, "FLOAT")
        with SoundWriter(beside, "w", form.rate_hz, form.channels, subtype=subtype, format=told.format) as target:
            for first in range(0, end, _BLOCK):
                target.write(reader.read(first, min(_BLOCK, end - first)))
    _copy_tags(path, beside, told.format)
    _prove(path, beside, end)
    return form.samples - end


def _copy_tags(old: Path, new: Path, kind: str) -> None:
    """All there is beside the sound, other people's tags too, as it stands."""
    if kind == "FLAC":
        source, target = FLAC(old), FLAC(new)
        blocks = [one for one in source.metadata_blocks[1:] if not isinstance(one, (SeekTable, Padding))]
        target.metadata_blocks = [target.metadata_blocks[0], *blocks]
        target.tags = source.tags
        target.save(padding=lambda _: _PADDING_BYTES)
        return
    with old.open("rb") as source, new.open("r+b") as target:
        opened, fresh = Opened(source, old.name), Opened(target, new.name)
        if len(id3_of(opened)):
            fresh.file.tags, fresh.minor = opened.file.tags, opened.minor
            fresh.save(target, keep_id3v1=True, padding=_PADDING_BYTES)
        if kind == "WAV" and (info := read_info(source)):
            write_info(target, info)


def _prove(old: Path, new: Path, end: int) -> None:
    """Reads both and compares every sample that was to stay."""
    with FileReader(old) as source, FileReader(new) as target:
        if target.format.samples != end:
            raise ProofFailed("the shortened file has another length", where=old.name, remedy="Leave it as it is")
        for first in range(0, end, _BLOCK):
            count = min(_BLOCK, end - first)
            if not np.array_equal(source.read(first, count), target.read(first, count)):
                raise ProofFailed("the shortened file differs", where=old.name, remedy="Leave it as it is")


def _last_sound(reader: FileReader) -> int:
    """The sample after the last one that is not silent, looked for from the end."""
    form = reader.format
    top = 1.0 if form.word.startswith("f") else float(2 ** (8 * reader.read(0, 1).dtype.itemsize - 1))
    end = form.samples
    while end > 0:
        first = max(0, end - _BLOCK)
        block = np.abs(reader.read(first, end - first).astype(np.float64)).max(axis=1) / top
        found = np.flatnonzero(block > _SILENT)
        if len(found):
            return first + int(found[-1]) + 1
        end = first
    return 0
