"""Copies of an album's masters: turned all alike, encoded on every core, decoded again, described and proven."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.dither import dither
from inkwell_groove.core.audio.joining import Joined, runs
from inkwell_groove.core.audio.resampling import Converted
from inkwell_groove.core.audio.sound import Samples, SoundReader, to_float
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.copies.encode import encode
from inkwell_groove.core.copies.gains import write_gains
from inkwell_groove.core.copies.loudness import (
    AlbumLoudness,
    Turned,
    album_of,
    gain_tags,
    hear_album,
    is_as_asked,
    turned,
)
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.copies.proof import Proof, prove_copy, prove_description
from inkwell_groove.core.errors import LossyForMaster, ProofFailed, Refused
from inkwell_groove.core.files.art import fitted
from inkwell_groove.core.files.fields import LOUDNESS
from inkwell_groove.core.files.pictures import Embedded, mime_of
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.core.full_disk import disk_full

_BLOCK_SAMPLES = 65_536
_MOST_TRIES = 4  # at a gain that an encoder does not overshoot
_ART_KB = 1_000_000  # no limit of bytes
Progress = Callable[[float, str], None]


class CopyMade(BaseModel):
    """One copy as it lies on the disk, decoded and compared with its master."""

    model_config = ConfigDict(frozen=True)

    file: str
    master: str
    size_bytes: int
    sha256: str
    rate_hz: int
    samples: int = Field(description="Of the master at the copy's rate.")
    longer_by_samples: int = Field(description="How many more a decoder gives that knows nothing of the padding.")
    kbit_s: float
    lufs: float | None = Field(description="Of the copy as it decodes.")
    true_peak_dbtp: float | None
    verdict: str
    fault: str = Field(default="", description="What it should not be, if anything: such a copy is not proven.")
    told: tuple[str, ...] = ()


class CopiesMade(BaseModel):
    model_config = ConfigDict(frozen=True)

    label: str
    gain_db: float
    lufs: float | None = Field(description="Of the copies as an album, as they decode.")
    notes: tuple[str, ...]
    copies: tuple[CopyMade, ...]
    not_made: str = Field(default="", description="Why there are no copies at all, if so.")

    @property
    def faults(self) -> tuple[str, ...]:
        """One line for each copy that is not what it must be, or for all where none could be made."""
        if self.not_made:
            return (f"not made: {self.not_made}",)
        return tuple(f"{one.file}: {one.fault}" for one in self.copies if one.fault)


def make_copies_beside(masters: Sequence[Path], order: CopyOrder, folder: Path, **more: Any) -> CopiesMade:
    """Makes copies as `make_copies` does, in a package: where they cannot be had, that is named and stops nothing.

    `folder` must not be there yet; it is made, and is gone again where there are no copies. Raises DiskFull.
    """
    folder.mkdir(parents=True)
    try:
        return make_copies(masters, order, folder, **more)
    except (Refused, ProofFailed) as cause:
        if full := disk_full(cause):
            raise full from cause
        shutil.rmtree(folder)
        return CopiesMade(label=order.label, gain_db=0.0, lufs=None, notes=(), copies=(), not_made=str(cause))


def make_copies(
    masters: Sequence[Path],
    order: CopyOrder,
    folder: Path,
    *,
    loud: AlbumLoudness | None = None,
    progress: Progress | None = None,
    workers: int | None = None,
) -> CopiesMade:
    """A copy of each master in `folder`, under its name; `masters` are one album, in order.

    `loud` is what was measured of them before. A copy that does not hold what its master does says so as its `fault`.
    Raises Refused, before anything is written, where one would fall onto another file, and where its encoder does not
    take it.
    """
    workers = workers or min(8, os.cpu_count() or 1)
    targets = _targets(masters, order, folder)
    tell = progress or (lambda share, words: None)
    gain, began = Turned(), 0.0
    if order.levelling in ("to a loudness", "to a peak"):
        if loud is None:
            loud = hear_album(masters, workers=workers, progress=lambda share: tell(0.2 * share, "measuring loudness"))
        gain, began = turned(loud, order), 0.2
    for tries in range(_MOST_TRIES):
        proofs = _encode_all(
            masters,
            targets,
            order,
            gain.gain_db,
            workers,
            lambda share, words: tell(began + (0.9 - began) * share, words),
        )
        heard = album_of([(one.loud, one.steps) for one in proofs])
        if is_as_asked(heard, order) or tries + 1 == _MOST_TRIES:
            break
        tell(began, "its encoder changes the level: once more, corrected")
        gain = turned(heard, order, gain)
        for target in targets:
            target.unlink()
    notes = [gain.note] if gain.note else []
    if not is_as_asked(heard, order):
        notes.append("its encoder changes the level in a way that cannot be corrected")

    def describe(index: int) -> CopyMade:
        tags = gain_tags(heard, index, opus=order.kind == "Opus") if order.levelling != "as it is" else {}
        made = _described(masters[index], targets[index], order, proofs[index], tags)
        tell(0.9 + 0.1 * (index + 1) / len(masters), "describing")
        return made

    with ThreadPoolExecutor(workers) as pool:
        copies = tuple(pool.map(describe, range(len(masters))))
    return CopiesMade(label=order.label, gain_db=gain.gain_db, lufs=heard.album.lufs, notes=tuple(notes), copies=copies)


def _targets(masters: Sequence[Path], order: CopyOrder, folder: Path) -> list[Path]:
    if not masters:
        raise Refused("there is nothing to copy", where=str(folder), remedy="Give lossless files")
    for master in masters:
        with FileReader(master) as reader:
            if not reader.format.lossless:
                raise LossyForMaster("copies are made of lossless files", where=master.name, remedy="Give its master")
    targets = [folder / f"{master.stem}{order.form.suffix}" for master in masters]
    for target in targets:
        if target.exists() or targets.count(target) > 1:
            raise Refused(
                "a file of that name is there already" if target.exists() else "two masters have that name",
                where=target.name,
                remedy="Choose an empty folder" if target.exists() else "Rename one of them",
            )
    return targets


def _encode_all(
    masters: Sequence[Path], targets: Sequence[Path], order: CopyOrder, gain_db: float, workers: int, tell: Progress
) -> list[Proof]:
    proofs: dict[int, Proof] = {}
    places = [(run, index) for run in runs(masters) for index in range(len(run))]

    def one(place: tuple[list[int], int]) -> None:
        run, index = place
        which = run[index]
        proofs[which] = _encode_one([masters[k] for k in run], index, targets[which], order, gain_db)
        tell(len(proofs) / len(masters), f"{targets[which].name}: proven")

    with ThreadPoolExecutor(workers) as pool:
        # The longest first: the last to be started should be short.
        sizes = {which: masters[which].stat().st_size for which in range(len(masters))}
        for done in [pool.submit(one, p) for p in sorted(places, key=lambda p: -sizes[p[0][p[1]]])]:
            done.result()
    return [proofs[index] for index in range(len(masters))]


def _encode_one(run: Sequence[Path], index: int, target: Path, order: CopyOrder, gain_db: float) -> Proof:
    """One file of a run of one format, its neighbours at hand for the filter of another rate."""
    with Joined(run) as joined:
        form = joined.format
        rate_hz = order.rate_for(form.rate_hz)
        sound: SoundReader = joined if rate_hz == form.rate_hz else Converted(joined, rate_hz)
        place = sound.place if isinstance(sound, Converted) else (lambda sample: sample)
        first, last = place(joined.starts[index]), place(joined.starts[index + 1])
        bits = order.bits or (16 if form.bits <= 16 else 24)

        def blocks() -> Iterator[Samples]:
            return _blocks(sound, first, last, order, gain_db, bits)

        encode(target, blocks(), order, rate_hz=rate_hz, channels=form.channels, bits=bits)
        with target.open("rb") as file:
            os.fsync(file.fileno())
        return prove_copy(target, blocks(), order, rate_hz=rate_hz, samples=last - first, channels=form.channels)


def _blocks(
    sound: SoundReader, first: int, last: int, order: CopyOrder, gain_db: float, bits: int
) -> Iterator[Samples]:
    """The samples an encoder is given: as they are where nothing has to change, else with dither if of fewer bits."""
    form = sound.format
    as_they_are = order.form.lossless and gain_db == 0 and not form.is_float and bits >= min(form.bits, 24)
    gain = 10 ** (gain_db / 20)
    for at in range(first, last, _BLOCK_SAMPLES):
        block = sound.read(at, min(_BLOCK_SAMPLES, last - at))
        if as_they_are:
            yield block if bits == 16 or block.dtype == np.int32 else block.astype(np.int32) << 16
            continue
        audio = to_float(block, form.full_scale) * gain
        if not order.form.lossless:
            yield audio.astype(np.float32)
            continue
        top = float(2 ** (bits - 1))
        steps = np.rint(audio * top + dither(at, len(audio), form.channels))
        kept = np.clip(steps, -top, top - 1)
        yield kept.astype(np.int16) if bits == 16 else kept.astype(np.int32) << 8


def _described(master: Path, copy: Path, order: CopyOrder, proof: Proof, gains: dict[str, str]) -> CopyMade:
    """Tags, pictures and loudness of the master's copy, read back."""
    told = read_file(master)
    # How loud the master is does not hold for a copy, which was coded and may have been turned.
    fields = {name: value for name, value in told.fields.items() if name not in LOUDNESS}
    pictures = tuple(_fitting(one, order) for one in read_pictures(master))
    _, ready = write(copy, Change(fields=fields, pictures=pictures))
    write_gains(copy, gains)
    with copy.open("rb") as file:
        os.fsync(file.fileno())
    fault = proof.fault
    try:
        prove_description(copy, fields, pictures, gains, all_held=not ready.told)
    except ProofFailed as failed:
        fault = "; ".join(one for one in (fault, failed.what) if one)
    size = copy.stat().st_size
    with copy.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    seconds = proof.samples / proof.rate_hz
    return CopyMade(
        file=copy.name,
        master=master.name,
        size_bytes=size,
        sha256=sha256,
        rate_hz=proof.rate_hz,
        samples=proof.samples,
        longer_by_samples=proof.longer_by_samples,
        kbit_s=round(proof.size_bytes * 8 / seconds / 1_000, 1) if seconds else 0.0,
        lufs=proof.loud.lufs,
        true_peak_dbtp=proof.loud.true_peak_dbtp,
        verdict="not proven" if fault else proof.verdict,
        fault=fault,
        told=ready.told,
    )


def _fitting(picture: Embedded, order: CopyOrder) -> Embedded:
    if order.most_art_px is None or max(picture.size()[:2]) <= order.most_art_px:
        return picture
    data = fitted(picture.data, most_px=order.most_art_px, most_kb=_ART_KB, name=picture.role)
    return Embedded(picture.kind, mime_of(data), data, picture.words)
