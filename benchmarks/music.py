"""Real, freely licensed music for the benchmarks, from Debian's packages: fetched when it is wanted, never committed.

asc-music (GPL-2+) and planetblupi-music-ogg (GPL-3+) hold thirteen pieces, nearly four hours of synthesised and
recorded bands; wesnoth-1.16-music (GPL-2+) is orchestral, hyperrogue-music (CC BY) plucked and electronic, and
fb-music-high (GPL-2) a module of drum samples that was never compressed, played by Debian's openmpt123. What their
copyright files say is kept beside them.
"""

from __future__ import annotations

import shutil
import subprocess
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile
import soxr

from inkwell_groove.core.errors import Refused

PACKAGES = ("asc-music", "planetblupi-music-ogg")
MORE_PACKAGES = (*PACKAGES, "fb-music-high", "wesnoth-1.16-music", "hyperrogue-music")
RATE_HZ = 44_100
Stereo = npt.NDArray[np.float32]
_HOP = RATE_HZ // 100


@dataclass(frozen=True)
class Piece:
    path: Path
    rate_hz: int
    samples: int

    @property
    def seconds(self) -> float:
        return self.samples / self.rate_hz


def pieces(folder: Path, packages: tuple[str, ...] = PACKAGES) -> list[Piece]:
    """Every piece of the packages, unpacked into `folder`. Raises Refused where a package cannot be had."""
    for package in packages:
        if not (folder / package).is_dir():
            _fetch(package, folder)
        for module in (folder / package).rglob("*.xm"):
            _render_module(module)
    inside = [path for package in packages for path in sorted((folder / package).rglob("*"))]
    found = [path for path in inside if path.suffix in (".ogg", ".mp3", ".wav")]
    return [Piece(path, info.samplerate, info.frames) for path in found for info in [soundfile.info(str(path))]]


def excerpt(piece: Piece, start_s: float, seconds: float) -> Stereo | None:
    """(samples, 2) at 44.1 kHz, from the first onset after `start_s`, shorter where the piece ends, peak 1.

    An onset is a rise of the 10 ms level by 8 dB over the 100 ms before. None where a silence of over a second lies
    within: some of the files hold several pieces, and nobody can say whether such a place is a rest or a join.
    """
    # Seeking in lossy files is not exact, so what is read does not begin at a promised sample; it need not.
    sound = _read(piece, round(start_s), round(seconds) + 12)
    level = sound[: len(sound) // _HOP * _HOP].reshape(-1, _HOP * 2)
    db = 10 * np.log10((level.astype(np.float64) ** 2).mean(axis=1) + 1e-9)
    before = np.convolve(db, np.ones(10) / 10)[: len(db)]
    rises = np.flatnonzero(db[10:] - before[9:-1] > 8.0) + 10
    first = int(rises[0]) * _HOP - _HOP if len(rises) and rises[0] < 1_000 else 0
    out = sound[first : first + round(seconds * RATE_HZ)].copy()
    peak = float(np.abs(out).max())
    inside = db[first // _HOP : (first + len(out)) // _HOP]
    silent = np.convolve(inside < 20 * np.log10(peak + 1e-9) - 48, np.ones(100), "valid") > 95
    return None if peak == 0 or silent.any() else out / peak


@lru_cache(maxsize=4)
def _read(piece: Piece, start_s: int, seconds: int) -> Stereo:
    with soundfile.SoundFile(str(piece.path)) as file:
        file.seek(min(start_s * piece.rate_hz, max(0, piece.samples - seconds * piece.rate_hz)))
        data = file.read(seconds * piece.rate_hz, dtype="float32", always_2d=True)
    if piece.rate_hz != RATE_HZ:
        data = soxr.resample(data, piece.rate_hz, RATE_HZ)
    if data.shape[1] == 1:
        data = np.repeat(data, 2, axis=1)
    return np.asarray(data, dtype=np.float32)


def _render_module(module: Path) -> None:
    """Plays a module into a WAV beside it, where Debian's openmpt123 is installed; else the module is left out."""
    if module.with_name(f"{module.name}.wav").exists() or not shutil.which("openmpt123"):
        return
    play = ["openmpt123", "--render", "--samplerate", str(RATE_HZ), "--output-type", "wav", str(module)]
    subprocess.run(play, check=True, capture_output=True)


def _fetch(package: str, folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    try:
        subprocess.run(["apt-get", "download", "-q", package], cwd=folder, check=True, capture_output=True)
        (archive,) = folder.glob(f"{package}_*.deb")
        subprocess.run(["dpkg-deb", "-x", archive, folder / package], check=True, capture_output=True)
        archive.unlink()
    except (OSError, subprocess.CalledProcessError, ValueError) as cause:
        raise Refused(
            f"the package {package} cannot be fetched",
            where="benchmarks",
            remedy="Run `apt-get update` on a Debian machine that reaches its packages, then try again",
        ) from cause
