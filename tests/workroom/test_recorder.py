"""Recordings on their way to the disk: whole at every moment, and finished by whoever finds them."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.packing import from_pcm
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.peaks import PeakFile, usable
from inkwell_groove.core.transfer.chain import Chain, RecordingFacts
from inkwell_groove.core.transfer.continuity import Fault
from inkwell_groove.store.disk import DiskFull
from inkwell_groove.store.media import PEAKS_NAME, MediaStore
from inkwell_groove.workroom.jobs.arguments import Keep
from inkwell_groove.workroom.jobs.takes import keep
from inkwell_groove.workroom.reading import received_bytes
from inkwell_groove.workroom.transfer import recorder as recorders
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME, SYNC_EVERY_S, Begun, Recorder
from inkwell_groove.workroom.views import TransferMark
from tests.owndisk import on_disk_of
from tests.patience import PATIENCE_S, until
from tests.sounds import noise
from tests.tasks import OwnTask

NOW = datetime(2026, 1, 1, tzinfo=UTC)


def begun(*, bits: int = 24, channels: int = 2, rate_hz: int = 48_000) -> Begun:
    facts = RecordingFacts(
        shelfmark="T-1",
        sides="Side A",
        chain=Chain(name="c", deck="Deck"),
        source="test",
        rate_hz=rate_hz,
        bits=bits,
        channels=channels,
        began_at=NOW,
        software="test",
    )
    return Begun(name="take.wav", side_ids=(1,), source_id="test", who="a", facts=facts, first_source_sample=1_000)


def mark(kind: str, at_sample: int, source_sample: int | None = None) -> TransferMark:
    return TransferMark(kind=kind, at_sample=at_sample, at=NOW, words=kind, source_sample=source_sample)  # type: ignore[arg-type]


@pytest.mark.parametrize(("bits", "channels"), [(16, 2), (24, 1), (24, 2), (32, 2)])
def test_what_was_written_is_read_back(tmp_path: Path, bits: int, channels: int) -> None:
    data = noise(30_001, channels, bits=bits)
    recorder = Recorder(tmp_path / "r", begun(bits=bits, channels=channels))
    for first in range(0, len(data), 777):
        recorder.write(data[first : first + 777])
    found = recorder.finish(peak_dbtp=-6.0)
    assert found["samples"] == 30_001
    read, _ = soundfile.read(str(tmp_path / "r" / SOUND_NAME), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(read, data)
    with (tmp_path / "r" / SOUND_NAME).open("rb") as file:
        size = os.fstat(file.fileno()).st_size
        riff.check_length(riff.read_layout(file, size=size, name="r"), name="r")
        chunk = riff.read_chunk(file, b"bext", size=size, name="r")
    assert chunk is not None
    assert bext.parse(chunk).max_true_peak_dbtp == -6.0


def test_at_every_moment_any_program_can_play_what_is_there(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path / "r", begun())
    data = noise(48_000)
    recorder.write(data)
    until(lambda: recorder.synced_samples >= 48_000, "it was not synced")
    read, _ = soundfile.read(str(tmp_path / "r" / SOUND_NAME), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(read, data)
    recorder.abandon()


_WRITER = """
import sys, time
from pathlib import Path
from typing import Any
from tests.sounds import noise
from tests.workroom.test_recorder import begun
from inkwell_groove.workroom.transfer.recorder import Recorder
recorder = Recorder(Path(sys.argv[1]), begun())
data = noise(4_800_000)
for first in range(0, len(data), 960):
    recorder.write(data[first : first + 960])
    if first % 96_000 == 0:
        print(first + 960, flush=True)
    time.sleep(0.0002)
"""


def test_killed_in_the_middle_all_that_was_written_is_recovered(tmp_path: Path) -> None:
    folder = tmp_path / "r"
    writer = subprocess.Popen([sys.executable, "-c", _WRITER, str(folder)], stdout=subprocess.PIPE, text=True)
    assert writer.stdout
    told = 0
    while told < 960_000:
        told = int(writer.stdout.readline())
    writer.send_signal(signal.SIGKILL)
    writer.wait(10)
    writer.stdout.close()
    samples = recorders.recover(folder, begun())
    assert samples >= told
    read, _ = soundfile.read(str(folder / SOUND_NAME), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(read, noise(4_800_000)[:samples])
    assert list(folder.glob("level *")) == []


def test_a_recording_goes_on_behind_what_went_before(tmp_path: Path) -> None:
    data = noise(50_000)
    first = Recorder(tmp_path / "r", begun())
    first.write(data[:20_000])
    first.note(mark("began", 0))
    first.abandon()
    with (tmp_path / "r" / SOUND_NAME).open("ab") as file:
        file.write(b"\x01\x02")  # a sample that broke off
    second = Recorder(tmp_path / "r", begun(), went_before=True)
    assert (second.samples, len(second.notes.marks)) == (20_000, 1)
    second.write(data[20_000:])
    found = second.finish(peak_dbtp=None)
    read, _ = soundfile.read(str(tmp_path / "r" / SOUND_NAME), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(read, data)
    straight = Recorder(tmp_path / "s", begun())
    straight.write(data)
    assert straight.finish(peak_dbtp=None) == found
    assert (tmp_path / "r" / "peaks").read_bytes() == (tmp_path / "s" / "peaks").read_bytes()


def test_notes_outlive_the_recorder_and_a_line_that_broke_off_is_passed_over(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path / "r", begun())
    fault = Fault(kind="lost", at_sample=5, samples=960, words="960 samples lost")
    recorder.note(fault)
    recorder.note(mark("turned over", 7))
    recorder.abandon()
    with (tmp_path / "r" / "notes.jsonl").open("a") as file:
        file.write('{"fault": {"kind": "lo')
    recorders.add_mark(tmp_path / "r", mark("server stopped", 9))
    notes = recorders.read_notes(tmp_path / "r")
    assert notes.faults == [fault]
    assert [one.kind for one in notes.marks] == ["turned over", "server stopped"]


def test_what_is_taken_away_while_it_is_looked_at_is_not_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A docket that was opened the moment its recording became a take was answered with a fault."""
    monkeypatch.setattr(Path, "exists", lambda path: True)
    assert recorders.read_begun(tmp_path) is None
    assert recorders.read_notes(tmp_path).marks == []
    assert recorders.samples_on_disk(tmp_path, begun()) == 0
    assert received_bytes(MediaStore(tmp_path / "media"), 27) == 0


def test_a_full_disk_ends_it_with_everything_until_then(tmp_path: Path) -> None:
    """A limit on the size of files stands in for the disk: the kernel refuses the rest in the same way."""
    script = """
import resource, signal, sys
from pathlib import Path
from typing import Any
from tests.sounds import noise
from tests.workroom.test_recorder import begun
from inkwell_groove.core.peaks import PeakFile, usable
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.store.disk import DiskFull
from inkwell_groove.store.media import PEAKS_NAME, MediaStore
from inkwell_groove.workroom.transfer.recorder import Recorder
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
recorder = Recorder(Path(sys.argv[1]), begun())
resource.setrlimit(resource.RLIMIT_FSIZE, (1_000_001, 1_000_001))
try:
    recorder.write(noise(500_000))
except DiskFull as full:
    print(full.what)
print(recorder.finish(peak_dbtp=None)["samples"])
"""
    done = subprocess.run(
        [sys.executable, "-c", script, str(tmp_path / "r")],
        capture_output=True,
        text=True,
        check=True,
        timeout=PATIENCE_S,
    )
    what, samples = done.stdout.splitlines()
    assert "cannot be written" in what
    read, _ = soundfile.read(str(tmp_path / "r" / SOUND_NAME), dtype="int32", always_2d=True)
    assert len(read) == int(samples) > 160_000
    np.testing.assert_array_equal(read, noise(500_000)[: len(read)])


_FULL = """
import resource, signal, sys
from pathlib import Path
from typing import Any
from tests.sounds import noise
from tests.workroom.test_recorder import begun
from inkwell_groove.workroom.transfer.recorder import Recorder
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
recorder = Recorder(Path(sys.argv[1]), begun())
recorder.write(noise(300_000))
limit = int(sys.argv[2])
resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))
print(recorder.finish(peak_dbtp=None))
"""


def test_a_recording_is_kept_whose_waveform_found_no_room(tmp_path: Path) -> None:
    """The file of the waveform was left behind empty and trusted: the take could never be kept."""
    media = MediaStore(tmp_path / "media")
    folder = media.recording(1)
    folder.parent.mkdir(parents=True, exist_ok=True)
    done = subprocess.run(
        [sys.executable, "-c", _FULL, str(folder), "4096"],
        capture_output=True,
        text=True,
        check=True,
        timeout=PATIENCE_S,
    )
    assert "has_peaks" not in done.stdout
    assert not (folder / PEAKS_NAME).exists(), "what is there is whole"
    kept = keep(Keep(recording_id=1, name="take.wav"), OwnTask(media))
    assert kept["format"]["samples"] == 300_000
    pyramid = PeakFile(media.derived(kept["sha256"], PEAKS_NAME))
    assert pyramid.index.samples == 300_000


@pytest.mark.parametrize("left", [0, 3, 40, 10_000])
def test_a_waveform_that_breaks_off_is_made_again(tmp_path: Path, left: int) -> None:
    media = MediaStore(tmp_path / "media")
    folder = media.recording(1)
    folder.parent.mkdir(parents=True, exist_ok=True)
    recorder = Recorder(folder, begun())
    recorder.write(noise(300_000))
    recorder.finish(peak_dbtp=None)
    os.truncate(folder / PEAKS_NAME, left)
    kept = keep(Keep(recording_id=1, name="take.wav"), OwnTask(media))
    assert usable(media.derived(kept["sha256"], PEAKS_NAME), samples=300_000)


def _kept_from(place: Path) -> tuple[bool, dict[str, Any], dict[str, Any], np.ndarray]:
    """Keep a recording that lies in `own`, twice; return whether that is another disk, both results and the samples."""
    media = MediaStore(place / "media", recordings=place / "own")
    media.recording(1).parent.mkdir(parents=True, exist_ok=True)
    recorder = Recorder(media.recording(1), begun())
    recorder.write(noise(300_000))
    recorder.finish(peak_dbtp=None)
    is_elsewhere = media.recording(1).stat().st_dev != media.root.stat().st_dev
    results = [keep(Keep(recording_id=1, name="take.wav"), OwnTask(media)) for _ in range(2)]
    read, _ = soundfile.read(str(media.take(results[0]["sha256"])), dtype="int32", always_2d=True)
    assert media.recording(1).joinpath(SOUND_NAME).exists(), "it is there until its end is recorded"
    assert list((media.root / "work").iterdir()) == []
    return is_elsewhere, results[0], results[1], read


def test_a_recording_on_a_disk_of_its_servers_own_is_copied_into_the_store_and_read_back(tmp_path: Path) -> None:
    is_elsewhere, first, again, read = on_disk_of(64 << 20, tmp_path / "own", lambda: _kept_from(tmp_path))
    assert is_elsewhere
    np.testing.assert_array_equal(read, noise(300_000))
    assert first == again, "a job that was killed may do it once more"


def _copied_wrongly(place: Path) -> str:
    def badly(source: Path, target: Path) -> None:
        data = bytearray(Path(source).read_bytes())
        data[-1] ^= 1
        Path(target).write_bytes(data)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("shutil.copyfile", badly)
        with pytest.raises(ProofFailed) as failed:
            _kept_from(place)
    return failed.value.what


def test_a_copy_in_the_store_that_is_not_the_recording_is_no_take(tmp_path: Path) -> None:
    what = on_disk_of(64 << 20, tmp_path / "own", lambda: _copied_wrongly(tmp_path))
    assert "something else than was copied" in what
    assert list((tmp_path / "media" / "takes").rglob("*")) == []


def test_the_samples_go_on_when_only_the_waveform_cannot_be_written(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path / "r", begun())
    recorder.write(noise(100_000))
    for file in recorder._peaks._files:
        os.dup2(os.open("/dev/full", os.O_RDWR), file.fileno())
    recorder.write(noise(100_000, seed=2))
    found = recorder.finish(peak_dbtp=None)
    assert found["samples"] == 200_000 and "has_peaks" not in found
    read, _ = soundfile.read(str(tmp_path / "r" / SOUND_NAME), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(read, np.concatenate([noise(100_000), noise(100_000, seed=2)]))


def test_a_disk_that_fails_while_syncing_is_told_at_the_next_block(tmp_path: Path) -> None:
    recorder = Recorder(tmp_path / "r", begun())
    recorder._failure = OSError(5, "Input/output error")
    with pytest.raises(DiskFull, match="Input/output error"):
        recorder.write(noise(10))
    recorder.abandon()


def test_nothing_recorded_is_nothing_recovered(tmp_path: Path) -> None:
    Recorder(tmp_path / "r", begun()).abandon()
    assert recorders.recover(tmp_path / "r", begun()) == 0
    assert recorders.samples_on_disk(tmp_path / "nowhere", begun()) == 0
    assert SYNC_EVERY_S <= 0.5


@pytest.mark.parametrize(
    ("notes", "samples", "expected"),
    [
        ([], 500, 1_500),
        ([mark("paused", 100), mark("went on", 100, 9_000)], 150, 9_050),
        ([mark("paused", 100)], 100, None),
        ([Fault(kind="lost", at_sample=50, samples=960, words="")], 100, 2_060),
        (
            [
                Fault(kind="lost", at_sample=50, samples=960, words=""),
                mark("paused", 100),
                mark("went on", 100, 9_000),
                Fault(kind="lost", at_sample=120, samples=7, words=""),
            ],
            150,
            9_057,
        ),
    ],
)
def test_where_a_source_that_counts_on_would_go_on(
    notes: list[Fault | TransferMark], samples: int, expected: int | None
) -> None:
    told = recorders.Notes(
        faults=[one for one in notes if isinstance(one, Fault)],
        marks=[one for one in notes if isinstance(one, TransferMark)],
    )
    assert recorders.next_source_sample(begun(), told, samples) == expected


@settings(max_examples=30)
@given(st.sampled_from([16, 24, 32]), st.integers(1, 2), st.integers(0, 50))
def test_pcm_comes_back_as_it_went(bits: int, channels: int, samples: int) -> None:
    from inkwell_groove.core.audio.packing import pcm_bytes

    data = noise(samples, channels, bits=bits)
    np.testing.assert_array_equal(from_pcm(pcm_bytes(data, bits), bits, channels), data)


def test_the_folder_alone_tells_what_was_begun(tmp_path: Path) -> None:
    assert recorders.read_begun(tmp_path / "r") is None
    Recorder(tmp_path / "r", begun()).abandon()
    assert recorders.read_begun(tmp_path / "r") == begun()
