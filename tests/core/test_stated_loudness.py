"""What the survey says of files that state no loudness, and what it would have them state."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyloudnorm
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from inkwell_groove.core.copies.loudness import Listener
from inkwell_groove.core.files.fields import described
from inkwell_groove.core.measure.loudness import Blocks, lufs_of_blocks
from inkwell_groove.core.survey.finding import Finding, House, Record, Release
from inkwell_groove.core.survey.loudness import LoudnessFacts, stated

RATE_HZ = 48_000
Track = npt.NDArray[np.float64]

# Powers of 100 ms steps of programmes with loud, soft and silent stretches.
levels = st.lists(st.tuples(st.floats(-90.0, 0.0), st.integers(1, 40)), min_size=1, max_size=8)


def steps(stretches: list[tuple[float, int]]) -> npt.NDArray[np.float64]:
    return np.concatenate([np.full(count, 10 ** (level / 10)) for level, count in stretches])


def track(level_db: float, seconds: float, *, seed: int = 1) -> Track:
    """Noise that swells and sinks, in two channels."""
    swell = 1.0 + 0.8 * np.sin(np.linspace(0, 12, round(seconds * RATE_HZ)))[:, None]
    return np.random.default_rng(seed).uniform(-1, 1, (len(swell), 2)) * swell * 10 ** (level_db / 20)


def heard(audio: Track) -> dict[str, object]:
    listener = Listener(audio.shape[1], rate_hz=RATE_HZ)
    listener.feed(audio)
    return LoudnessFacts.of(*listener.heard()).model_dump(mode="json")


def found(tracks: Sequence[Track | None], **facts: object) -> list[Finding]:
    """What is said of a release of these tracks; None for one that nobody listened to."""
    files = [
        Record(
            key,
            f"1/x/{key}.flac",
            {},
            {"format": "FLAC", **({} if audio is None else {"loudness": heard(audio)}), **facts},
        )
        for key, audio in enumerate(tracks, start=1)
    ]
    return list(stated(Release(files, {}), House()))


def decibels(text: str) -> float:
    assert text.endswith(" dB")
    return float(text[:-3])


@pytest.mark.slow
@given(st.lists(levels, min_size=1, max_size=4))
@settings(max_examples=300)
def test_an_albums_loudness_comes_out_of_counted_blocks(programmes: list[list[tuple[float, int]]]) -> None:
    """As BS.1770 has it, block by block: what is counted in tenths of a LU gives the same to half a tenth."""
    powers = np.concatenate([_blocks(steps(one)) for one in programmes])
    heard = powers[_lufs(powers) > -70]
    gate = _lufs(heard.mean()) - 10 if len(heard) else 0.0
    # A block right at a gate may be let in by one and kept out by the other.
    assume(not (np.abs(_lufs(powers) + 70) < 0.11).any())
    assume(not len(heard) or not (np.abs(_lufs(heard) - gate) < 0.11).any())
    ours = lufs_of_blocks([Blocks.of(steps(one)) for one in programmes])
    if len(heard):
        assert ours == pytest.approx(float(_lufs(heard[_lufs(heard) > gate].mean())), abs=0.055)
    else:
        assert ours is None


def _blocks(powers: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """The mean of each 400 ms, a step of 100 ms apart."""
    return np.array([powers[at : at + 4].mean() for at in range(len(powers) - 3)])


def _lufs(power: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.asarray(-0.691 + 10 * np.log10(np.maximum(power, 1e-30)))


def test_the_gains_are_those_of_a_reference_meter() -> None:
    """pyloudnorm, on each track and on all of them one behind the other; ReplayGain 2 turns to -18 LUFS."""
    tracks = [track(-30, 12, seed=1), track(-18, 9, seed=2), track(-45, 15, seed=3)]
    (one,) = found(tracks)
    meter = pyloudnorm.Meter(RATE_HZ)
    for key, audio in enumerate(tracks, start=1):
        gain = decibels(one.remedy[key]["track_gain"])
        assert gain == pytest.approx(-18 - meter.integrated_loudness(audio), abs=0.1)
        whole = decibels(one.remedy[key]["album_gain"])
        assert whole == pytest.approx(-18 - meter.integrated_loudness(np.concatenate(tracks)), abs=0.15)
    peaks = [float(one.remedy[key]["track_peak"]) for key in (1, 2, 3)]
    for peak, audio in zip(peaks, tracks, strict=True):
        assert peak >= np.abs(audio).max() * 0.999
    assert {cells["album_peak"] for cells in one.remedy.values()} == {f"{max(peaks):.6f}"}
    assert one.evidence.startswith("measured: ")


def test_before_all_of_a_release_was_heard_nothing_is_put_right() -> None:
    (one,) = found([track(-20, 2), None])
    assert one.remedy == {}
    assert one.files == (1, 2)
    assert "listen to the files" in one.evidence


def test_of_silence_nothing_is_wanted() -> None:
    silence = np.zeros((RATE_HZ, 2))
    assert found([silence]) == []
    (one,) = found([silence, track(-20, 2)])
    assert one.files == (2,)
    assert one.remedy.keys() == {2}


def test_of_what_could_not_be_decoded_nothing_is_wanted() -> None:
    assert found([None], loudness=None) == []


def test_opus_is_given_no_peaks() -> None:
    (one,) = found([track(-20, 2)], format="Opus")
    assert one.remedy[1].keys() == {"track_gain", "album_gain"}


@pytest.mark.parametrize("others", [[("TXXX:replaygain_track_gain", "-1 dB")], [("R128_TRACK_GAIN", "-256")]])
def test_what_stood_among_other_tags_counts_as_stated(others: list[tuple[str, str]]) -> None:
    assert found([track(-20, 2)], others=others) == []


def test_a_file_is_not_better_described_for_saying_how_loud_it_is() -> None:
    assert described({"title": "Slack Water", "artist": "", "track_gain": "-3.20 dB", "album_peak": "0.9"}) == 1
