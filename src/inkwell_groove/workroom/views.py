"""What the workroom shows: frozen values made from rows, which the web sends as they are."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, computed_field

from inkwell_groove.core.artwork import ArtworkFacts
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.description import Release
from inkwell_groove.core.fixity import FileFixity
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.core.sealing.order import SealedAlbum
from inkwell_groove.core.tracks.found import Settings
from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.core.transfer.continuity import Fault
from inkwell_groove.store.models import Artwork, Job, LedgerEntry, Package, Take, Upload, now
from inkwell_groove.workroom.jobs.kind import HELD


class View(BaseModel):
    model_config = ConfigDict(frozen=True)


class Refusal(View):
    """Why something could not be done: what, where, and what to do."""

    what: str
    where: str | None = None
    remedy: str | None = None
    code: str | None = None
    found_samples: int | None = None
    declared_samples: int | None = None


class JobView(View):
    id: int
    parent_id: int | None = Field(default=None, description="The job that this one is a piece of.")
    kind: str
    docket_id: int | None
    subject: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    progress: float = Field(ge=0, le=1)
    message: str
    time_left_s: float | None = None
    failure: Refusal | None = None
    asked_at: datetime
    started_at: datetime | None
    ended_at: datetime | None

    @classmethod
    def of(cls, job: Job) -> Self:
        return cls(
            id=job.id,
            parent_id=job.parent_id,
            kind=job.kind,
            docket_id=job.docket_id,
            subject=job.subject,
            state="waiting" if job.state == HELD else job.state,
            progress=job.progress,
            message=job.message,
            failure=Refusal.model_validate(job.failure) if job.failure else None,
            asked_at=job.asked_at,
            started_at=job.started_at,
            ended_at=job.ended_at,
        )

    def with_time_left(self) -> Self:
        """Time left by the rate so far; said only once there is a rate worth the name."""
        if self.started_at is None or self.progress < 0.05:
            return self
        spent_s = (now() - self.started_at).total_seconds()
        return self.model_copy(update={"time_left_s": spent_s * (1 - self.progress) / self.progress})


class TransferMark(View):
    """Something that happened while a take was recorded, at its sample."""

    kind: Literal["began", "paused", "went on", "turned over", "gain changed", "ended", "server stopped"]
    at_sample: int
    at: datetime
    words: str
    side_id: int | None = Field(default=None, description="For a turn-over: the side that follows.")
    source_sample: int | None = Field(default=None, description="After a pause: the same sample by the source's count.")


class Transferred(View):
    """How a take was recorded here."""

    source: str
    chain: Chain
    gain_db: float | None
    began_at: datetime
    ended: str
    marks: list[TransferMark]
    faults: list[Fault]
    samples_sha256: str | None = Field(description="Of the samples alone, as the disk gives them back.")
    read_back: bool = Field(default=False, description="Whether they were compared with the samples as they came in.")


class TakeView(View):
    id: int
    name: str
    sha256: str
    size_bytes: int
    format: SoundFormat
    note: str
    sample_peak_dbfs: float | None
    clipped_runs: int | None
    taken_in_at: datetime
    taken_in_by: str
    transferred: Transferred | None = Field(default=None, description="None for a file that was brought.")

    @classmethod
    def of(cls, take: Take) -> Self:
        return cls(
            id=take.id,
            name=take.name,
            sha256=take.sha256,
            size_bytes=take.size_bytes,
            format=format_of(take),
            note=take.note,
            sample_peak_dbfs=take.sample_peak_dbfs,
            clipped_runs=take.clipped_runs,
            taken_in_at=take.taken_in_at,
            taken_in_by=take.taken_in_by,
            transferred=Transferred.model_validate(take.transferred) if take.transferred else None,
        )


def format_of(take: Take) -> SoundFormat:
    return SoundFormat(
        container=take.container,
        word=take.word,
        rate_hz=take.rate_hz,
        channels=take.channels,
        samples=take.samples,
        lossless=take.lossless,
    )


SnapTo = Literal["quietest moment", "zero crossing"]


class Knowledge(View):
    """What is known of a side's tracks when they are to be found. Nothing is fine."""

    count: int | None = Field(default=None, ge=1, le=99)
    durations_s: list[float | None] | None = Field(default=None, description="The catalogue's, none where missing.")
    settings: Settings = Settings()
    keep: bool = Field(default=True, description="Whether joins set by hand or signed off stay where they are.")


class PlanView(View):
    """The current version of a side's plan, and whether there is something to undo or redo."""

    version: int
    plan: Plan
    undo: str | None = Field(description="What undo would take back; none where there is nothing.")
    redo: str | None

    @computed_field(description="Whether the sound is left as it is.")
    def at_rest(self) -> bool:
        return self.plan.restoration.at_rest


class TrackLine(View):
    """A track as a line of the docket: its number on the whole release, its place, its fields and their origins."""

    key: str
    number: int
    disc: int = Field(default=0, description="Which disc of several it is on; 0 where there is but one.")
    side_id: int
    title: str
    artist: str
    fields: dict[str, str] = Field(default={}, description="All that is said of it, title and artist too.")
    origins: dict[str, str]
    start_sample: int
    end_sample: int
    rate_hz: int
    confidence: float | None


class SideView(View):
    id: int
    letter: str
    name: str = Field(description="What it is called: Side A, or Disc 2.")
    expected_s: float | None = Field(description="How long it should be, as somebody said; none where nobody did.")
    takes: list[TakeView]
    chosen_take_id: int | None
    plan: PlanView | None
    tracks: list[TrackLine]


class CarrierView(View):
    id: int
    number: int
    format: str
    speed: str
    equalisation: str
    condition: str
    playing_order: str
    tape_type: str
    noise_reduction: str
    sides: list[SideView]


class ArtworkView(View):
    id: int
    role: str
    name: str
    origin: str
    facts: ArtworkFacts
    is_square: bool
    added_at: datetime

    @classmethod
    def of(cls, artwork: Artwork, advice: tuple[str, ...] = ()) -> Self:
        facts = artwork_facts(artwork).model_copy(update={"advice": advice})
        return cls(
            id=artwork.id,
            role=artwork.role,
            name=artwork.name,
            origin=artwork.origin,
            facts=facts,
            is_square=facts.is_square,
            added_at=artwork.added_at,
        )


def artwork_facts(artwork: Artwork) -> ArtworkFacts:
    return ArtworkFacts(
        mime=artwork.mime,
        width_px=artwork.width_px,
        height_px=artwork.height_px,
        bits_per_pixel=artwork.bits_per_pixel,
        size_bytes=artwork.size_bytes,
    )


class FixityView(View):
    """When a package was last verified, and what was found then that is not as it was sealed."""

    verified_at: datetime | None
    findings: list[FileFixity]
    second_copy: str = Field(description="Whether there is one, in words; empty where none is kept.")

    @classmethod
    def of(cls, package: Package) -> Self:
        told = package.fixity or {}
        return cls(
            verified_at=package.verified_at,
            findings=[FileFixity.model_validate(one) for one in told.get("findings", [])],
            second_copy=told.get("second_copy", ""),
        )


class PackageView(View):
    id: int
    folder: str
    album: SealedAlbum
    sealed_at: datetime
    sealed_by: str
    is_current: bool
    fixity: FixityView


class UploadView(View):
    """A recording on its way in: `received_bytes` is where to go on after a lost connection."""

    id: int
    docket_id: int
    side_id: int
    name: str
    size_bytes: int
    received_bytes: int
    state: Literal["receiving", "taking in", "refused"]
    refusal: Refusal | None

    @classmethod
    def of(cls, upload: Upload, received_bytes: int) -> Self:
        return cls(
            id=upload.id,
            docket_id=upload.docket_id,
            side_id=upload.side_id,
            name=upload.name,
            size_bytes=upload.size_bytes,
            received_bytes=received_bytes,
            state=upload.state,
            refusal=Refusal.model_validate(upload.refusal) if upload.refusal else None,
        )


Standing = Literal["empty", "under way", "ready to seal", "sealed", "changed since sealing"]


class Evidence(View):
    """One line for a stage, and whether it is done, wants attention, or has not begun."""

    stage: Literal["intake", "transfer", "disc", "tracks", "repair", "sources", "describe", "artwork", "seal"]
    line: str
    mood: Literal["done", "doubtful", "missing", "not begun"]


class DocketLine(View):
    """A docket on the shelf."""

    id: int
    shelfmark: str
    title: str
    album_artist: str
    format: str
    standing: Standing
    evidence: list[Evidence]
    duration_s: float
    cover_id: int | None
    changed_at: datetime


class DocketView(View):
    id: int
    shelfmark: str
    standing: Standing
    release: Release
    origins: dict[str, str]
    carriers: list[CarrierView]
    uploads: list[UploadView]
    artwork: list[ArtworkView]
    packages: list[PackageView]
    evidence: list[Evidence]
    folder_pattern: str
    file_pattern: str
    profile: str = Field(description="The name of its sealing profile.")
    names: list[str] = Field(description="What the filing pattern makes of each track, folders included.")
    missing: list[str] = Field(description="What must be filled before sealing.")
    created_at: datetime
    changed_at: datetime


class LedgerLine(View):
    id: int
    at: datetime
    who: str
    docket_id: int | None
    shelfmark: str | None
    action: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
    # Whether it can be taken back now, or once what was done later is; none for what only tells.
    way_back: Literal["open", "behind"] | None

    @classmethod
    def of(cls, entry: LedgerEntry, shelfmark: str | None, *, is_open: bool) -> Self:
        return cls(
            id=entry.id,
            at=entry.at,
            who=entry.who,
            docket_id=entry.docket_id,
            shelfmark=shelfmark,
            action=entry.action,
            before=entry.before,
            after=entry.after,
            way_back=None if entry.way_back is None else "open" if is_open else "behind",
        )
