"""Whole discs read through drives with faults: what is proven is right, what is not is said."""

from __future__ import annotations

import shutil
import sys
from collections import Counter
from pathlib import Path

import numpy as np
import pytest

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.disc.checksums import window, witness_sum
from inkwell_groove.core.disc.drive import DriveRefuses
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.indexes import with_indexes
from inkwell_groove.core.disc.offset import find_offset
from inkwell_groove.core.disc.proving import proven, settled_opening
from inkwell_groove.core.disc.reading import DiscReading, Watcher, numbers_to_read, read_tracks
from inkwell_groove.core.disc.record import TrackRead, best
from inkwell_groove.core.disc.sound import files_in
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.disc.witnesses import CountedSum, Known, Pressing, Register, sum_text
from inkwell_groove.core.errors import Cancelled, Missing, Refused
from inkwell_groove.devices.optical import Bad, DriveProfile, SimulatedDrive
from tests.discs import whole, write_image
from tests.patience import some

STARTS, FRAMES = (0, 40, 80), 120


def true_sums(image: DiscImage, audio: np.ndarray) -> Known:
    """A register in which five people have read this disc as it is."""
    tracks = {}
    for number in numbers_to_read(image.toc):
        low, high = window(image.toc, number)
        first, end = (frame * SAMPLES_PER_FRAME for frame in image.toc.extent(number))
        wholes = {sum_text(witness_sum(audio[first:end])): 5}
        tracks[number] = (CountedSum(sum=sum_text(witness_sum(audio[low:high])), reads=5, wholes=wholes),)
    return Known(pressings=(Pressing(reads=5, tracks=tracks),))


def read_all(drive: SimulatedDrive, folder: Path, known: Known | None = None, **how: object) -> DiscReading:
    toc = drive.toc()
    reading = read_tracks(drive, toc, folder, numbers_to_read(toc), **how)  # type: ignore[arg-type]
    files = files_in(folder, [one.number for one in reading.tracks])
    return proven(reading, Register(name="test", known=known), toc, files)


def audio_in(folder: Path, number: int) -> np.ndarray:
    with FileReader(folder / f"{number:02}.flac") as file:
        return file.read(0, file.format.samples)


@pytest.mark.slow
@pytest.mark.parametrize("opening", [1, 2, 3, 4, 5, 6])
def test_an_opening_of_a_few_frames_costs_no_reading_where_the_register_disagrees(tmp_path: Path, opening: int) -> None:
    """The look beside a track's place reached before the disc, and the whole reading was thrown away."""
    sheet = write_image(tmp_path, (opening, 40, 80), FRAMES, seed=7)
    with DiscImage(sheet) as image:
        known = Known(
            pressings=(
                Pressing(
                    reads=5,
                    tracks={
                        number: (CountedSum(sum="0123456789abcdef", reads=5, wholes={}),)
                        for number in numbers_to_read(image.toc)
                    },
                ),
            )
        )
        (tmp_path / "read").mkdir()
        reading = read_all(SimulatedDrive(image, DriveProfile()), tmp_path / "read", known)
        answers = {one.number: one.witness.answer for one in reading.tracks if one.number}
        assert answers == {1: "disagrees", 2: "disagrees", 3: "disagrees"}
        with pytest.raises(Refused, match="no offset from"):
            find_offset(SimulatedDrive(image, DriveProfile()), image.toc, known)


@pytest.mark.parametrize("session", ["", "  REM SESSION 02\n"])
def test_the_last_audio_track_before_data_is_read_whole(tmp_path: Path, session: str) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES, seed=7)
    text = sheet.read_text()
    sheet.write_text(text.replace("  TRACK 03 AUDIO", f"{session}  TRACK 03 MODE1/2352"))
    with DiscImage(sheet) as image:
        between = 11_400 if session else 0
        assert image.toc.tracks[2].start == 80 + between
        assert image.toc.lead_out == FRAMES + between
        (tmp_path / "read").mkdir()
        reading = read_all(SimulatedDrive(image, DriveProfile()), tmp_path / "read")
        assert {one.number: one.end_frame - one.first_frame for one in reading.tracks} == {1: 40, 2: 40}
        np.testing.assert_array_equal(audio_in(tmp_path / "read", 2), whole(image)[40 * 588 : 80 * 588])


@pytest.mark.slow
def test_of_hundreds_of_damaged_discs_nothing_wrong_is_proven(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Three short tracks each; 0 to 5 % of the frames bad, changing or sticky; with and without hints and witnesses."""
    sheet = write_image(tmp_path, STARTS, FRAMES, seed=7)
    table: Counter[tuple[str, str]] = Counter()
    counted: Counter[str] = Counter()
    seeds = some(range(500))
    with DiscImage(sheet) as image:
        audio = whole(image)
        known = true_sums(image, audio)
        for seed in seeds:
            rng = np.random.default_rng(seed)
            sticky, hints, witnesses = bool(seed % 2), bool(seed // 2 % 2), seed // 4 % 3 > 0
            share = rng.uniform(0.0, 0.05)
            bad = np.flatnonzero(rng.random(FRAMES) < share).tolist()
            rates = [1.0 if sticky or rng.random() < 0.2 else float(rng.uniform(0.05, 0.5)) for _ in bad]
            profile = DriveProfile(
                seed=seed,
                hints=hints,
                read_offset=int(rng.integers(-600, 601)),
                over_reads=True,
                bad=tuple(
                    Bad(first=at, last=at, rate=rate, sticky=sticky) for at, rate in zip(bad, rates, strict=True)
                ),
            )
            folder = tmp_path / str(seed)
            folder.mkdir()
            drive = SimulatedDrive(image, profile)
            reading = read_all(drive, folder, known if witnesses else None, offset_samples=profile.read_offset)
            unreadable = {at for at, rate in zip(bad, rates, strict=True) if rate == 1.0}
            for track in reading.tracks:
                first, end = track.first_frame, track.end_frame
                got = audio_in(folder, track.number).reshape(-1, SAMPLES_PER_FRAME, 2)
                true = audio.reshape(-1, SAMPLES_PER_FRAME, 2)[first:end]
                wrong = {first + int(at) for at in np.flatnonzero((got != true).any(axis=(1, 2)))}
                hidden = unreadable & set(range(first, end)) if sticky and not hints else set()
                # Damage that never changes and that the drive does not notice shows to nobody but a witness.
                assert wrong <= set(track.disputed) | hidden, f"disc {seed}, track {track.number}"
                assert set(track.disputed) == (unreadable & set(range(first, end))) - hidden
                edge = {*range(5), *range(FRAMES - 5, FRAMES)}
                assert track.verdict != "proven" or not wrong, f"disc {seed}, track {track.number}"
                assert track.verdict != "proven but its edge" or wrong <= edge
                if hidden - edge:
                    assert track.verdict == ("doubtful" if witnesses else "agreed")
                table["sticky" if sticky else "changing", track.verdict] += 1
                counted.update(settled=len(track.settled), disputed=len(track.disputed), wrong=len(wrong))
                counted["passed unseen"] += len(wrong - set(track.disputed))
            shutil.rmtree(folder)
    with capsys.disabled():
        lines = [f"  {damage:<9} {verdict:<20} {count:>5}" for (damage, verdict), count in sorted(table.items())]
        frames = ", ".join(f"{count} {word}" for word, count in counted.items())
        sys.stdout.write(
            "\n".join([f"\n{len(seeds)} damaged discs, {3 * len(seeds)} tracks", *lines, f"  frames: {frames}\n"])
        )
    assert {"proven", "agreed", "doubtful", "damaged"} <= {verdict for _, verdict in table}
    # A run draws its discs by chance: how many frames they have of each kind is not the same twice.
    assert min(counted["settled"], counted["disputed"]) > 0


def test_a_hidden_opening_is_kept_with_its_share_of_silence(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (50, 100), 160, silent=[(0, 10)])
    with DiscImage(sheet) as image:
        reading = read_all(SimulatedDrive(image, DriveProfile()), tmp_path)
        assert reading.opening is not None and reading.opening.outcome == "kept"
        assert reading.opening.silent_share == pytest.approx(0.2)
        np.testing.assert_array_equal(audio_in(tmp_path, 0), whole(image)[: 50 * SAMPLES_PER_FRAME])


def test_an_opening_of_silence_is_reported_and_not_kept(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (50, 100), 160, silent=[(0, 50)])
    with DiscImage(sheet) as image:
        reading = read_all(SimulatedDrive(image, DriveProfile()), tmp_path)
    assert reading.opening is not None and reading.opening.outcome == "silent"
    assert "not worth keeping" in reading.opening.words
    assert not (tmp_path / "00.flac").exists()


def test_a_drive_that_refuses_the_opening_reads_the_rest(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (50, 100), 160)
    with DiscImage(sheet) as image:
        drive = SimulatedDrive(image, DriveProfile(hidden_opening="refuses"))
        reading = read_all(drive, tmp_path)
        with pytest.raises(DriveRefuses, match="will not read before track 1"):
            drive.read(10, 5)
    assert reading.opening is not None and reading.opening.outcome == "refused"
    assert [one.number for one in reading.tracks] == [1, 2]


def test_a_drive_that_gives_silence_where_others_read_music_is_named(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (50, 100), 160)
    with DiscImage(sheet) as image:
        drive = SimulatedDrive(image, DriveProfile(hidden_opening="silent"))
        reading = read_all(drive, tmp_path, true_sums(image, whole(image)))
    assert reading.opening is not None and reading.opening.outcome == "refused"
    assert "gives silence before track 1, where 5 other reads have sound" in reading.opening.words


@pytest.mark.parametrize(("offset", "lost"), [(47, (0, 47)), (-613, (613, 0))])
def test_samples_beyond_the_drive_s_reach_are_stated_and_are_silence(
    tmp_path: Path, offset: int, lost: tuple[int, int]
) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        audio = whole(image)
        known = true_sums(image, audio)
        drive = SimulatedDrive(image, DriveProfile(read_offset=offset, over_reads=False))
        reading = read_all(drive, tmp_path, known, offset_samples=offset)
    assert (reading.tracks[0].missing_at_start, reading.tracks[-1].missing_at_end) == lost
    got = np.concatenate([audio_in(tmp_path, number) for number in (1, 2, 3)])
    np.testing.assert_array_equal(got[lost[0] : len(got) - lost[1]], audio[lost[0] : len(audio) - lost[1]])
    assert not got[: lost[0]].any() and not got[len(got) - lost[1] :].any()
    verdicts = [one.verdict for one in reading.tracks]
    assert verdicts.count("proven") == 2 and verdicts.count("proven but its edge") == 1


def test_damage_at_the_disc_s_edge_is_not_proven_by_a_sum_that_leaves_it_out(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        profile = DriveProfile(bad=(Bad(first=1, last=1, rate=1.0, sticky=True),), hints=False, over_reads=True)
        reading = read_all(SimulatedDrive(image, profile), tmp_path, known)
    assert [one.verdict for one in reading.tracks] == ["proven but its edge", "proven", "proven"]


def test_a_cache_that_would_say_the_same_again_is_read_past(tmp_path: Path) -> None:
    """Damage that changes at every reading from the disc is seen, though the drive's cache would repeat the first."""
    sheet = write_image(tmp_path, STARTS, FRAMES)
    bad = (Bad(first=50, last=60, rate=1.0),)
    with DiscImage(sheet) as image:
        drive = SimulatedDrive(image, DriveProfile(cache_frames=45, bad=bad, hints=False))
        np.testing.assert_array_equal(drive.read(50, 5).audio, drive.read(50, 5).audio)
        reading = read_all(drive, tmp_path)
    assert reading.tracks[1].disputed == tuple(range(50, 61))


def test_only_a_bad_track_is_read_again_after_wiping(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    bad = (Bad(first=50, last=52, rate=1.0),)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        before = read_all(SimulatedDrive(image, DriveProfile(bad=bad, over_reads=True)), tmp_path, known)
        assert [one.verdict for one in before.tracks] == ["proven", "damaged", "proven"]
        clean = SimulatedDrive(image, DriveProfile(over_reads=True))
        again = read_tracks(clean, clean.toc(), tmp_path, [2])
        again = proven(again, Register(known=known), clean.toc(), {})
    assert [(one.number, one.verdict) for one in again.tracks] == [(2, "proven")]


def test_a_reading_that_is_cancelled_leaves_no_spool_behind(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)

    def stop(first: int, frames: int, state: str) -> None:
        if first >= 80:
            raise Cancelled("it was cancelled")

    with DiscImage(sheet) as image, pytest.raises(Cancelled):
        read_all(SimulatedDrive(image, DriveProfile()), tmp_path, watcher=Watcher(frames=stop))
    assert not list(tmp_path.glob("*.spool"))


def test_only_tracks_that_are_there_can_be_asked_for(tmp_path: Path) -> None:
    with DiscImage(write_image(tmp_path, (50, 100), 160)) as image:
        assert numbers_to_read(image.toc) == [0, 1, 2]
        assert numbers_to_read(image.toc, [2, 0, 2]) == [0, 2]
        with pytest.raises(Missing, match="no audio track 3"):
            numbers_to_read(image.toc, [3])


@pytest.mark.parametrize("offset", [47, -613, 0, 2_939, -2_939])
def test_a_drive_s_offset_is_found_by_a_disc_that_the_register_knows(tmp_path: Path, offset: int) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        drive = SimulatedDrive(image, DriveProfile(read_offset=offset))
        found = find_offset(drive, drive.toc(), known)
        assert (found.offset_samples, found.tracks) == (offset, 2)
        with pytest.raises(Refused, match="does not know this disc"):
            find_offset(drive, drive.toc(), Known())


def test_an_offset_is_found_with_a_drive_that_slips_and_jumps(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        slips = (Bad(first=0, last=FRAMES, rate=0.05),)
        drive = SimulatedDrive(image, DriveProfile(read_offset=-613, bad=slips, jitter=0.1, seed=5))
        assert find_offset(drive, drive.toc(), known).offset_samples == -613


def test_an_offset_that_no_two_tracks_share_is_not_believed(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        one_alone = Known(
            pressings=(
                known.pressings[0].model_copy(
                    update={
                        "tracks": {
                            1: known.pressings[0].tracks[1],
                            2: known.pressings[0].tracks[3],
                            3: known.pressings[0].tracks[2],
                        }
                    }
                ),
            )
        )
        drive = SimulatedDrive(image, DriveProfile(read_offset=12))
        with pytest.raises(Refused, match="makes 3 tracks agree"):
            find_offset(drive, drive.toc(), one_alone)


def test_a_wrong_offset_shows_as_the_same_audio_aside(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, STARTS, FRAMES)
    with DiscImage(sheet) as image:
        known = true_sums(image, whole(image))
        drive = SimulatedDrive(image, DriveProfile(read_offset=100, over_reads=True))
        reading = read_all(drive, tmp_path, known, offset_samples=70)
    assert {one.witness.answer for one in reading.tracks} == {"agrees beside its place"}
    assert {one.witness.beside_samples for one in reading.tracks} == {-30}
    assert {one.verdict for one in reading.tracks} == {"agreed"}


def test_indexes_codes_and_gaps_come_from_a_sub_channel_with_errors(tmp_path: Path) -> None:
    more = "    INDEX 02 00:01:30\n    INDEX 03 00:01:40\n"
    sheet = write_image(tmp_path, (20, 60, 90), 130, gaps={1: 20, 2: 12, 3: 1}, more=more)
    with DiscImage(sheet) as image:
        for seed in range(20):
            drive = SimulatedDrive(image, DriveProfile(sub_channel_errors=0.2, seed=seed))
            bare = drive.toc()
            assert all(one.pregap_start is None for one in bare.tracks)
            found = with_indexes(bare, drive)
            assert [one.pregap_start for one in found.tracks] == [0, 48, 89]
            assert found.tracks[2].further_indexes == (105, 115)
            assert found.digest == bare.digest == image.toc.digest


def test_sound_in_an_ordinary_gap_is_measured(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (0, 40, 80), 120, gaps={2: 10, 3: 8}, silent=[(30, 40), (76, 80)])
    with DiscImage(sheet) as image:
        drive = SimulatedDrive(image, DriveProfile())
        toc = with_indexes(drive.toc(), drive)
        reading = read_tracks(drive, toc, tmp_path, [1, 2, 3])
    assert [one.gap_after_silent_share for one in reading.tracks] == [1.0, 0.5, None]


def test_the_better_reading_of_a_track_counts_and_the_later_of_equals() -> None:
    def track(verdict_of: str, crc: str) -> TrackRead:
        return TrackRead(
            number=1,
            first_frame=0,
            end_frame=9,
            first_crc32=crc,
            second_crc32=None if verdict_of == "once" else crc,
            crc32=crc,
            sha256="",
            peak=1,
            settled=(),
            disputed=(3,) if verdict_of == "bad" else (),
            rereads=0,
            silent_share=0.0,
            witness_sum=None,
        )

    class Record:
        def __init__(self, one: TrackRead) -> None:
            self.tracks = (one,)

    order = [track("bad", "1"), track("good", "2"), track("once", "3"), track("good", "4"), track("bad", "5")]
    assert best(Record(one) for one in order)[1].crc32 == "4"  # type: ignore[misc]
    assert not settled_opening({1: order[0]})
