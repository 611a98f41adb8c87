"""Writing a recording as it comes: the file is a sound file at every moment, and complete up to half a second ago.

The samples go into a Broadcast Wave file that becomes RF64 when it must. What has come is written at once; twice a
second it is synced to the disk and the header then put right, so whoever finds the file after a crash, this program or
any other, can play it. What is wrong with it, and what was done meanwhile, lies beside it as lines of JSON.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import threading
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.packing import Whole, from_pcm, pcm_bytes
from inkwell_groove.core.errors import DiskFull
from inkwell_groove.core.live_peaks import LivePeaks
from inkwell_groove.core.measure.loudness import Loudness
from inkwell_groove.core.peaks import PeakIndex
from inkwell_groove.core.transfer.chain import RecordingFacts, bext_of
from inkwell_groove.core.transfer.continuity import Fault
from inkwell_groove.store.durable import sync_file, sync_folder
from inkwell_groove.store.files import bytes_if_there, size_if_there
from inkwell_groove.workroom.views import TransferMark

SOUND_NAME, NOTES_NAME, PEAKS_NAME, BEGUN_NAME = "sound.wav", "notes.jsonl", "peaks", "begun.json"
SYNC_EVERY_S = 0.4
_READ_SAMPLES = 1 << 18


class Begun(BaseModel):
    """All that is needed to finish a recording without the server that began it."""

    model_config = ConfigDict(frozen=True)

    name: str
    side_ids: tuple[int, ...]
    source_id: str
    who: str
    facts: RecordingFacts
    chain_id: int | None = None
    expected_s: float = 0.0
    first_source_sample: int = 0

    @property
    def align(self) -> int:
        return self.facts.channels * self.facts.bits // 8

    def header(self, data_bytes: int, *, loudness_lufs: float | None = None, peak_dbtp: float | None = None) -> bytes:
        """The file's header; always as long."""
        facts = self.facts
        chunk = bext.render(bext_of(facts, loudness_lufs=loudness_lufs, max_true_peak_dbtp=peak_dbtp))
        return riff.recording_header(
            rate_hz=facts.rate_hz, channels=facts.channels, bits=facts.bits, bext=chunk, data_bytes=data_bytes
        )


class Notes(BaseModel):
    """What is told beside the samples."""

    faults: list[Fault] = []
    marks: list[TransferMark] = []

    def turn_overs(self) -> list[tuple[int, int]]:
        """(sample, side) of each turn-over to a side that was named."""
        return [(one.at_sample, one.side_id) for one in self.marks if one.kind == "turned over" and one.side_id]


class Recorder:
    """One recording on its way to the disk. `write`, `note` and `finish` belong to one thread, the rest to anybody."""

    def __init__(self, folder: Path, begun: Begun, *, went_before: bool = False) -> None:
        """A new recording, or, with `went_before`, one that goes on behind what is in the folder."""
        self.begun = begun
        self.folder = folder
        self.notes = read_notes(folder) if went_before else Notes()
        self._header_bytes = len(begun.header(0))
        self._loudness = Loudness(begun.facts.channels, rate_hz=begun.facts.rate_hz)
        self._unheard: list[Whole] = []
        self._unheard_samples = 0
        self._digest = hashlib.sha256()
        self._failure: OSError | None = None
        folder.mkdir(parents=True, exist_ok=True)
        for left in folder.glob("level *"):
            left.unlink()
        self._peaks = LivePeaks(folder, rate_hz=begun.facts.rate_hz, channels=begun.facts.channels)
        mode = os.O_RDWR if went_before else os.O_RDWR | os.O_CREAT | os.O_EXCL
        self._sound = os.open(folder / SOUND_NAME, mode, 0o644)
        self._notes = os.open(folder / NOTES_NAME, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o644)
        self.samples = self.synced_samples = 0
        if went_before:
            self._read_back()
        else:
            # The row in the database may not know yet what it is: the folder does.
            (folder / BEGUN_NAME).write_text(begun.model_dump_json(), "utf-8")
            sync_file(folder / BEGUN_NAME)
            os.pwrite(self._sound, begun.header(0), 0)
            os.fsync(self._sound)
            sync_folder(folder)
        os.lseek(self._sound, self._header_bytes + self.samples * begun.align, os.SEEK_SET)
        self._closing = threading.Event()
        self._syncing = threading.Thread(target=self._keep_synced, name="recording sync", daemon=True)
        self._syncing.start()

    @property
    def index(self) -> PeakIndex:
        return self._peaks.index

    def peaks(self, level: int, first_block: int, blocks: int) -> bytes:
        return self._peaks.read(level, first_block, blocks)

    def write(self, samples: Whole) -> None:
        """Appends samples. Raises DiskFull; what was written before stays, to the last whole sample."""
        if self._failure is not None:
            raise self._full(self._failure)
        data = memoryview(pcm_bytes(samples, self.begun.facts.bits))
        written = 0
        try:
            while written < len(data):
                written += os.write(self._sound, data[written:])
        except OSError as cause:
            whole = written // self.begun.align
            self._count(samples[:whole], data[: whole * self.begun.align])
            raise self._full(cause) from cause
        self._count(samples, data)

    def note(self, fact: Fault | TransferMark) -> None:
        """A fault or a mark: on the disk before this returns."""
        if isinstance(fact, Fault):
            self.notes.faults.append(fact)
        else:
            self.notes.marks.append(fact)
        line = json.dumps({"fault" if isinstance(fact, Fault) else "mark": fact.model_dump(mode="json")})
        # On a full disk the last mark says so; it then goes into the take from here, with the others.
        with contextlib.suppress(OSError):
            os.write(self._notes, f"{line}\n".encode())
            os.fsync(self._notes)

    def finish(self, *, peak_dbtp: float | None) -> dict[str, Any]:
        """Closes the file with its last header; what the job that keeps it need not find out again."""
        self._closing.set()
        self._syncing.join()
        self._hear()
        header = self.begun.header(
            self.samples * self.begun.align, loudness_lufs=self._loudness.integrated_lufs(), peak_dbtp=peak_dbtp
        )
        end = self._header_bytes + self.samples * self.begun.align
        os.ftruncate(self._sound, end)
        if self.samples * self.begun.align % 2:
            with contextlib.suppress(OSError):  # on a full disk: any program plays it without that last byte too
                os.pwrite(self._sound, b"\0", end)
        os.fdatasync(self._sound)
        os.pwrite(self._sound, header, 0)
        os.fsync(self._sound)
        os.close(self._sound)
        os.close(self._notes)
        found: dict[str, Any] = {"samples": self.samples, "samples_sha256": self._digest.hexdigest()}
        if self.samples:
            try:
                self._peaks.finish(self.folder / PEAKS_NAME)
                found["has_peaks"] = True
            except OSError:
                self._peaks.close()  # no room for them: they are made again from the take
        else:
            self._peaks.close()
        return found

    def abandon(self) -> None:
        """Lets go of the files as they are: for a server that is told to stop at once."""
        self._closing.set()
        self._syncing.join()
        os.close(self._sound)
        os.close(self._notes)
        self._peaks.close()

    def _count(self, samples: Whole, data: memoryview) -> None:
        self._digest.update(data)
        self._fold(samples)
        self.samples += len(samples)

    def _fold(self, samples: Whole) -> None:
        self._peaks.feed(samples)
        self._unheard.append(samples)
        self._unheard_samples += len(samples)
        # Loudness by the second: filters that are called for every block spend their time on being called.
        if self._unheard_samples >= self.begun.facts.rate_hz:
            self._hear()

    def _hear(self) -> None:
        if self._unheard:
            self._loudness.feed(np.concatenate(self._unheard).astype(np.float64) / 2.0**31)
            self._unheard, self._unheard_samples = [], 0

    def _keep_synced(self) -> None:
        while not self._closing.wait(SYNC_EVERY_S):
            try:
                self._sync()
            except OSError as cause:
                self._failure = cause
                return

    def _sync(self) -> None:
        """The samples first, then the header that speaks of them."""
        samples = self.samples
        if samples == self.synced_samples:
            return
        os.fdatasync(self._sound)
        os.pwrite(self._sound, self.begun.header(samples * self.begun.align), 0)
        self.synced_samples = samples

    def _read_back(self) -> None:
        """What went before, once more through everything that counts along."""
        begun = self.begun
        end = os.fstat(self._sound).st_size
        whole = max(0, end - self._header_bytes) // begun.align
        os.ftruncate(self._sound, self._header_bytes + whole * begun.align)
        for first in range(0, whole, _READ_SAMPLES):
            count = min(_READ_SAMPLES, whole - first)
            data = os.pread(self._sound, count * begun.align, self._header_bytes + first * begun.align)
            self._count(from_pcm(data, begun.facts.bits, begun.facts.channels), memoryview(data))
        self.synced_samples = self.samples

    def _full(self, cause: OSError) -> DiskFull:
        return DiskFull(
            f"the recording cannot be written ({cause.strerror})",
            where=self.begun.name,
            remedy="What was written until then is kept. Make room on the disk, then go on with a new take",
        )


def read_begun(folder: Path) -> Begun | None:
    """What was begun in a folder; none where nothing was."""
    told = bytes_if_there(folder / BEGUN_NAME)
    return None if told is None else Begun.model_validate_json(told)


def read_notes(folder: Path) -> Notes:
    """What lies beside a recording. A last line that broke off with its server is passed over: it was never said."""
    notes = Notes()
    for line in (bytes_if_there(folder / NOTES_NAME) or b"").decode().splitlines():
        try:
            told = json.loads(line)
        except ValueError:
            continue
        if "fault" in told:
            notes.faults.append(Fault.model_validate(told["fault"]))
        else:
            notes.marks.append(TransferMark.model_validate(told["mark"]))
    return notes


def next_source_sample(begun: Begun, notes: Notes, samples: int) -> int | None:
    """What a source that counts on would send after a recording's last sample; none where it is paused.

    Pauses leave a hole in the take that the source's count does not have, and lost samples another.
    """
    turns = [mark for mark in notes.marks if mark.kind in ("paused", "went on")]
    if turns and turns[-1].kind == "paused":
        return None
    base_sample, base_source = 0, begun.first_source_sample
    if turns and turns[-1].source_sample is not None:
        base_sample, base_source = turns[-1].at_sample, turns[-1].source_sample
    lost = sum(one.samples for one in notes.faults if one.kind == "lost" and one.at_sample >= base_sample)
    return base_source + samples - base_sample + lost


def samples_on_disk(folder: Path, begun: Begun) -> int:
    """How many whole samples a recording's file holds; none where there is no file."""
    return max(0, size_if_there(folder / SOUND_NAME) - len(begun.header(0))) // begun.align


def recover(folder: Path, begun: Begun) -> int:
    """Puts a recording right whose server was killed: whole samples, a true header. Returns how many there are."""
    samples = samples_on_disk(folder, begun)
    if not samples:
        return 0
    end = len(begun.header(0)) + samples * begun.align
    with (folder / SOUND_NAME).open("r+b") as file:
        file.truncate(end)
        if samples * begun.align % 2:
            with contextlib.suppress(OSError):
                os.pwrite(file.fileno(), b"\0", end)
        file.write(begun.header(samples * begun.align))
        file.flush()
        os.fsync(file.fileno())
    for left in folder.glob("level *"):
        left.unlink()
    return samples


def last_written_at(folder: Path) -> datetime:
    """When the file last grew, as the file system tells it."""
    return datetime.fromtimestamp((folder / SOUND_NAME).stat().st_mtime).astimezone()


def add_mark(folder: Path, mark: TransferMark) -> None:
    """A mark on a recording that nobody writes any more."""
    with (folder / NOTES_NAME).open("a", encoding="utf-8") as file:
        file.write("\n" + json.dumps({"mark": mark.model_dump(mode="json")}) + "\n")
        file.flush()
        os.fsync(file.fileno())
