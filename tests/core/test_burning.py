"""Images for burning: not a sample lost, every cut on a frame, read back as the disc that was meant."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.sealing.burning import ToBurn, write_image
from tests.sounds import noise, write


def files(
    folder: Path, lengths: list[int], *, rate_hz: int = 44_100, bits: int = 16, opening: bool = False
) -> list[ToBurn]:
    found = []
    for index, length in enumerate(lengths):
        data = noise(length, bits=bits, seed=index + 1)
        path = write(folder / f"{index}.flac", data, rate_hz, subtype=f"PCM_{bits}", form="FLAC")
        found.append(ToBurn(path=path, number=index if opening else index + 1, title=f"T{index}", artist="Band"))
    return found


@pytest.mark.slow
@settings(max_examples=15, deadline=None)
@given(lengths=st.lists(st.integers(180_000, 220_000), min_size=1, max_size=3), opening=st.booleans())
def test_the_image_is_the_files_end_to_end(
    lengths: list[int], opening: bool, tmp_path_factory: pytest.TempPathFactory
) -> None:
    folder = tmp_path_factory.mktemp("burn")
    given_files = files(folder, [40_000, *lengths] if opening else lengths, opening=opening)
    out = folder / "out"
    out.mkdir()
    made = write_image(given_files, out, title="Disc", performer="Band")
    whole = np.concatenate([soundfile.read(one.path, dtype="int16")[0] for one in given_files])
    assert not made.dithered and max(abs(one) for one in made.moved_samples) <= 294
    with DiscImage(out / "disc.cue") as disc:
        assert disc.toc.lead_out * 588 == len(whole) + made.padding_samples
        np.testing.assert_array_equal(disc.read(0, len(whole)), whole)
        assert not disc.read(len(whole), len(whole) + made.padding_samples).any()
        assert len(disc.toc.audio_tracks) == len(lengths)
        assert (disc.toc.audio_tracks[0].start > 0) == opening
        ends = np.cumsum([0, *(len(soundfile.read(one.path)[0]) for one in given_files)])
        for track, at in zip(disc.toc.audio_tracks, ends[1 if opening else 0 :], strict=False):
            assert abs(track.start * 588 - at) <= 294


def test_a_record_becomes_a_disc_with_its_gaps(tmp_path: Path) -> None:
    """96 kHz and 24 bit: converted as one, dithered, a kept gap as index 00."""
    side = files(tmp_path, [960_000, 700_000], rate_hz=96_000, bits=24)
    side[0] = side[0].model_copy(update={"gap_sample": 960_000 - 192_000})
    out = tmp_path / "out"
    out.mkdir()
    made = write_image(side, out)
    assert made.dithered and made.converted_from_hz == 96_000
    with DiscImage(out / "disc.cue") as disc:
        second = disc.toc.audio_tracks[1]
        assert second.pregap_start is not None and (second.start - second.pregap_start) == 150
        assert disc.toc.lead_out == -(-round(1_660_000 * 44_100 / 96_000) // 588)


@pytest.mark.parametrize(
    ("lengths", "words"),
    [([100_000], "four seconds at least"), ([180_000] * 100, "1 to 99"), ([], "1 to 99")],
)
def test_what_no_disc_holds_is_refused_before_anything_is_written(
    lengths: list[int], words: str, tmp_path: Path
) -> None:
    one = files(tmp_path, lengths[:1])
    many = [one[0].model_copy(update={"number": n + 1}) for n in range(len(lengths))] if one else []
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises(Refused, match=words):
        write_image(many, out)
    assert list(out.iterdir()) == []


def test_more_than_a_disc_holds_is_said_in_minutes(tmp_path: Path) -> None:
    hour = write(tmp_path / "h.wav", np.zeros((41 * 60 * 8_000, 1), np.int16), 8_000, subtype="PCM_16")
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises(Refused, match="82:00 is longer than a disc"):
        write_image([ToBurn(path=hour, number=1), ToBurn(path=hour, number=2)], out)
