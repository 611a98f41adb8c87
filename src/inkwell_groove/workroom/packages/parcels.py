"""Dockets sent to another house and taken in from one, bit for bit; what clashes is said and nothing is overwritten."""

from __future__ import annotations

import shutil
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import (
    Artwork,
    Carrier,
    DescribedValue,
    DiscRead,
    Docket,
    Job,
    LedgerEntry,
    PlanVersion,
    Side,
    Take,
    now,
)
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import Unpack
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Result
from inkwell_groove.workroom.packages.parcel import (
    DOCUMENT,
    Parcel,
    ParcelCarrier,
    ParcelEntry,
    ParcelField,
    ParcelPicture,
    ParcelProfile,
    ParcelRead,
    ParcelSide,
    ParcelTake,
    ParcelVersion,
    unpacked_folder,
)
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row
from inkwell_groove.workroom.views import JobView

TAKE_IN = "take in parcel"


class Parcels(Part):
    """Sending and taking in."""

    def __init__(self, database: Database, media: MediaStore, events: Events, *, max_bytes: int) -> None:
        super().__init__(database, media, events)
        self._max_bytes = max_bytes

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.parcels:unpack"
        return JobKind(TAKE_IN, function, Unpack, self._unpacked, self._not_unpacked)

    def contents(self, docket_id: int) -> tuple[str, list[tuple[str, Path | bytes]]]:
        """Return a docket's shelfmark, and each file of its parcel: its name in the ZIP, and its path or content.

        Raises Missing.
        """
        with self._database.begin() as session:
            docket = docket_row(session, docket_id)
            entries = session.scalars(
                select(LedgerEntry).where(LedgerEntry.docket_id == docket_id).order_by(LedgerEntry.id)
            )
            versions: dict[int, list[PlanVersion]] = {}
            sides = [side.id for carrier in docket.carriers for side in carrier.sides]
            for version in session.scalars(
                select(PlanVersion).where(PlanVersion.side_id.in_(sides)).order_by(PlanVersion.id)
            ):
                versions.setdefault(version.side_id, []).append(version)
            parcel = _parcel(docket, versions, list(entries))
        files: list[tuple[str, Path | bytes]] = [(DOCUMENT, parcel.model_dump_json(indent=1).encode())]
        files += [(f"takes/{sha256}", self._media.take(sha256)) for sha256 in sorted(parcel.takes())]
        files += [
            (f"pictures/{sha256}", self._media.picture(sha256))
            for sha256 in sorted({one.sha256 for one in parcel.artwork})
        ]
        for side in parcel.sides():
            for read in side.disc_reads:
                folder = self._media.disc_read(read.id)
                files += [(f"discs/{read.id}/{one.name}", one) for one in sorted(folder.glob("*")) if one.is_file()]
        return parcel.shelfmark, files

    def take_in(self, path: Path, *, shelfmark: str, who: str) -> JobView:
        """Asks for a received ZIP to become a docket, under its own shelfmark or another one.

        Raises Refused for a ZIP that is no docket or not whole, Conflict where the shelfmark is on the shelf already.
        """
        parcel = self.decoding.parcel(path, max_bytes=self._max_bytes)
        mark = clean_text(shelfmark) or parcel.shelfmark
        with self._database.begin() as session:
            _not_on_shelf(session, mark)
            arguments = Unpack(
                parcel=self._media.name_of(path),
                takes={sha256: take.name for sha256, take in parcel.takes().items()},
                pictures=sorted({one.sha256 for one in parcel.artwork}),
                shelfmark=mark,
                document=parcel.model_dump(mode="json"),
                who=who,
            )
            job = self.jobs.ask(session, TAKE_IN, docket_id=None, subject=mark, arguments=arguments)
            return JobView.of(job)

    def _unpacked(self, session: Session, job: Job, arguments: Unpack, result: Result) -> None:
        parcel, who, mark = Parcel.model_validate(arguments.document), arguments.who, arguments.shelfmark
        _not_on_shelf(session, mark)
        docket = Docket(
            shelfmark=mark,
            folder_pattern=parcel.folder_pattern,
            file_pattern=parcel.file_pattern,
            profile=parcel.profile.model_dump(mode="json") if parcel.profile else None,
            created_at=parcel.created_at,
            changed_at=now(),
        )
        docket.fields = [DescribedValue(**one.model_dump()) for one in parcel.fields]
        docket.artwork = [Artwork(**one.model_dump()) for one in parcel.artwork]
        docket.carriers = [_carrier(one) for one in parcel.carriers]
        session.add(docket)
        session.flush()
        unpacked = self._media.path_of(result["discs"])
        for carrier, said in zip(docket.carriers, parcel.carriers, strict=True):
            for side, told in zip(carrier.sides, said.sides, strict=True):
                self._fill(session, docket, side, told, unpacked)
        for entry in parcel.ledger:
            session.add(LedgerEntry(docket_id=docket.id, **entry.model_dump(mode="json", exclude={"at"}), at=entry.at))
        ledger.record(
            session,
            who=who,
            action=f"taken in from another house, where it was {parcel.shelfmark}",
            docket_id=docket.id,
            after={"takes": len(parcel.takes()), "entries": len(parcel.ledger)},
        )
        session.flush()
        job.docket_id = docket.id
        after_commit(session, lambda: self._forget(arguments))

    def _fill(self, session: Session, docket: Docket, side: Side, told: ParcelSide, unpacked: Path) -> None:
        takes = [
            Take(
                **one.model_dump(exclude={"transferred"}),
                transferred=None if one.transferred is None else one.transferred.model_dump(mode="json"),
            )
            for one in told.takes
        ]
        side.takes = takes
        session.flush()
        if told.chosen_take is not None:
            side.chosen_take_id = takes[told.chosen_take].id
        new: dict[int, int] = {}
        for version in told.versions:
            plan = PlanVersion(
                side_id=side.id,
                parent_id=None if version.parent_id is None else new[version.parent_id],
                document=version.document.model_dump(mode="json"),
                **version.model_dump(include={"action", "made_at", "made_by"}),
            )
            session.add(plan)
            session.flush()
            new[version.id] = plan.id
        if told.plan_version_id is not None:
            side.plan_version_id = new[told.plan_version_id]
        for read in told.disc_reads:
            row = DiscRead(
                docket_id=docket.id,
                side_id=side.id,
                record=None if read.record is None else read.record.model_dump(mode="json"),
                **read.model_dump(exclude={"id", "record"}),
            )
            session.add(row)
            session.flush()
            if (unpacked / str(read.id)).is_dir():
                self._media.link_disc_read(unpacked / str(read.id), row.id)
        session.flush()

    def _not_unpacked(self, session: Session, job: Job, arguments: Unpack, failure: Result) -> None:
        """What was moved in among takes and pictures stays: it may be another docket's too, and harms nobody."""
        after_commit(session, lambda: self._forget(arguments))

    def _forget(self, arguments: Unpack) -> None:
        """Delete the ZIP and what was unpacked of it."""
        parcel = self._media.path_of(arguments.parcel)
        shutil.rmtree(unpacked_folder(parcel), ignore_errors=True)
        parcel.unlink(missing_ok=True)


def _not_on_shelf(session: Session, shelfmark: str) -> None:
    if not shelfmark or len(shelfmark) > 100:
        raise Refused("a shelfmark has 1 to 100 characters", where="shelfmark", remedy="Write another")
    if session.scalars(select(Docket.id).where(Docket.shelfmark == shelfmark)).first() is not None:
        raise Conflict(
            f"{shelfmark} is on the shelf already", where="shelfmark", remedy="Take it in under another shelfmark"
        )


def _parcel(docket: Docket, versions: dict[int, list[PlanVersion]], entries: list[LedgerEntry]) -> Parcel:
    return Parcel(
        shelfmark=docket.shelfmark,
        folder_pattern=docket.folder_pattern,
        file_pattern=docket.file_pattern,
        profile=ParcelProfile.model_validate(docket.profile) if docket.profile else None,
        created_at=docket.created_at,
        carriers=tuple(
            ParcelCarrier(
                **{name: getattr(carrier, name) for name in ParcelCarrier.model_fields if name != "sides"},
                sides=tuple(_side(side, versions.get(side.id, [])) for side in carrier.sides),
            )
            for carrier in docket.carriers
        ),
        fields=tuple(ParcelField.model_validate(one) for one in docket.fields),
        artwork=tuple(ParcelPicture.model_validate(one) for one in docket.artwork),
        ledger=tuple(ParcelEntry.model_validate(one) for one in entries),
    )


def _side(side: Side, versions: list[PlanVersion]) -> ParcelSide:
    ids = [take.id for take in side.takes]
    return ParcelSide(
        letter=side.letter,
        expected_s=side.expected_s,
        takes=tuple(ParcelTake.model_validate(one) for one in side.takes),
        chosen_take=ids.index(side.chosen_take_id) if side.chosen_take_id in ids else None,
        plan_version_id=side.plan_version_id,
        versions=tuple(ParcelVersion.model_validate(one) for one in versions),
        disc_reads=tuple(ParcelRead.model_validate(one) for one in side.disc_reads if one.state != "reading"),
    )


def _carrier(told: ParcelCarrier) -> Carrier:
    carrier = Carrier(**told.model_dump(exclude={"sides"}))
    carrier.sides = [Side(letter=side.letter, expected_s=side.expected_s) for side in told.sides]
    return carrier
