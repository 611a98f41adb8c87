"""The tables.

A docket has carriers, a carrier sides, a side takes, of which one is chosen. A side's plan is a chain of versions,
each pointing at the one it was made from; the side points at the current one, so undo is moving a pointer. What is
said of the release and its tracks is one row a field, each with its origin. Jobs, packages, recordings that are going
on and the ledger hang from the docket. A chain is said once, and copied into every take that came through it.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, Literal

from sqlalchemy import (
    JSON,
    BigInteger,
    DateTime,
    FetchedValue,
    ForeignKey,
    Index,
    MetaData,
    String,
    Text,
    TypeDecorator,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

_NOW = text("CURRENT_TIMESTAMP(6)")
EXACT = "utf8mb4_bin"  # names that must match to the letter

JobState = Literal["waiting", "running", "done", "failed", "cancelled"]


class UtcDateTime(TypeDecorator[datetime]):
    """Aware times in UTC, to the microsecond; MariaDB itself knows no zones."""

    impl = DateTime
    cache_ok = True

    def load_dialect_impl(self, dialect: Any) -> Any:
        return dialect.type_descriptor(DATETIME(fsp=6))

    def process_bind_param(self, value: datetime | None, _: Any) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, _: Any) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy's own form
        datetime: UtcDateTime(),
        dict[str, Any]: JSON(none_as_null=True),
    }


def now() -> datetime:
    return datetime.now(UTC)


class Docket(Base):
    """The job for one release. Everything hangs from it."""

    __tablename__ = "docket"

    id: Mapped[int] = mapped_column(primary_key=True)
    shelfmark: Mapped[str] = mapped_column(String(100, collation=EXACT), unique=True)
    folder_pattern: Mapped[str] = mapped_column(String(300))
    file_pattern: Mapped[str] = mapped_column(String(300))
    # What sealing writes: {"name", "profile"}, copied when it is chosen; the standing one without.
    profile: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    changed_at: Mapped[datetime] = mapped_column(default=now)

    carriers: Mapped[list[Carrier]] = relationship(back_populates="docket", order_by="Carrier.number")
    fields: Mapped[list[DescribedValue]] = relationship(back_populates="docket")
    artwork: Mapped[list[Artwork]] = relationship(back_populates="docket", order_by="Artwork.id")
    packages: Mapped[list[Package]] = relationship(back_populates="docket", order_by="Package.id")
    look_up: Mapped[LookUp | None] = relationship()
    source_choice: Mapped[SourceChoice | None] = relationship()


class Carrier(Base):
    """A physical object: what it is, how it is played, what state it is in."""

    __tablename__ = "carrier"
    __table_args__ = (UniqueConstraint("docket_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"))
    number: Mapped[int]
    format: Mapped[str] = mapped_column(String(40))
    speed: Mapped[str] = mapped_column(String(40), default="")
    equalisation: Mapped[str] = mapped_column(String(80), default="")
    condition: Mapped[str] = mapped_column(Text, default="")
    playing_order: Mapped[str] = mapped_column(String(40), default="")
    tape_type: Mapped[str] = mapped_column(String(40), default="")
    noise_reduction: Mapped[str] = mapped_column(String(40), default="")

    docket: Mapped[Docket] = relationship(back_populates="carriers")
    sides: Mapped[list[Side]] = relationship(back_populates="carrier", order_by="Side.letter")


class Side(Base):
    """Side A or B. Points at its chosen take and at the current version of its plan."""

    __tablename__ = "side"
    __table_args__ = (UniqueConstraint("carrier_id", "letter"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    carrier_id: Mapped[int] = mapped_column(ForeignKey("carrier.id"))
    letter: Mapped[str] = mapped_column(String(2))
    expected_s: Mapped[float | None]
    chosen_take_id: Mapped[int | None] = mapped_column(ForeignKey("take.id", use_alter=True))
    plan_version_id: Mapped[int | None] = mapped_column(ForeignKey("plan_version.id", use_alter=True))

    carrier: Mapped[Carrier] = relationship(back_populates="sides")
    takes: Mapped[list[Take]] = relationship(back_populates="side", foreign_keys="Take.side_id", order_by="Take.id")
    chosen_take: Mapped[Take | None] = relationship(foreign_keys=[chosen_take_id], post_update=True)
    plan_version: Mapped[PlanVersion | None] = relationship(foreign_keys=[plan_version_id], post_update=True)
    disc_reads: Mapped[list[DiscRead]] = relationship(back_populates="side", order_by="DiscRead.id")


class Take(Base):
    """One immutable recording. Its file lies in the media store under its SHA-256."""

    __tablename__ = "take"

    id: Mapped[int] = mapped_column(primary_key=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"))
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64, collation=EXACT), index=True)
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    container: Mapped[str] = mapped_column(String(20))
    word: Mapped[str] = mapped_column(String(4))
    rate_hz: Mapped[int]
    channels: Mapped[int]
    samples: Mapped[int] = mapped_column(BigInteger)
    lossless: Mapped[bool]
    note: Mapped[str] = mapped_column(Text, default="")
    sample_peak_dbfs: Mapped[float | None]
    clipped_runs: Mapped[int | None]
    taken_in_at: Mapped[datetime] = mapped_column(default=now)
    taken_in_by: Mapped[str] = mapped_column(String(100))
    # How it was recorded here (`views.Transferred`); none for a file that was brought.
    transferred: Mapped[dict[str, Any] | None]
    # Where the side lies in a take of several sides; the same file then is a take of each of them.
    side_start_sample: Mapped[int] = mapped_column(BigInteger, default=0)
    side_end_sample: Mapped[int | None] = mapped_column(BigInteger)

    side: Mapped[Side] = relationship(back_populates="takes", foreign_keys=[side_id])


class PlanVersion(Base):
    """One version of a side's plan, and what was done to reach it from its parent."""

    __tablename__ = "plan_version"

    id: Mapped[int] = mapped_column(primary_key=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("plan_version.id"), index=True)
    document: Mapped[dict[str, Any]]
    action: Mapped[str] = mapped_column(String(200))
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))


class DescribedValue(Base):
    """One field of the release (`track_key` empty) or of a track, and where its value came from."""

    __tablename__ = "described_value"
    __table_args__ = (UniqueConstraint("docket_id", "track_key", "field"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"))
    track_key: Mapped[str] = mapped_column(String(32, collation=EXACT), default="")
    field: Mapped[str] = mapped_column(String(40))
    value: Mapped[str] = mapped_column(Text)
    origin: Mapped[str] = mapped_column(String(60))
    changed_at: Mapped[datetime] = mapped_column(default=now)

    docket: Mapped[Docket] = relationship(back_populates="fields")


class Artwork(Base):
    """An image and its role. One front cover at a time; earlier ones stay, with the role 'set aside'."""

    __tablename__ = "artwork"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    role: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64, collation=EXACT))
    mime: Mapped[str] = mapped_column(String(40))
    width_px: Mapped[int]
    height_px: Mapped[int]
    bits_per_pixel: Mapped[int]
    size_bytes: Mapped[int]
    origin: Mapped[str] = mapped_column(String(60))
    added_at: Mapped[datetime] = mapped_column(default=now)

    docket: Mapped[Docket] = relationship(back_populates="artwork")


class Package(Base):
    """What one sealing wrote. `basis` is the digest of everything it was made from."""

    __tablename__ = "package"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    folder: Mapped[str] = mapped_column(String(700))
    basis: Mapped[str] = mapped_column(String(64, collation=EXACT))
    album: Mapped[dict[str, Any]]
    sealed_at: Mapped[datetime] = mapped_column(default=now)
    sealed_by: Mapped[str] = mapped_column(String(100))
    verified_at: Mapped[datetime | None]
    # What the last check found: {"findings": [...], "files": n, "second_copy": words}; none before the first.
    fixity: Mapped[dict[str, Any] | None]

    docket: Mapped[Docket] = relationship(back_populates="packages")


class Audit(Base):
    """A check of all packages, one after the other; those verified since it was asked for are done."""

    __tablename__ = "audit"

    id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[str] = mapped_column(String(20))
    asked_at: Mapped[datetime] = mapped_column(default=now)
    asked_by: Mapped[str] = mapped_column(String(100))
    packages: Mapped[int]
    checked: Mapped[int] = mapped_column(default=0)
    ended_at: Mapped[datetime | None]


class Upload(Base):
    """A recording or picture on its way in, as far as it has come."""

    __tablename__ = "upload"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"))
    name: Mapped[str] = mapped_column(String(255))
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    state: Mapped[str] = mapped_column(String(20), default="receiving")
    refusal: Mapped[dict[str, Any] | None]
    started_at: Mapped[datetime] = mapped_column(default=now)


class StoredChain(Base):
    """A chain, stored once. Never changed: another one gets a row of its own, and this one may be retired."""

    __tablename__ = "chain"

    id: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))
    retired_at: Mapped[datetime | None]


class StoredStartingPoint(Base):
    """A plan's steps saved as something to start from, besides those the application brings."""

    __tablename__ = "starting_point"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    made_by: Mapped[str] = mapped_column(String(100))


class Recording(Base):
    """A recording that is going on, or ended and is being made a take. Its row outlives the server that began it.

    `document` is what is needed to finish it without that server: `recorder.Begun`, as data.
    """

    __tablename__ = "recording"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"))
    transfer_key: Mapped[str] = mapped_column(String(32, collation=EXACT), index=True)
    state: Mapped[str] = mapped_column(String(30), default="recording")
    document: Mapped[dict[str, Any]]
    refusal: Mapped[dict[str, Any] | None]
    began_at: Mapped[datetime] = mapped_column(default=now)


class OpticalDrive(Base):
    """What is known of a drive: how many samples late it delivers, and who or what says so."""

    __tablename__ = "optical_drive"

    id: Mapped[str] = mapped_column(String(40, collation=EXACT), primary_key=True)
    offset_samples: Mapped[int]
    offset_from: Mapped[str] = mapped_column(String(40))
    found_at: Mapped[datetime] = mapped_column(default=now)


class DiscRead(Base):
    """One attempt at reading a disc or some of its tracks, whose files lie in the media store under its number.

    `asked` is what was to be read and how; `record` what came of it (`core.disc.record.DiscRecord`), once it is read.
    """

    __tablename__ = "disc_read"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"), index=True)
    drive_id: Mapped[str] = mapped_column(String(40, collation=EXACT))
    job_id: Mapped[int | None]
    state: Mapped[str] = mapped_column(String(20), default="reading")
    asked: Mapped[dict[str, Any]]
    record: Mapped[dict[str, Any] | None]
    refusal: Mapped[dict[str, Any] | None]
    began_at: Mapped[datetime] = mapped_column(default=now)
    began_by: Mapped[str] = mapped_column(String(100))

    side: Mapped[Side] = relationship(back_populates="disc_reads")


class SourceAnswer(Base):
    """What a source answered to a question, by the question's digest: asked for again only once it is old."""

    __tablename__ = "source_answer"

    source: Mapped[str] = mapped_column(String(60, collation=EXACT), primary_key=True)
    key: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    body: Mapped[bytes] = mapped_column(MEDIUMBLOB)
    fetched_at: Mapped[datetime] = mapped_column(default=now)


class LookUp(Base):
    """A docket's newest look-up: what was asked, how each source answered, and the releases that came of it.

    `outcome` is what it came to, for lists; what a docket's own screen shows is weighed anew.
    """

    __tablename__ = "look_up"

    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), primary_key=True)
    state: Mapped[str] = mapped_column(String(20))
    asks: Mapped[list[Any]] = mapped_column(JSON)
    answers: Mapped[list[Any]] = mapped_column(JSON)
    releases: Mapped[list[Any]] = mapped_column(JSON)
    heard: Mapped[dict[str, Any]]
    outcome: Mapped[dict[str, Any] | None]
    began_at: Mapped[datetime] = mapped_column(default=now)
    began_by: Mapped[str] = mapped_column(String(100))


class SourceChoice(Base):
    """The pressing chosen for a docket: what each source says of it, and which of its tracks is which here.

    `pairs` are [track key or none, place in the release or none] as somebody paired them by hand; empty where they are
    laid by themselves. `taken_back` is what stood before the last values were taken, so that they can be given back.
    """

    __tablename__ = "source_choice"

    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), primary_key=True)
    entries: Mapped[list[Any]] = mapped_column(JSON)
    pairs: Mapped[list[Any]] = mapped_column(JSON)
    taken_back: Mapped[list[Any] | None] = mapped_column(JSON(none_as_null=True))
    chosen_at: Mapped[datetime] = mapped_column(default=now)
    chosen_by: Mapped[str] = mapped_column(String(100))


class SourceRule(Base):
    """How often a source's word was taken for a field, and whether it is preferred by hand (`core` has `Rule`)."""

    __tablename__ = "source_rule"

    field: Mapped[str] = mapped_column(String(40), primary_key=True)
    source: Mapped[str] = mapped_column(String(60, collation=EXACT), primary_key=True)
    taken: Mapped[int] = mapped_column(default=0)
    passed_over: Mapped[int] = mapped_column(default=0)
    fixed: Mapped[bool] = mapped_column(default=False)


class OwnRelease(Base):
    """A release described here, to be found for the next copy of it (`core.matching.release.SourceRelease`)."""

    __tablename__ = "own_release"
    __table_args__ = (UniqueConstraint("docket_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"))
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))


class Bundle(Base):
    """A folder of files that was brought in: copied into the store, or edited where it lies."""

    __tablename__ = "bundle"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    origin: Mapped[str] = mapped_column(String(1000))
    in_place: Mapped[bool]
    state: Mapped[str] = mapped_column(String(20))
    told: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    changed_at: Mapped[datetime] = mapped_column(server_default=_NOW, server_onupdate=FetchedValue())


class BundleFile(Base):
    """One file of a bundle as it is stored, and what was changed on the sheet but is not written yet.

    `changed_at` is set by the database whenever a row becomes another, by its own clock and in its own time zone: it is
    only ever compared with the same clock. The survey looks at what changed since.
    """

    __tablename__ = "bundle_file"
    __table_args__ = (Index("ix_bundle_file_place", "bundle_id", "path", mysql_length={"path": 191}),)

    id: Mapped[int] = mapped_column(primary_key=True)
    bundle_id: Mapped[int] = mapped_column(ForeignKey("bundle.id"), index=True)
    path: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    kind: Mapped[str] = mapped_column(String(12))
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(String(64))
    audio_digest: Mapped[str] = mapped_column(String(64), index=True)
    origin_path: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    origin_sha256: Mapped[str] = mapped_column(String(64))
    facts: Mapped[dict[str, Any]]
    fields: Mapped[dict[str, Any]]
    pending: Mapped[dict[str, Any]]
    problem: Mapped[dict[str, Any] | None]
    changed_at: Mapped[datetime] = mapped_column(server_default=_NOW, server_onupdate=FetchedValue(), index=True)


class SurveyRun(Base):
    """One survey: by which rules, of what had changed until when."""

    __tablename__ = "survey_run"

    id: Mapped[int] = mapped_column(primary_key=True)
    house: Mapped[str] = mapped_column(String(64))
    seen_until: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    files: Mapped[int]
    by: Mapped[str] = mapped_column(String(100))


class SurveyFinding(Base):
    """One finding. `place` is its release's folder, the bundle's number first; empty for the whole collection."""

    __tablename__ = "survey_finding"
    __table_args__ = (Index("ix_survey_finding_place", "place", mysql_length={"place": 191}),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40), index=True)
    place: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    about: Mapped[str] = mapped_column(String(64), index=True)
    document: Mapped[dict[str, Any]]


class Dismissal(Base):
    """A finding that is none, and why; it is known again by what it is about."""

    __tablename__ = "dismissal"

    about: Mapped[str] = mapped_column(String(64), primary_key=True)
    reason: Mapped[str] = mapped_column(String(500))
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))


NAME_LENGTH = 700  # what an index still covers whole; longer ones are no names


class NameUse(Base):
    """That a file has a name in a field."""

    __tablename__ = "name_use"
    __table_args__ = (Index("ix_name_use_value", "field", "value"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    file_id: Mapped[int] = mapped_column(ForeignKey("bundle_file.id", ondelete="CASCADE"), index=True)
    field: Mapped[str] = mapped_column(String(20))
    value: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT))


class FileStep(Base):
    """One step of work on many files. How it is taken back lies in its journal in the store."""

    __tablename__ = "file_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(20))
    counts: Mapped[dict[str, Any]]
    told: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))


class HouseDocument(Base):
    """A rule that somebody saved: how texts are worded, how files are named, what pictures they have."""

    __tablename__ = "house_document"
    __table_args__ = (UniqueConstraint("kind", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(100))
    position: Mapped[int]
    document: Mapped[dict[str, Any]]


class Job(Base):
    """Long work: what, with what, how far, and how it ended."""

    __tablename__ = "job"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    docket_id: Mapped[int | None] = mapped_column(ForeignKey("docket.id"), index=True)
    subject: Mapped[str] = mapped_column(String(200))
    arguments: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(12), index=True, default="waiting")
    progress: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(String(300), default="")
    attempts: Mapped[int] = mapped_column(default=0)
    failure: Mapped[dict[str, Any] | None]
    result: Mapped[dict[str, Any] | None]
    asked_at: Mapped[datetime] = mapped_column(default=now)
    started_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]


class LedgerEntry(Base):
    """What was done, when, by whom, before and after. Never changed, never deleted."""

    __tablename__ = "ledger"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now, index=True)
    who: Mapped[str] = mapped_column(String(100))
    docket_id: Mapped[int | None] = mapped_column(ForeignKey("docket.id"), index=True)
    action: Mapped[str] = mapped_column(String(300))
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]
