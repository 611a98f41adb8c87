"""The record of reading a disc: what was read, how, what each track is worth, and what would make it worth more."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, computed_field

from inkwell_groove.core.disc.cdtext import DiscText
from inkwell_groove.core.disc.drive import DriveFacts
from inkwell_groove.core.disc.toc import Toc, absolute_time
from inkwell_groove.core.disc.witnesses import Register, Witness

Verdict = Literal["proven", "proven but its edge", "agreed", "doubtful", "read once", "damaged"]
RANK: tuple[Verdict, ...] = ("proven", "proven but its edge", "agreed", "doubtful", "read once", "damaged")
OffsetFrom = Literal["the register", "the drive's record", "said by the archivist", "assumed"]


class TrackRead(BaseModel):
    """One track as it was read: frames [first_frame, end_frame). Number 0 is the hidden opening."""

    model_config = ConfigDict(frozen=True)

    number: int
    first_frame: int
    end_frame: int
    first_crc32: str
    second_crc32: str | None = Field(description="None where it was read once.")
    crc32: str = Field(description="Of what was made of the readings.")
    sha256: str = Field(description="Of the same samples, as little-endian bytes.")
    peak: int = Field(description="The largest sample without its sign, of 32768.")
    settled: tuple[int, ...] = Field(description="Frames that differed and were settled by reading them again.")
    disputed: tuple[int, ...] = Field(description="Frames that stay bad.")
    rereads: int = Field(description="How many frames were read again, each time counted.")
    missing_at_start: int = Field(default=0, description="Samples this drive cannot reach; silence in their place.")
    missing_at_end: int = 0
    silent_share: float = Field(ge=0, le=1, description="Share of its samples that are digital silence.")
    gap_after_silent_share: float | None = Field(
        default=None, description="The same of the gap at its end, before the next track; none without one."
    )
    witness_sum: str | None = Field(default=None, description="None for a track too short to be compared.")
    whole_sum: str = ""
    witness: Witness = Witness()
    md5: str = Field(default="", description="Of the FLAC file's samples, decoded again and compared.")

    @computed_field  # type: ignore[prop-decorator]
    @property
    def verdict(self) -> Verdict:
        if self.disputed:
            return "damaged"
        if self.second_crc32 is None:
            return "read once"
        if self.witness.confirms:
            edge = self.missing_at_start or self.missing_at_end or not self.witness.whole
            return "proven but its edge" if edge else "proven"
        return "doubtful" if self.witness.answer == "disagrees" else "agreed"

    @property
    def frames(self) -> int:
        return self.end_frame - self.first_frame

    @property
    def name(self) -> str:
        return f"track {self.number}" if self.number else "the hidden opening"


class Opening(BaseModel):
    """What lies before track 1, as far as this drive tells."""

    model_config = ConfigDict(frozen=True)

    frames: int
    outcome: Literal["kept", "silent", "refused", "not read"]
    silent_share: float | None = None
    words: str


class Gap(BaseModel):
    """The gap before a track, and how much of it is digital silence."""

    model_config = ConfigDict(frozen=True)

    number: int
    frames: int
    silent_share: float


class DiscRecord(BaseModel):
    """One reading of a disc, or of some of its tracks."""

    model_config = ConfigDict(frozen=True)

    application: str
    read_at: str
    read_by: str
    drive: DriveFacts
    offset_samples: int
    offset_from: OffsetFrom
    twice: bool
    toc: Toc
    text: DiscText = DiscText()
    asked: Register = Register()
    opening: Opening | None = None
    tracks: tuple[TrackRead, ...]

    def gaps(self) -> list[Gap]:
        """The gaps that were measured: each lies at the end of the track before it."""
        shares = {one.number + 1: one.gap_after_silent_share for one in self.tracks}
        found = []
        for track in self.toc.audio_tracks[1:]:
            share = shares.get(track.number)
            if share is not None and track.pregap_start is not None:
                found.append(Gap(number=track.number, frames=track.start - track.pregap_start, silent_share=share))
        return found


class Grade(BaseModel):
    """What the readings of a disc are worth together, and why not more."""

    model_config = ConfigDict(frozen=True)

    name: Literal["full proof", "good evidence", "gaps in the evidence", "damaged", "not complete"]
    reasons: tuple[str, ...]


def advice(track: TrackRead) -> str:
    """What to do about a track, in a sentence."""
    match track.verdict:
        case "proven":
            return "Nothing more to do"
        case "proven but its edge":
            missing = track.missing_at_start + track.missing_at_end
            if missing:
                return f"{missing} samples at the disc's edge cannot be read by this drive; one that reads over can"
            return "The outermost samples of the disc rest on two readings alone; a read with another drive would tell"
        case "agreed" if track.witness.answer == "agrees beside its place":
            n = track.witness.beside_samples
            return f"Others have the same audio {abs(n)} samples aside: another pressing, or a wrong offset"
        case "agreed":
            return "Two readings are the same, and nobody else's is known: read it with another drive, and compare"
        case "doubtful":
            return "Every earlier read is different: wipe the disc and read this track again, or use another drive"
        case "read once":
            return "Read it twice: one reading proves nothing"
        case "damaged":
            many = f"{len(track.disputed)} frame{'s' if len(track.disputed) > 1 else ''}"
            what = f"Take the disc out, wipe it from the middle outwards, and read {track.name} again"
            return f"{many} could not be read, from {absolute_time(track.disputed[0])}. {what}"


def best(records: Iterable[DiscRecord]) -> dict[int, TrackRead]:
    """The best reading of each track, the later of two that are worth the same."""
    found: dict[int, TrackRead] = {}
    for record in records:
        for track in record.tracks:
            before = found.get(track.number)
            if before is None or RANK.index(track.verdict) <= RANK.index(before.verdict):
                found[track.number] = track
    return dict(sorted(found.items()))


def grade(records: Iterable[DiscRecord]) -> Grade:
    """What all readings of one disc prove together; `reasons` say what would have to be different for full proof."""
    records = list(records)
    tracks, last = best(records), records[-1]
    by_verdict: dict[Verdict, list[TrackRead]] = {}
    for track in tracks.values():
        by_verdict.setdefault(track.verdict, []).append(track)
    reasons = []
    missing = [track.number for track in last.toc.audio_tracks if track.number not in tracks]
    if missing:
        reasons.append(f"{_tracks(missing)} not read yet")
    for verdict in reversed(RANK):
        if verdict != "proven" and verdict in by_verdict:
            reasons.append(f"{_tracks([one.number for one in by_verdict[verdict]])}: {_WHY[verdict]}")
    opening = next((one.opening for one in reversed(records) if one.opening), None)
    if opening is not None and opening.outcome in ("refused", "not read") and 0 not in tracks:
        reasons.append(opening.words)
    if last.offset_from == "assumed" and not any(one.witness.confirms for one in tracks.values()):
        reasons.append("the drive's offset is not known: a disc that the register knows would tell it")
    if last.asked.trouble and any(one.witness.answer == "not asked" for one in tracks.values()):
        reasons.append(f"the witness register gave no answer: {last.asked.trouble}")
    if not reasons:
        return Grade(name="full proof", reasons=("every sample is as others have read it",))
    if missing:
        return Grade(name="not complete", reasons=tuple(reasons))
    if "damaged" in by_verdict:
        return Grade(name="damaged", reasons=tuple(reasons))
    if by_verdict.keys() & {"doubtful", "read once"} or len(reasons) > len(by_verdict.keys() - {"proven"}):
        return Grade(name="gaps in the evidence", reasons=tuple(reasons))
    return Grade(name="good evidence", reasons=tuple(reasons))


_WHY: dict[Verdict, str] = {
    "proven but its edge": "as others have read it, but for the outermost samples of the disc",
    "agreed": "read twice alike, without a witness",
    "doubtful": "read twice alike, but differently from everybody else",
    "read once": "read only once",
    "damaged": "frames that could not be read",
}


def _tracks(numbers: list[int]) -> str:
    """'track 3', 'tracks 1 to 4, 7', with the opening by its name."""
    words = ["the hidden opening"] if 0 in numbers else []
    runs: list[list[int]] = []
    for number in sorted(one for one in numbers if one):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    if runs:
        told = ", ".join(str(run[0]) if len(run) == 1 else f"{run[0]} to {run[-1]}" for run in runs)
        words.append(f"track{'s' if len(numbers) - (0 in numbers) > 1 else ''} {told}")
    return " and ".join(words)
