"""What each kind of job is asked with: the contract between whoever asks and what a worker runs."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from inkwell_groove.core.disc.record import OffsetFrom
from inkwell_groove.core.restoration.steps import Restoration
from inkwell_groove.workroom.jobs.kind import Arguments


class OfTake(Arguments):
    """Work on one take."""

    sha256: str
    name: str  # of the take, for messages


class TakeIn(Arguments):
    """An upload that becomes a take."""

    upload_id: int
    name: str
    sha256: str | None = None  # of the file, where the server found it out while it came in
    has_peaks: bool = False  # the server drew it while it came in
    mend: bool = False  # take what a file with a false header really holds
    who: str


class Keep(Arguments):
    """A finished recording that becomes a take."""

    recording_id: int
    name: str
    samples_sha256: str | None = None  # of the samples as they came, where that is known


class Join(Arguments):
    """Takes that become one, one behind the other."""

    side_id: int
    take_ids: list[int]
    sha256s: list[str]
    name: str
    note: str  # for the file's bext chunk
    who: str


class ScanTake(OfTake):
    """A scan of a take for damage: of all of it, or of some stretches from one on."""

    whole_id: int | None = None  # the number of the job that is done in pieces, where it is
    first: int = 0
    stretches: int | None = None


class CompareTakes(Arguments):
    sha256s: list[str]
    names: list[str]


class FindTracks(OfTake):
    """Track boundaries within a side's stretch of its take."""

    side_id: int
    side_start_sample: int | None = None
    side_end_sample: int | None = None
    count: int | None = None
    durations_s: list[float | None] | None = None
    settings: dict[str, Any] = Field(default_factory=dict)
    fixed: list[dict[str, Any]] = Field(default_factory=list)
    who: str


class Restore(OfTake):
    """A starting point, with the amount that the take itself proposes."""

    side_id: int
    point: dict[str, Any]
    who: str


class WithRestoration(OfTake):
    """Work on a whole take as some settings restore it."""

    restoration: Restoration


class Seal(Arguments):
    order: dict[str, Any]
    basis: str  # a digest of what is sealed
    package: str  # the package's folder below `sealed`
    earlier: dict[str, Any] | None = None  # a package of which parts may be kept: folder, album, sealed_at
    who: str


class ReadDisc(Arguments):
    read_id: int
    drive: dict[str, Any]
    digest: str | None  # of the disc that it must be
    numbers: list[int]
    twice: bool
    slowly: bool
    eject: bool
    offset_samples: int | None
    offset_from: OffsetFrom
    register_address: str | None
    timeout_s: float
    who: str
    read_at: str


class DiscTake(Arguments):
    """A whole disc as one take, from the files of its tracks."""

    side_id: int
    toc: dict[str, Any]
    files: dict[str, str]  # by track number: a path below the readings
    name: str
    who: str


class BringIn(Arguments):
    """A folder or ZIP of files that others made."""

    bundle_id: int
    source: str
    in_place: bool
    apart: bool = False  # the source is one file, to be cut into tracks


class OfStep(Arguments):
    """A step of work on files; its order lies in the step's folder."""

    step_id: int


class UndoStep(OfStep):
    who: str
    then: list[int] = Field(default_factory=list)  # ledger entries to be undone after it


class Survey(Arguments):
    run_id: int
    house: dict[str, Any]
    places: list[str] | None  # what changed since the last one, or everything
    roots: dict[str, str]  # where the folders that were brought in lie, by number
    in_place: list[str]


class InFolder(Arguments):
    """Work whose order lies in a folder of its own, where what was found is written."""

    folder: str


class Listen(InFolder):
    """Files to be listened to: all of the order, or some from one on."""

    who: str
    first: int = 0
    files: int | None = None


class MoveFiles(InFolder):
    who: str
    then: list[int] = Field(default_factory=list)  # ledger entries to be undone after it


class OfPackage(Arguments):
    """Work on a package and on its second copy."""

    package_id: int
    folder: str
    expected: dict[str, str]  # SHA-256 by name
    size_bytes: int
    bytes_per_s: float | None = None
    second_root: str | None = None
    audit_id: int | None = None
    who: str = "fixity"


class OfAudit(Arguments):
    """A check of many packages, each a piece of it."""

    audit_id: int


class MakeImage(Arguments):
    package_id: int
    disc: str
    masters: str
    target: str
    title: str
    performer: str
    tracks: list[dict[str, Any]]
    who: str


class Carry(Arguments):
    """A part of a package, to a folder that players read."""

    source: str
    target: str
    files: dict[str, str]  # SHA-256 by name
    part: str
    name: str
    who: str


class Unpack(Arguments):
    """A docket that another house sent."""

    parcel: str  # the ZIP, whose names were checked
    takes: dict[str, str]  # names by SHA-256
    pictures: list[str]
    shelfmark: str
    document: dict[str, Any]
    who: str
