"""Takes one behind the other as one file, bit for bit: for a side that was recorded in pieces."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.soundfiles import FileReader, blocks
from inkwell_groove.core.errors import Refused

_BLOCK_SAMPLES = 1 << 18


def write_joined(
    paths: list[Path], target: Path, *, note: str, progress: Callable[[float], None] = lambda share: None
) -> int:
    """Writes the samples of all `paths` to `target`, WAV or RF64, on the disk when this returns; how many there are.

    Raises Refused where rate, channels or word differ, or hold floats: nothing is converted here.
    """
    with FileReader(paths[0]) as reader:
        form = reader.format
    if form.bits not in (16, 24, 32) or form.is_float:
        raise Refused(f"takes of {form.word} are not joined", where=paths[0].name, remedy="Record at 16 to 32 bit")
    align = form.channels * form.bits // 8
    chunk = bext.render(bext.Bext(description=bext.ascii_text(note, 256)))

    def header(samples: int) -> bytes:
        return riff.recording_header(
            rate_hz=form.rate_hz, channels=form.channels, bits=form.bits, bext=chunk, data_bytes=samples * align
        )

    written = 0
    with target.open("xb") as out:
        out.write(header(0))
        for number, path in enumerate(paths):
            with FileReader(path) as reader:
                own = reader.format
                if (own.rate_hz, own.channels, own.word) != (form.rate_hz, form.channels, form.word):
                    raise Refused("takes of different formats are not joined", where=path.name)
                for block in blocks(reader, 0, own.samples, _BLOCK_SAMPLES):
                    wide = block.astype("int32") << 16 if form.bits == 16 else block
                    out.write(pcm_bytes(wide, form.bits))
                    written += len(block)
                    progress(number / len(paths))
        if written * align % 2:
            out.write(b"\0")
        out.seek(0)
        out.write(header(written))
        out.flush()
        os.fsync(out.fileno())
    return written
