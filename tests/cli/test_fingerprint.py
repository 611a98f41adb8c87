"""`groove fingerprint` and `groove match`, as a script uses them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from inkwell_groove.demo.tunes import Tune, play
from tests.cli.inside import groove_inside

RATE = 22_050


def write(path: Path, seed: int, *, cut: slice = slice(None)) -> Path:
    audio = np.stack(play(Tune("x", 12, seed, 100 + seed, seed), RATE, speed=1.0), axis=1)
    soundfile.write(str(path), audio[cut], RATE, subtype="PCM_16")
    return path


@pytest.mark.slow
def test_a_recording_and_its_excerpt_match_and_another_does_not(tmp_path: Path) -> None:
    whole, part = write(tmp_path / "whole.flac", 3), write(tmp_path / "part.wav", 3, cut=slice(4 * RATE, 10 * RATE))
    told = json.loads(groove_inside("match", whole, part, "--json").stdout)
    assert told["verdict"] == "same recording, another edit" and told["bit_error_rate"] < 0.05
    assert told["offset_s"] == pytest.approx(4.0, abs=0.03)
    assert "beginning at 4.0" in groove_inside("match", whole, part).stdout
    other = write(tmp_path / "other.wav", 7)
    assert json.loads(groove_inside("match", whole, other, "--json").stdout)["verdict"] == "different"


def test_a_fingerprint_is_told_whole_as_json(tmp_path: Path) -> None:
    told = json.loads(groove_inside("fingerprint", write(tmp_path / "a.flac", 5), "--json").stdout)
    assert len(told["fingerprint"]) == 8 * told["prints"]
    assert told["prints"] * told["hop_s"] == pytest.approx(12.0, abs=0.5)
    assert "prints, one for every 11.6 ms" in groove_inside("fingerprint", tmp_path / "a.flac").stdout


def test_too_little_sound_is_refused(tmp_path: Path) -> None:
    soundfile.write(str(tmp_path / "tick.wav"), np.zeros((2_000, 2)), RATE)
    done = groove_inside("fingerprint", tmp_path / "tick.wav")
    assert done.returncode == 1 and "too short for a fingerprint" in done.stderr
