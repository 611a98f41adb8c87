"""The table of contents, its arithmetic and its digest."""

from __future__ import annotations

import hashlib

import pytest
from pydantic import ValidationError

from inkwell_groove.core.disc.toc import BYTES_PER_FRAME, RATE_HZ, Toc, TocTrack, absolute_time


def two(**more: object) -> Toc:
    return Toc(tracks=(TocTrack(number=1, start=3_012), TocTrack(number=2, start=21_877)), lead_out=200_143, **more)


def test_the_disc_s_own_numbers() -> None:
    """IEC 60908 (from memory): 44,100 samples/s, 2,352 bytes a frame, 00:02:00 at frame address 0."""
    assert (RATE_HZ, BYTES_PER_FRAME, absolute_time(0)) == (44_100, 2_352, "00:02:00")


def test_a_first_track_that_starts_late_leaves_room_for_an_opening() -> None:
    """A start of 3,809 gives 0 to 3,808, one of 9,225 gives 0 to 9,224 (common practice)."""
    for start in (3_809, 9_225):
        toc = Toc(tracks=(TocTrack(number=1, start=start),), lead_out=20_000)
        assert toc.extent(0) == (0, start)
    assert Toc(tracks=(TocTrack(number=1, start=0),), lead_out=9).opening_frames == 0


def test_the_digest_is_that_of_the_documented_text() -> None:
    text = "inkwell disc 1\n1 audio 3012\n2 audio 21877\nend 200143\n"
    assert two().text == text
    assert two().digest == hashlib.sha256(text.encode()).hexdigest()


def test_what_drives_may_misread_does_not_alter_the_digest() -> None:
    told = Toc(
        tracks=(
            TocTrack(number=1, start=3_012, isrc="XXA019800001"),
            TocTrack(number=2, start=21_877, pregap_start=21_700, further_indexes=(22_000, 23_000)),
        ),
        lead_out=200_143,
        barcode="1234567890128",
    )
    assert told.digest == two().digest


def test_a_track_reaches_to_the_next_and_the_last_to_the_lead_out() -> None:
    assert two().extent(1) == (3_012, 21_877)
    assert two().extent(2) == (21_877, 200_143)
    with pytest.raises(LookupError, match="no track 3, only 1 to 2"):
        two().extent(3)


def mixed(*, sessions: tuple[int | None, int | None], data_at: int, pregap: int | None = None) -> Toc:
    """An audio track of so many frames, and data after it."""
    first, second = sessions
    return Toc(
        tracks=(
            TocTrack(number=1, start=0, session=first),
            TocTrack(number=2, start=data_at, kind="data", pregap_start=pregap, session=second),
        ),
        lead_out=data_at + 5_000,
    )


def test_audio_before_data_in_one_session_is_whole_up_to_the_datas_own_gap() -> None:
    """A track of 900 frames came out as one frame, and 11,400 were cut off any longer one."""
    assert mixed(sessions=(1, 1), data_at=900).extent(1) == (0, 900)
    assert mixed(sessions=(1, 1), data_at=20_000).extent(1) == (0, 20_000)
    assert mixed(sessions=(1, 1), data_at=20_000, pregap=19_850).extent(1) == (0, 19_850)
    assert mixed(sessions=(1, 1), data_at=20_000).session_gap_after(1) == 0


def test_audio_before_a_session_of_data_ends_before_what_no_drive_reads() -> None:
    toc = mixed(sessions=(1, 2), data_at=20_000)
    assert toc.extent(1) == (0, 8_600) and toc.audio_end == 8_600
    assert toc.session_gap_after(1) == 11_400
    with pytest.raises(ValidationError, match="track 2 begins session 2 at frame 900: no room for the 11400 frames"):
        mixed(sessions=(1, 2), data_at=900)


def test_readings_of_before_sessions_were_told_keep_their_lengths() -> None:
    assert mixed(sessions=(None, None), data_at=20_000).extent(1) == (0, 8_600)
    assert mixed(sessions=(None, None), data_at=900).extent(1) == (0, 900), "there cannot be a session between"


@pytest.mark.parametrize(
    ("tracks", "lead_out", "says"),
    [
        ([(1, 100), (3, 200)], 300, "track 3 stands where track 2 is expected"),
        ([(1, 200), (2, 100)], 300, "track 2 has frame 100 after frame 201"),
        ([(1, 100), (2, 100)], 300, "track 2 has frame 100 after frame 101"),
        ([(1, 100)], 100, "lead-out at frame 100"),
    ],
)
def test_addresses_of_no_disc_are_refused(tracks: list[tuple[int, int]], lead_out: int, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Toc(tracks=tuple(TocTrack(number=number, start=start) for number, start in tracks), lead_out=lead_out)


def test_a_gap_before_the_track_before_it_is_refused() -> None:
    with pytest.raises(ValidationError, match="track 2 has frame 50"):
        Toc(
            tracks=(TocTrack(number=1, start=100), TocTrack(number=2, start=200, pregap_start=50)),
            lead_out=300,
        )
