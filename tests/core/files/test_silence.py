"""A silent end taken off without loss: same samples before it, all tags and pictures kept."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from mutagen.flac import FLAC

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.silence import silent_tail_s, without_tail
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.demo.encoding import encode
from tests.core.files.samples import RATE_HZ, picture


def with_silence(path: Path, kind: str, *, seconds: float) -> Path:
    sound = (0.2 * np.random.default_rng(5).standard_normal((2 * RATE_HZ, 2))).astype(np.float32)
    sound[-1] = 0.5
    return encode(path, np.concatenate([sound, np.zeros((round(seconds * RATE_HZ), 2), np.float32)]), RATE_HZ, kind)


@pytest.mark.parametrize(("name", "kind"), [("a.flac", "flac"), ("a.wav", "wav"), ("a.aiff", "aiff")])
def test_it_is_found_and_taken_off_without_loss(tmp_path: Path, name: str, kind: str) -> None:
    path = with_silence(tmp_path / name, kind, seconds=12)
    write(path, Change({"title": "Ebb", "comment": "kept"}, (Embedded(3, "image/jpeg", picture()),)))
    if kind == "flac":
        file = FLAC(path)
        file["MOOD"] = "calm"  # somebody else's
        file.save()
    assert silent_tail_s(path) == pytest.approx(12, abs=0.01)
    beside = tmp_path / f"short{path.suffix}"
    fell = without_tail(path, beside)
    assert fell == 11 * RATE_HZ
    before, _ = soundfile.read(path, dtype="int16")
    after, _ = soundfile.read(beside, dtype="int16")
    assert len(after) == 3 * RATE_HZ
    assert np.array_equal(before[: len(after)], after)
    assert read_file(beside).fields == read_file(path).fields
    assert read_pictures(beside) == read_pictures(path)
    assert read_file(beside).others == read_file(path).others
    assert silent_tail_s(beside) == pytest.approx(1.0, abs=0.01)


def test_what_has_none_or_cannot_be_cut_without_loss_is_left(tmp_path: Path) -> None:
    short = with_silence(tmp_path / "a.flac", "flac", seconds=3)
    with pytest.raises(Refused, match="no long silence"):
        without_tail(short, tmp_path / "b.flac")
    lossy = with_silence(tmp_path / "a.mp3", "mp3", seconds=12)
    with pytest.raises(Refused, match="without loss"):
        without_tail(lossy, tmp_path / "b.mp3")
