"""A docket and what hangs from it: carriers, sides, takes, plans, what is said of it, pictures, packages.

A side's plan is a chain of versions, each pointing at the one it was made from; the side points at the current one, so
undo is moving a pointer. What is said of the release and its tracks is one row a field, each with its origin."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import BigInteger, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from inkwell_groove.store.models.base import EXACT, Base, now

if TYPE_CHECKING:
    from inkwell_groove.store.models.sources import LookUp, SourceChoice


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
    """A check of many packages, each a part of one job."""

    __tablename__ = "audit"

    id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[str] = mapped_column(String(20))
    asked_at: Mapped[datetime] = mapped_column(default=now)
    asked_by: Mapped[str] = mapped_column(String(100))
    packages: Mapped[int]
    checked: Mapped[int] = mapped_column(default=0)
    ended_at: Mapped[datetime | None]


class StoredObject(Base):
    """A take or a package that is in object storage, where every byte of it was read back."""

    __tablename__ = "stored_object"

    id: Mapped[int] = mapped_column(primary_key=True)
    take_sha256: Mapped[str | None] = mapped_column(String(64, collation=EXACT), unique=True)
    package_id: Mapped[int | None] = mapped_column(ForeignKey("package.id"), unique=True)
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    stored_at: Mapped[datetime] = mapped_column(default=now)


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
