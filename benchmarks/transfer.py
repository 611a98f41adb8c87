"""A soak of the transfer: an hour at 96 kHz/24 through the whole session, as fast as it goes, one stream and two.

Everything a real transfer does is done: the simulated interface plays a groove, the session checks continuity, meters,
watches for the run-out, writes, syncs, hashes, measures loudness and draws. Only the rows in the database are left out.
"""

from __future__ import annotations

import json
import math
import resource
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from inkwell_groove.core.transfer.chain import Chain, RecordingFacts
from inkwell_groove.core.transfer.stopping import Ends
from inkwell_groove.devices.carriers import CarrierShelf
from inkwell_groove.devices.interface import SimulatedInterface
from inkwell_groove.devices.registry import TURNTABLE
from inkwell_groove.devices.turntable import Turntable
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME, Begun, Recorder
from inkwell_groove.workroom.transfer.session import Session
from inkwell_groove.workroom.transfer.views import TransferSettings

RATE_HZ = 96_000
MINUTES = 60
_SIDE_S = 60
_BLOCK_S = 0.1  # of the interface: what drivers hand over when they are set for safety


def run(folder: Path) -> Iterator[str]:
    carrier(folder)
    for streams in (1, 2):
        told = subprocess.run(
            [sys.executable, "-m", "benchmarks.transfer", str(folder), str(streams)],
            check=True,
            capture_output=True,
            text=True,
        )
        found = json.loads(told.stdout)
        times = found["audio_s"] / found["seconds"]
        share = found["cpu_s"] / found["audio_s"] / streams
        device = found["device_cpu_s"] / found["device_audio_s"]
        yield (
            f"{streams} stream{'s'[: streams - 1]}, {MINUTES} minutes at 96 kHz/24: {times:.0f} times real time "
            f"each, faults {found['faults']}, {100 * share:.1f} % of a core per real-time stream "
            f"({100 * device:.1f} % of it the simulated deck)"
        )
        yield f"  resident after 5 minutes {found['early_mb']:.0f} MB, after {MINUTES} {found['late_mb']:.0f} MB"


def carrier(folder: Path) -> None:
    """A side of noise under tones, which goes round and round."""
    rng = np.random.default_rng(5)
    t = np.arange(_SIDE_S * RATE_HZ) / RATE_HZ
    tone = 0.3 * np.sin(2 * np.pi * 440 * t) * (0.6 + 0.4 * np.sin(2 * np.pi * 0.3 * t))
    audio = tone[:, None] + 0.01 * rng.standard_normal((len(t), 2))
    soundfile.write(str(folder / "B-1 A.wav"), audio, RATE_HZ, subtype="PCM_24")
    side = {"letter": "A", "file": "B-1 A.wav", "run_out_sample": 0}
    told = {"shelfmark": "B-1", "name": "soak", "kind": "record", "played_at": "33 1/3", "sides": [side]}
    (folder / "B-1.carrier.json").write_text(json.dumps(told))


class _Keeper:
    """Keeps recordings in a folder, and no books."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.found: dict[str, Any] = {}
        self.faults = 0
        self.ready = threading.Event()

    def reserve(self, session: Session) -> int:
        return 1

    def begin(self, session: Session, recording_id: int, **_: Any) -> Recorder:
        facts = RecordingFacts(
            shelfmark="B-1",
            sides="Side A",
            chain=Chain(name="bench"),
            source="bench",
            rate_hz=RATE_HZ,
            bits=24,
            channels=2,
            began_at=datetime.now(UTC),
            software="bench",
        )
        self._recorder = Recorder(
            self._folder, Begun(name="soak.wav", side_ids=(1,), source_id="bench", who="bench", facts=facts)
        )
        return self._recorder

    def ended(self, session: Session, recording_id: int, found: dict[str, Any], **_: Any) -> None:
        self.faults, self.found = len(self._recorder.notes.faults), found
        self.ready.set()

    def unused(self, recording_id: int) -> None:
        pass

    def room_s(self, session: Session) -> float:
        return 1e9


def soak(folder: Path, streams: int) -> dict[str, float]:
    """Records MINUTES in each of so many sessions at once, and checks what came of it."""
    sessions, keepers = [], []
    for number in range(streams):
        keeper = _Keeper(folder / f"stream {number}")
        deck = Turntable(CarrierShelf(folder), rate_hz=RATE_HZ)
        source = SimulatedInterface(TURNTABLE, deck, rate_hz=RATE_HZ, speed=math.inf, block_s=_BLOCK_S)
        source.operate("record", "B-1")
        source.operate("lower")
        settings = TransferSettings(
            side_id=1, pre_roll_s=0, ends=Ends(at_run_out=True, silence_s=None, limit_s=MINUTES * 60.0)
        )
        sessions.append(
            Session(
                key=str(number),
                docket_id=1,
                who="bench",
                source=source,
                bits=24,
                settings=settings,
                keeper=keeper,
                changed=lambda: None,
            )
        )
        keepers.append(keeper)
    for session in sessions:
        session.record()
        session.start()
    began, cpu = time.perf_counter(), _cpu_s()
    early_mb = 0.0
    while not all(keeper.ready.is_set() for keeper in keepers):
        time.sleep(0.2)
        recorder = sessions[0].recorder
        if not early_mb and recorder is not None and recorder.samples > 300 * RATE_HZ:
            early_mb = _resident_mb()
    seconds, late_mb, cpu = time.perf_counter() - began, _resident_mb(), _cpu_s() - cpu
    for session in sessions:
        session.close()
    for number, keeper in enumerate(keepers):
        _check(folder, folder / f"stream {number}", keeper.found["samples"])
    device_cpu_s, device_audio_s = _device_alone(folder)
    return {
        "seconds": seconds,
        "audio_s": MINUTES * 60.0,
        "cpu_s": cpu,
        "faults": sum(keeper.faults for keeper in keepers),
        "early_mb": early_mb,
        "late_mb": late_mb,
        "device_cpu_s": device_cpu_s,
        "device_audio_s": device_audio_s,
    }


def _check(source: Path, recorded: Path, samples: int) -> None:
    """Every sample of the hour is the groove's, in its place."""
    truth, _ = soundfile.read(str(source / "B-1 A.wav"), dtype="int32", always_2d=True)
    assert samples >= MINUTES * 60 * RATE_HZ
    with soundfile.SoundFile(str(recorded / SOUND_NAME)) as file:
        assert file.frames == samples
        at = 0
        while len(block := file.read(len(truth), dtype="int32", always_2d=True)):
            np.testing.assert_array_equal(block, truth[: len(block)], err_msg=f"from sample {at}")
            at += len(block)
    (recorded / SOUND_NAME).unlink()


def _device_alone(folder: Path) -> tuple[float, float]:
    deck = Turntable(CarrierShelf(folder), rate_hz=RATE_HZ)
    source = SimulatedInterface(TURNTABLE, deck, rate_hz=RATE_HZ, speed=math.inf, block_s=_BLOCK_S)
    source.operate("record", "B-1")
    source.operate("lower")
    cpu = _cpu_s()
    for _ in range(round(120.0 / _BLOCK_S)):
        source.read(1.0)
    return _cpu_s() - cpu, 120.0


def _cpu_s() -> float:
    used = resource.getrusage(resource.RUSAGE_SELF)
    return used.ru_utime + used.ru_stime


def _resident_mb() -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    return 0.0


if __name__ == "__main__":
    sys.stdout.write(json.dumps(soak(Path(sys.argv[1]), int(sys.argv[2]))))
