"""A docket as one ZIP for another house: what its `docket.json` says, and which files lie beside it.

    docket.json          everything the rows say: carriers, sides, takes, every version of the plans, readings of discs,
                         description with origins, pictures, ledger
    takes/SHA256         the takes themselves, bit for bit
    pictures/SHA256      the pictures
    discs/1/02.flac      the tracks of each reading of a disc

What can be made again from a take (its waveform, what was heard of it) is made again where it comes in.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from inkwell_groove.core import archives
from inkwell_groove.core.audio.sound import MAX_CHANNELS, MAX_RATE_HZ, Word
from inkwell_groove.core.disc.record import DiscRecord
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.workroom.files.folders import MOST_FILES
from inkwell_groove.workroom.views import Transferred

DOCUMENT = "docket.json"
KIND: Final = "docket of Inkwell Groove"
VERSION: Final[Literal[1]] = 1
_MOST_DOCUMENT_BYTES = 64 << 20
_LONG = 16_000  # a TEXT column holds 65,535 bytes, whatever the characters
_SHA256 = r"[0-9a-f]{64}"
_NAME = re.compile(rf"docket\.json|(?:takes|pictures)/{_SHA256}|discs/\d{{1,6}}/\w[\w. -]{{0,99}}", re.ASCII)
_REMEDY = "Export the docket anew where it comes from"


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, from_attributes=True)


def _text(most: int) -> Any:
    """A text that goes into its column."""
    return Field(max_length=most)


class ParcelTake(_Part):
    name: str = _text(255)
    sha256: str = Field(pattern=rf"^{_SHA256}$")
    size_bytes: int = Field(ge=0)
    container: str = _text(20)
    word: Word
    rate_hz: int = Field(ge=1, le=MAX_RATE_HZ)
    channels: int = Field(ge=1, le=MAX_CHANNELS)
    samples: int = Field(ge=0, lt=2**63)
    lossless: bool
    note: str = _text(_LONG)
    sample_peak_dbfs: float | None
    clipped_runs: int | None
    taken_in_at: datetime
    taken_in_by: str = _text(100)
    transferred: Transferred | None
    side_start_sample: int = Field(ge=0, lt=2**63)
    side_end_sample: int | None = Field(ge=0, lt=2**63)


class ParcelVersion(_Part):
    """One version of a plan; `id` and `parent_id` are those of the house it comes from."""

    id: int
    parent_id: int | None
    document: Plan
    action: str = _text(200)
    made_at: datetime
    made_by: str = _text(100)


class ReadAsked(BaseModel):
    """What was to be read of a disc, and how, as its row has it."""

    model_config = ConfigDict(frozen=True, extra="allow")

    numbers: list[int]
    twice: bool
    eject: bool
    drive_name: str
    offset_samples: int | None
    offset_from: str


class ParcelRead(_Part):
    """One reading of a disc; its files lie in `discs/` under its number."""

    id: int
    drive_id: str = _text(40)
    state: Literal["read", "failed", "cancelled"]
    asked: ReadAsked
    record: DiscRecord | None
    refusal: dict[str, Any] | None
    began_at: datetime
    began_by: str = _text(100)


class ParcelSide(_Part):
    letter: str = Field(min_length=1, max_length=2)
    expected_s: float | None
    takes: tuple[ParcelTake, ...]
    chosen_take: int | None = Field(default=None, description="Which of them, counted from 0.")
    plan_version_id: int | None
    versions: tuple[ParcelVersion, ...] = ()
    disc_reads: tuple[ParcelRead, ...] = ()


class ParcelCarrier(_Part):
    number: int
    format: str = _text(40)
    speed: str = _text(40)
    equalisation: str = _text(80)
    condition: str = _text(_LONG)
    playing_order: str = _text(40)
    tape_type: str = _text(40)
    noise_reduction: str = _text(40)
    sides: tuple[ParcelSide, ...]


class ParcelField(_Part):
    track_key: str = _text(32)
    field: str = _text(40)
    value: str = _text(_LONG)
    origin: str = _text(60)
    changed_at: datetime


class ParcelPicture(_Part):
    role: str = _text(20)
    name: str = _text(255)
    sha256: str = Field(pattern=rf"^{_SHA256}$")
    mime: str = _text(40)
    width_px: int
    height_px: int
    bits_per_pixel: int
    size_bytes: int
    origin: str = _text(60)
    added_at: datetime


class ParcelEntry(_Part):
    at: datetime
    who: str = _text(100)
    action: str = _text(300)
    before: dict[str, Any] | None
    after: dict[str, Any] | None


class ParcelProfile(_Part):
    name: str
    profile: Profile


class Parcel(_Part):
    """Everything that is said of a docket."""

    kind: Literal["docket of Inkwell Groove"] = KIND
    version: Literal[1] = VERSION
    shelfmark: str = Field(min_length=1, max_length=100)
    folder_pattern: str = _text(300)
    file_pattern: str = _text(300)
    profile: ParcelProfile | None
    created_at: datetime
    carriers: tuple[ParcelCarrier, ...] = Field(min_length=1)
    fields: tuple[ParcelField, ...]
    artwork: tuple[ParcelPicture, ...]
    ledger: tuple[ParcelEntry, ...]

    def sides(self) -> Iterator[ParcelSide]:
        for carrier in self.carriers:
            yield from carrier.sides

    def takes(self) -> dict[str, ParcelTake]:
        """Each recording once, by its SHA-256."""
        return {take.sha256: take for side in self.sides() for take in side.takes}


def unpacked_folder(parcel: Path) -> Path:
    """Return where the readings of discs wait that came in a ZIP."""
    return parcel.with_name(f"{parcel.name} discs")


def read_parcel(path: Path, *, max_bytes: int) -> Parcel:
    """What a received ZIP says, its list of files checked, nothing unpacked. Raises Refused, naming what is wrong."""
    with archives.opened(path, where="the ZIP", remedy=_REMEDY) as archive:
        parts = archives.parts_of(
            archive,
            where="the ZIP",
            most_parts=MOST_FILES,
            most_bytes=max_bytes,
            packed_bytes=path.stat().st_size,
        )
        entries = {one.filename: one for one in parts}
        if len(entries) < len(parts):
            raise Refused("a file is in it twice", where=path.name, remedy=_REMEDY)
        for name, entry in entries.items():
            if not _NAME.fullmatch(name):
                raise Refused(f"'{name[:80]}' does not belong into a docket", where="the ZIP", remedy=_REMEDY)
            if entry.flag_bits & 1:
                raise Refused("it is encrypted", where=name, remedy="Send it without a password")
        document = entries.get(DOCUMENT)
        if document is None or document.file_size > _MOST_DOCUMENT_BYTES:
            raise Refused(f"there is no {DOCUMENT} in it", where="the ZIP", remedy="Give a docket's own ZIP")
        text = archives.read(archive, document)
    try:
        parcel = Parcel.model_validate_json(text)
    except ValidationError as cause:
        first = cause.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise Refused(f"{place}: {first['msg']}" if place else first["msg"], where=DOCUMENT, remedy=_REMEDY) from cause
    for sha256, take in parcel.takes().items():
        stored = entries.get(f"takes/{sha256}")
        if stored is None or stored.file_size != take.size_bytes:
            raise Refused(f"the take {take.name} is not whole in it", where="the ZIP", remedy=_REMEDY)
    for picture in parcel.artwork:
        if f"pictures/{picture.sha256}" not in entries:
            raise Refused(f"the picture {picture.name} is not in it", where="the ZIP", remedy=_REMEDY)
    _check_once("carrier", [carrier.number for carrier in parcel.carriers])
    for carrier in parcel.carriers:
        _check_once(f"side of carrier {carrier.number}", [side.letter for side in carrier.sides])
    _check_once("field", [(one.track_key, one.field) for one in parcel.fields])
    for side in parcel.sides():
        _check_side(side)
    return parcel


def _check_once(what: str, names: Sequence[Any]) -> None:
    """Raises Refused where something is said twice that there is but once."""
    seen = set()
    for name in names:
        if name in seen:
            raise Refused(f"the {what} {name} is in it twice", where=DOCUMENT, remedy=_REMEDY)
        seen.add(name)


def _check_side(side: ParcelSide) -> None:
    """Raises Refused where what it points at is not there."""
    known = {version.id for version in side.versions}
    before: set[int] = set()
    for version in side.versions:
        if version.parent_id is not None and version.parent_id not in before:
            raise Refused(
                f"version {version.id} of side {side.letter} comes before its own origin",
                where=DOCUMENT,
                remedy=_REMEDY,
            )
        before.add(version.id)
    if side.plan_version_id is not None and side.plan_version_id not in known:
        raise Refused(f"the plan of side {side.letter} is not in it", where=DOCUMENT, remedy=_REMEDY)
    if side.chosen_take is not None and not 0 <= side.chosen_take < len(side.takes):
        raise Refused(f"the chosen take of side {side.letter} is not in it", where=DOCUMENT, remedy=_REMEDY)
