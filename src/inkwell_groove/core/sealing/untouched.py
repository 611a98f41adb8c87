"""Preservation masters: each take whole, as it was taken, with what is known of the chain it came through.

A take is copied byte for byte, or written as Broadcast Wave (EBU Tech 3285) or FLAC with the same samples. What neither
can hold as it is (float, 32 bit) is copied as taken, and that is said.
"""

from __future__ import annotations

import shutil
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove import __version__
from inkwell_groove.core import filing, tagging
from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.soundfiles import FileReader, blocks
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.fixity import sha256_from_disk, sha256_of
from inkwell_groove.core.sealing.order import SealOrder, SideOrder
from inkwell_groove.core.sealing.profile import Untouched

_BLOCK_SAMPLES = 262_144
_SUFFIX = {"WAV": ".wav", "RF64": ".wav", "FLAC": ".flac", "AIFF": ".aiff", "W64": ".w64"}


class PreservationMaster(BaseModel):
    """One side's take as it was written."""

    model_config = ConfigDict(frozen=True)

    side: str
    file: str
    form: str
    sha256: str = Field(description="As the disk gives it back.")
    told: str = ""


def write_untouched(order: SealOrder, side: SideOrder, folder: Path) -> PreservationMaster:
    """Writes and proves one side's take. Raises ProofFailed where the take is not what it was when it was taken in."""
    wanted, told = _possible(order.profile.untouched, side)
    suffix = {"BWF": ".wav", "FLAC": ".flac"}.get(wanted) or _SUFFIX.get(side.take_format.container, ".sound")
    target = folder / filing.safe_name(f"{order.shelfmark} {side.name.lower()}", suffix=suffix)
    if wanted == "BWF":
        _write_bwf(order, side, target)
    elif wanted == "FLAC":
        _write_flac(order, side, target)
    else:
        shutil.copyfile(side.take_path, target)
    sha256 = sha256_from_disk(target)
    if wanted == "as taken":
        _is_the_take(sha256, side)
    return PreservationMaster(side=side.name, file=target.name, form=wanted, sha256=sha256, told=told)


def _possible(wanted: Untouched, side: SideOrder) -> tuple[Untouched, str]:
    form = side.take_format
    if wanted == "as taken":
        return wanted, ""
    if form.is_float or form.bits not in (16, 24):
        kind = "float" if form.is_float else f"{form.bits} bit"
        return "as taken", f"{wanted} does not hold {kind} as it is: the take's own file was kept"
    if wanted == "BWF" and form.container in ("WAV", "RF64") and _has_bext(Path(side.take_path)):
        return "as taken", ""
    if wanted == "FLAC" and form.container == "FLAC":
        return "as taken", ""
    return wanted, ""


def _has_bext(path: Path) -> bool:
    with path.open("rb") as stream:
        return riff.read_chunk(stream, b"bext", size=path.stat().st_size, name=path.name) is not None


def _is_the_take(found: str, side: SideOrder) -> None:
    if found != side.plan.take_sha256:
        raise ProofFailed(
            f"the take has SHA-256 {found[:12]}…, not {side.plan.take_sha256[:12]}…: it was altered",
            where=side.take_name,
            remedy="Restore it from a second copy, or take the side anew",
        )


def _write_bwf(order: SealOrder, side: SideOrder, target: Path) -> None:
    form = side.take_format
    with FileReader(Path(side.take_path), name=side.take_name) as take, target.open("xb") as out:
        data_bytes = form.samples * form.channels * form.bits // 8
        chunk = bext.render(_bext_of(order, side))
        out.write(
            riff.recording_header(
                rate_hz=form.rate_hz, channels=form.channels, bits=form.bits, bext=chunk, data_bytes=data_bytes
            )
        )
        for block in blocks(take, 0, form.samples, _BLOCK_SAMPLES):
            out.write(pcm_bytes(block, form.bits))
        out.write(b"\0" * (data_bytes & 1))
    _prove(side, target)


def _write_flac(order: SealOrder, side: SideOrder, target: Path) -> None:
    with FileReader(Path(side.take_path), name=side.take_name) as take:
        write_track(take, 0, take.format.samples, WordLength(bits=take.format.bits), target)
    fields = {
        "TITLE": f"{order.release.title}, {side.name.lower()}",
        "SHELFMARK": order.shelfmark,
        "SIDE": side.name,
        "TAKE": side.take_name,
        "TAKE_SHA256": side.plan.take_sha256,
        "CHAIN": [f"{name}: {words}" for name, words in side.transfer],
    }
    tagging.write_tags(target, fields)
    _prove(side, target)


def _prove(side: SideOrder, target: Path) -> None:
    """Compares every sample with the take's, which must be what it was when it was taken in."""
    _is_the_take(sha256_of(Path(side.take_path)), side)
    with FileReader(Path(side.take_path), name=side.take_name) as take:
        prove_track(target, take, 0, take.format.samples, WordLength(bits=take.format.bits))


def _bext_of(order: SealOrder, side: SideOrder) -> bext.Bext:
    """What is known of a take that was brought, or that another form was asked of."""
    form = side.take_format
    mode = "mono" if form.channels == 1 else "stereo" if form.channels == 2 else "multichannel"
    chain = "; ".join(f"{name} {words}" for name, words in side.transfer) or f"brought as {side.take_name}"
    history = f"A=PCM,F={form.rate_hz},W={form.bits},M={mode},T={bext.ascii_text(chain).replace(',', ';')}\r\n"
    return bext.Bext(
        description=bext.ascii_text(f"{order.shelfmark}, {side.name}: {order.release.title}", 256),
        originator=f"Inkwell Groove {__version__}"[:32],
        originator_reference=bext.ascii_text(side.plan.take_sha256, 32),
        coding_history=history,
    )
