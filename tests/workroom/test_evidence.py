"""Where a docket stands, in words: pure rules, told by their results."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from inkwell_groove.core.artwork import ArtworkFacts
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.disc.drive import DriveFacts
from inkwell_groove.core.disc.record import DiscRecord, TrackRead
from inkwell_groove.core.disc.toc import Toc, TocTrack
from inkwell_groove.core.disc.witnesses import Witness
from inkwell_groove.core.planning.plan import EdgeNote, Plan, TrackSpan
from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.core.transfer.continuity import Fault
from inkwell_groove.store.models import DiscRead
from inkwell_groove.workroom import evidence
from inkwell_groove.workroom.views import (
    ArtworkView,
    PlanView,
    Refusal,
    SideView,
    TakeView,
    TrackLine,
    Transferred,
    UploadView,
)

NOW = datetime(2026, 1, 1, tzinfo=UTC)


def take(**changes: Any) -> TakeView:
    form = SoundFormat(container="FLAC", word="s24", rate_hz=96_000, channels=2, samples=96_000, lossless=True)
    values: dict[str, Any] = {
        "id": 1,
        "name": "side.flac",
        "sha256": "0" * 64,
        "size_bytes": 1,
        "format": form,
        "note": "",
        "sample_peak_dbfs": -4.23,
        "clipped_runs": 0,
        "taken_in_at": NOW,
        "taken_in_by": "a",
    }
    return TakeView(**{**values, **changes})


def line(confidence: float | None = 0.9) -> TrackLine:
    return TrackLine(
        key="k",
        number=1,
        side_id=1,
        title="",
        artist="",
        origins={},
        start_sample=0,
        end_sample=1,
        rate_hz=96_000,
        confidence=confidence,
    )


def side(
    *takes: TakeView,
    tracks: tuple[TrackLine, ...] = (),
    letter: str = "A",
    signed_by: str | None = None,
    last_signed_by: str | None = None,
) -> SideView:
    spans = [
        TrackSpan(
            key=f"k{index}",
            start_sample=10 * index,
            end_sample=10 * index + 9,
            start=EdgeNote(confidence=one.confidence, signed_by=signed_by),
            end=EdgeNote(confidence=one.confidence, signed_by=signed_by if index + 1 < len(tracks) else last_signed_by),
        )
        for index, one in enumerate(tracks)
    ]
    plan = Plan(take_sha256="0" * 64, take_samples=96_000, tracks=tuple(spans))
    return SideView(
        id=1,
        letter=letter,
        name=f"Side {letter}",
        expected_s=None,
        takes=list(takes),
        chosen_take_id=1,
        plan=PlanView(version=1, plan=plan, undo=None, redo=None),
        tracks=list(tracks),
    )


def upload(state: str, refusal: Refusal | None = None) -> UploadView:
    return UploadView(
        id=1,
        docket_id=1,
        side_id=1,
        name="side.wav",
        size_bytes=9,
        received_bytes=9,
        state=state,
        refusal=refusal,  # type: ignore[arg-type]
    )


@pytest.mark.parametrize(
    ("takes", "text", "mood"),
    [
        ([], "no recording yet", "not begun"),
        ([take()], "1 take, 96 kHz/24, peak −4.2 dBFS, nothing clipped", "done"),
        ([take(), take(sample_peak_dbfs=-1.0)], "2 takes, 96 kHz/24, peak −1.0 dBFS, nothing clipped", "done"),
        ([take(clipped_runs=7)], "1 take, 96 kHz/24, peak −4.2 dBFS, 7 clipped", "doubtful"),
        ([take(sample_peak_dbfs=None)], "1 take, 96 kHz/24, silent, nothing clipped", "done"),
        ([take(sample_peak_dbfs=0.0)], "1 take, 96 kHz/24, peak 0.0 dBFS, nothing clipped", "done"),
    ],
)
def test_transfer_tells_what_was_taken_and_how_loud_it_is(takes: list[TakeView], text: str, mood: str) -> None:
    found = evidence.transfer([side(*takes)])
    assert (found.line, found.mood) == (text, mood)


def test_takes_of_two_rates_are_both_told() -> None:
    other = take(format=SoundFormat(container="WAV", word="s16", rate_hz=44_100, channels=2, samples=1))
    assert "44.1 kHz/16 and 96 kHz/24" in evidence.transfer([side(take()), side(other)]).line


def test_a_lossy_take_is_a_reference_only() -> None:
    lossy = take(
        format=SoundFormat(container="MPEG", word="f32", rate_hz=44_100, channels=2, samples=1, lossless=False)
    )
    found = evidence.transfer([side(lossy)])
    assert "reference only" in found.line
    assert found.mood == "doubtful"


def test_a_refused_recording_comes_before_everything_else() -> None:
    refused = upload("refused", Refusal(what="it lies"))
    assert evidence.intake(["LP"], [side(take())], [upload("taking in"), refused]).line == "side.wav was refused"
    assert evidence.intake(["LP"], [side()], [upload("taking in")]).mood == "doubtful"


def test_intake_tells_what_lies_on_the_table() -> None:
    assert evidence.intake(["LP"], [side(), side(letter="B")], []).line == "LP, 2 sides"
    assert evidence.intake(["LP", "LP"], [side()] * 4, []).line == "2 x LP, 4 sides"


def test_a_side_that_is_still_to_come_and_faults_are_told() -> None:
    assert evidence.transfer([side(take()), side(letter="B")]).line == "1 take, 96 kHz/24, side B still to come"
    fault = Fault(kind="lost", at_sample=5, samples=960, words="960 samples lost")
    told = Transferred(
        source="deck",
        chain=Chain(name="c"),
        gain_db=0.0,
        began_at=NOW,
        ended="by hand",
        marks=[],
        faults=[fault],
        samples_sha256=None,
    )
    found = evidence.transfer([side(take(transferred=told))])
    assert (found.line, found.mood) == ("1 take, 1 fault while recording", "missing")


@pytest.mark.parametrize(
    ("sides", "text", "mood"),
    [
        ([side(take())], "none marked yet", "not begun"),
        ([side(take(), tracks=(line(),))], "1 track, none in doubt", "done"),
        ([side(take(), tracks=(line(), line(None)))], "2 tracks, none in doubt", "done"),
        ([side(take(), tracks=(line(0.2), line(0.69), line(0.7)))], "3 tracks, 3 to hear", "doubtful"),
        (
            [side(take(), tracks=(line(0.2), line()), signed_by="Ada")],
            "2 tracks, 2 of 3 joins signed off, none in doubt",
            "done",
        ),
        (
            [side(take(), tracks=(line(0.2),), signed_by="Ada", last_signed_by="Ada")],
            "1 track, all 2 joins signed off",
            "done",
        ),
        ([side(take(), tracks=(line(),)), side(take(), letter="B")], "1 track, side B has none", "missing"),
        ([side(take(), tracks=(line(),)), side(letter="B")], "1 track, none in doubt", "done"),
    ],
)
def test_tracks_tell_how_many_are_to_be_heard(sides: list[SideView], text: str, mood: str) -> None:
    found = evidence.tracks(sides)
    assert (found.line, found.mood) == (text, mood)


def test_describe_names_the_first_thing_that_is_missing() -> None:
    assert evidence.describe(["Title", "Label"], False).mood == "not begun"
    assert evidence.describe(["Title", "Label"], True).line == "missing: Title"
    assert evidence.describe([], True).mood == "done"


def picture(*advice: str, role: str = "front") -> ArtworkView:
    facts = ArtworkFacts(mime="image/png", width_px=300, height_px=200, bits_per_pixel=24, size_bytes=9, advice=advice)
    return ArtworkView(id=1, role=role, name="x.png", origin="dropped", facts=facts, is_square=False, added_at=NOW)


def test_artwork_tells_size_and_the_first_advice_of_the_front_cover_alone() -> None:
    assert evidence.artwork([picture(role="set aside")]).line == "no front cover"
    assert evidence.artwork([picture()]).mood == "done"
    assert evidence.artwork([picture("Not square: 300 x 200. Bars.")]).line == "300 x 200, not square"


@pytest.mark.parametrize(
    ("change", "standing"),
    [
        ({}, "ready to seal"),
        ({"has_takes": False}, "empty"),
        ({"has_tracks": False}, "under way"),
        ({"missing": ["Title"]}, "under way"),
        ({"all_lossless": False}, "under way"),
        ({"sealed_basis": "a"}, "sealed"),
        ({"sealed_basis": "b"}, "changed since sealing"),
        ({"sealed_basis": "b", "missing": ["Title"]}, "changed since sealing"),
    ],
)
def test_where_a_docket_stands(change: dict[str, Any], standing: str) -> None:
    ready: dict[str, Any] = {
        "has_takes": True,
        "has_tracks": True,
        "all_lossless": True,
        "missing": [],
        "sealed_basis": None,
        "basis": "a",
    }
    assert evidence.standing(**{**ready, **change}) == standing


@pytest.mark.parametrize(
    ("states", "line", "mood"),
    [
        (["recording"], "is being recorded", "doubtful"),
        (["keeping", "recording"], "is being recorded", "doubtful"),
        (["keeping"], "the recording is being read back", "doubtful"),
        (["waiting for its browser"], "broke off; its browser may go on", "doubtful"),
        (["recording", "refused"], "a recording could not be made a take", "missing"),
    ],
)
def test_a_recording_that_is_no_take_yet_comes_before_all_takes(states: list[str], line: str, mood: str) -> None:
    found = evidence.transfer([side(take())], states)
    assert (found.line, found.mood) == (line, mood)


def disc_row(*verdicts: str, state: str = "read") -> DiscRead:
    """A reading whose tracks are worth so much."""
    witness = {
        "proven": Witness(answer="agrees", reads=2, of=2, whole=True),
        "doubtful": Witness(answer="disagrees", of=3),
    }
    tracks = tuple(
        TrackRead(
            number=number,
            first_frame=100 * number,
            end_frame=100 * number + 100,
            first_crc32="",
            second_crc32="",
            crc32="",
            sha256="",
            peak=1,
            settled=(),
            disputed=(3,) if verdict == "damaged" else (),
            rereads=0,
            silent_share=0.0,
            witness_sum=None,
            witness=witness.get(verdict, Witness(answer="unknown")),
        )
        for number, verdict in enumerate(verdicts, start=1)
    )
    toc = Toc(tracks=(TocTrack(number=1, start=100), TocTrack(number=2, start=200)), lead_out=300)
    record = DiscRecord(
        application="",
        read_at="",
        read_by="",
        drive=DriveFacts(id="x", name="x"),
        offset_samples=0,
        offset_from="the register",
        twice=True,
        toc=toc,
        tracks=tracks,
    )
    return DiscRead(id=1, state=state, record=record.model_dump(mode="json") if verdicts else None)


@pytest.mark.parametrize(
    ("discs", "line", "mood"),
    [
        ([("Disc", [])], "not read yet", "not begun"),
        ([("Disc", [disc_row(state="reading")])], "disc is being read", "doubtful"),
        ([("Disc", [disc_row(state="failed")])], "could not be read", "missing"),
        ([("Disc", [disc_row("proven", "proven")])], "all 2 tracks proven by witnesses", "done"),
        ([("Disc", [disc_row("proven", "agreed")])], "1 of 2 tracks proven by witnesses", "doubtful"),
        ([("Disc", [disc_row("agreed", "agreed")])], "2 tracks, no witness", "doubtful"),
        ([("Disc", [disc_row("proven", "damaged")])], "track 2 is damaged: read again", "missing"),
        (
            [("Disc", [disc_row("doubtful", "damaged")])],
            "track 1 disagrees with others and 1 more: read again",
            "missing",
        ),
        ([("Disc", [disc_row("proven")])], "1 read, some still to come", "missing"),
        ([("Disc 1", [disc_row("proven", "proven")]), ("Disc 2", [])], "disc 2 not read yet", "missing"),
    ],
)
def test_a_disc_s_line_says_what_its_readings_are_worth(
    discs: list[tuple[str, list[DiscRead]]], line: str, mood: str
) -> None:
    found = evidence.disc(discs)
    assert (found.line, found.mood) == (line, mood)
