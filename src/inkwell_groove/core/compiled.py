"""Compiles every kernel ahead of need: `python -m inkwell_groove.core.compiled`.

Numba compiles a kernel when it is first called and keeps the result beside its source. All together that takes most
of a minute, which nobody shall wait for in front of a side: setting up does it, by sending a short noisy sound through
all that is compiled. Where the results are there already this takes a few seconds.
"""

from __future__ import annotations

import importlib
import pkgutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile
from numba.core.dispatcher import Dispatcher

from inkwell_groove import core
from inkwell_groove.core import peaks
from inkwell_groove.core.audio import flacframes
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.disc import checksums
from inkwell_groove.core.measure.report import measure
from inkwell_groove.core.restoration import ear
from inkwell_groove.core.restoration.preparing import prepare
from inkwell_groove.core.restoration.steps import Channels, Clicks, HandRepair, Hum, Restoration, Rumble
from inkwell_groove.core.sealing.portrait import Portrait
from inkwell_groove.core.tracks.hearing import hear
from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.meter import Meter

_RATE_HZ = 48_000
_SECONDS = 8


def compile_all() -> None:
    """Calls everything that is compiled, on a sound made for it, with the types it is called with in earnest."""
    peaks.warm()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "noise.wav"
        soundfile.write(str(path), _noise(), _RATE_HZ, subtype="PCM_24")
        with FileReader(path) as reader:
            _hear(reader)
            _restore(reader)
        flac = Path(folder) / "noise.flac"
        soundfile.write(str(flac), _noise(), _RATE_HZ, subtype="PCM_16")
        flacframes.walk(flac)
    _record()
    _prove()


def kernels() -> Iterator[tuple[str, Dispatcher]]:
    """All functions of the core that are compiled, by name."""
    for module in pkgutil.walk_packages(core.__path__, f"{core.__name__}."):
        for name, value in vars(importlib.import_module(module.name)).items():
            if isinstance(value, Dispatcher) and value.py_func.__module__ == module.name:
                yield f"{module.name}.{name}", value


def _noise() -> npt.NDArray[np.float64]:
    """Music enough: tones and noise, a rest, clicks, (samples, 2)."""
    chance = np.random.default_rng(1)
    time_s = np.arange(_SECONDS * _RATE_HZ) / _RATE_HZ
    sound = 0.1 * np.sin(2 * np.pi * 440 * time_s) + 0.02 * chance.standard_normal((2, len(time_s)))
    sound += 0.01 * sum(np.sin(2 * np.pi * hz * time_s) for hz in (50, 100, 150))
    sound[:, 3 * _RATE_HZ : 4 * _RATE_HZ] *= 0.01
    for at in chance.integers(1_000, len(time_s) - 1_000, 200):
        sound[:, at : at + 12] += chance.choice([-0.5, 0.5]) * np.hanning(12)
    return np.asarray(np.clip(sound, -0.9, 0.9).T)


def _hear(reader: FileReader) -> None:
    measure(reader)
    hear(reader)


def _restore(reader: FileReader) -> None:
    ear.warm()
    asked = Restoration(
        clicks=Clicks(amount=60),
        by_hand=(HandRepair(key="1", start=9_000, end=9_200),),
        hum=Hum(mains_hz=50),
        rumble=Rumble(vertical_below_hz=100),
        channels=Channels(delay_right_us=20.0),
        speed_ratio=1.01,
    )
    prepare(reader, asked).restored(reader).read(0, 2 * _RATE_HZ)


def _record() -> None:
    Meter(rate_hz=_RATE_HZ, channels=2, bits=24).feed(Block(0, 0, 0.0, np.zeros((_RATE_HZ, 2), np.int32)))


def _prove() -> None:
    pcm_bytes(np.zeros((100, 2), np.int32), 24)
    for kind, full_scale in ((np.int16, 32768.0), (np.int32, 2147483648.0)):
        Portrait(rate_hz=_RATE_HZ, full_scale=full_scale).feed(np.zeros((100, 2), kind))
    silence = np.zeros((1_000, 2), np.int16)
    checksums.witness_sum(silence)
    checksums.sums_at_offsets([silence], 900, reach=50)


if __name__ == "__main__":
    compile_all()
