"""Reading discs: readings are asked for and weighed against earlier ones, and a take is made of the best."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.catalogues.witness_register import WitnessRegister
from inkwell_groove.core.disc import log
from inkwell_groove.core.disc.layout import GapChoice
from inkwell_groove.core.disc.reading import numbers_to_read
from inkwell_groove.core.disc.record import DiscRecord
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.planning.disc import disc_plan, track_key, with_gaps
from inkwell_groove.devices.drives import OpticalDrives
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import DescribedValue, DiscRead, Docket, Job, OpticalDrive, Side, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.disc.showing import disc_view
from inkwell_groove.workroom.disc.standing import Standing, standing
from inkwell_groove.workroom.disc.strip import STATES, state_of, strip_of
from inkwell_groove.workroom.disc.views import DiscBesideView, DiscView, DrivesView, DriveView, StripView
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import DiscTake, ReadDisc
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result
from inkwell_groove.workroom.nodes import Nodes
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.plans import Plans
from inkwell_groove.workroom.reading import is_disc, plan_of, side_label, side_row
from inkwell_groove.workroom.takes import made_take

READ, TAKE = "read disc", "make take of disc"
FROM_THE_DISC = "the disc"
OPENING_TITLE = "Hidden opening"


class Discs(Part):
    """Drives, readings and what comes of them."""

    def __init__(
        self,
        database: Database,
        media: MediaStore,
        events: Events,
        plans: Plans,
        drives: OpticalDrives,
        given: Settings,
        nodes: Nodes,
    ) -> None:
        super().__init__(database, media, events)
        self._plans, self._drives, self._settings, self._nodes = plans, drives, given, nodes
        self.recognise: Callable[[int], None] = lambda docket_id: None
        self.changed: Callable[[], None] = lambda: None  # other servers are told what is in which drive

    def kinds(self) -> list[AnyKind]:
        functions = "inkwell_groove.workroom.jobs.discs"
        return [
            JobKind(READ, f"{functions}:read_disc", ReadDisc, self._was_read, self._was_not_read, lane=Lane.DEVICE),
            # It follows at once, and the server that ran it looks the disc up.
            JobKind(
                TAKE,
                f"{functions}:make_disc_take",
                DiscTake,
                self._has_take,
                after=self.recognise,
                lane=Lane.DEVICE,
            ),
        ]

    # Drives

    def drives(self) -> DrivesView:
        """Return the drives of this server and those of the other servers that are heard of, and what lies beside."""
        own, others = self.of_this_server(), self._nodes.others()
        return DrivesView(
            drives=[*own.drives, *(one for other in others for one in other.devices.drives.drives)],
            discs=[*own.discs, *(one for other in others for one in other.devices.drives.discs)],
        )

    def of_this_server(self) -> DrivesView:
        """Return the drives of this machine as they are called in the house, and the discs beside them."""
        node = "" if self._nodes.is_alone else self._nodes.name
        with self._database.begin() as session:
            known = {one.id: one for one in session.scalars(select(OpticalDrive))}
            busy = self._busy(session)
        views = []
        for kind, disc, toc in self._drives.drives():
            drive_id = self._nodes.id_of(kind.id)
            row = known.get(drive_id)
            offset = row.offset_samples if row else None if kind.has_offset else 0
            told_by = row.offset_from if row else "" if kind.has_offset else "an image has none"
            views.append(
                DriveView(
                    id=drive_id,
                    name=self._nodes.name_of(kind.name),
                    node=node,
                    is_image=not kind.has_offset,
                    disc=disc,
                    toc=toc,
                    offset_samples=offset,
                    offset_from=told_by,
                    busy=drive_id in busy,
                )
            )
        discs = [
            DiscBesideView(
                name=one.name,
                scratched=one.scratched,
                wiped=one.wiped,
                in_drive=one.in_drive and self._nodes.id_of(one.in_drive),
                node=node,
            )
            for one in self._drives.discs()
        ]
        return DrivesView(drives=views, discs=discs)

    def put_in(self, drive_id: str, disc: str) -> DrivesView:
        """Raises Missing, Conflict where the drive is not empty, Refused for an image that cannot be understood."""
        here = self._nodes.here(drive_id)
        self.of_this_server()  # what was ejected at the end of a reading is out
        self._drives.put_in(here, disc)
        self.changed()
        return self.drives()

    def take_out(self, drive_id: str) -> DrivesView:
        """Raises Missing, or Conflict while the drive is reading."""
        here = self._nodes.here(drive_id)
        with self._database.begin() as session:
            if drive_id in self._busy(session):
                raise Conflict(
                    "it is reading", where=self._drives.kind(here).name, remedy="Wait, or cancel the reading"
                )
        self._drives.take_out(here)
        self.changed()
        return self.drives()

    def wipe(self, disc: str, *, node: str = "") -> DrivesView:
        """Wipe a disc beside the drives of a server. Raises Missing, or Conflict while the disc is in a drive."""
        if node and node != self._nodes.name:
            self._nodes.send_to(node)
        self._drives.wipe(disc)
        self.changed()
        return self.drives()

    def set_offset(self, drive_id: str, offset_samples: int, *, who: str) -> DrivesView:
        """What the archivist knows of a drive. Raises Missing."""
        kind = self._drives.kind(self._nodes.here(drive_id))
        with self._database.begin() as session:
            self._keep_offset(session, drive_id, offset_samples, "said by the archivist")
            ledger.record(
                session,
                who=who,
                action=f"{kind.name}: offset {offset_samples:+d} samples said",
                docket_id=None,
                after={"drive": drive_id, "offset_samples": offset_samples},
            )
        self.changed()
        return self.drives()

    def _busy(self, session: Session) -> set[str]:
        """Drives that are reading. One whose disc is out again, while the last track is encoded, is not."""
        busy = set()
        for row in session.scalars(select(DiscRead).where(DiscRead.state == "reading")):
            if state_of(self._media.disc_read(row.id)).ejected:
                if row.asked["eject"] and not row.asked.get("is_out") and self._nodes.is_here(row.drive_id):
                    row.asked = {**row.asked, "is_out": True}
                    self._drives.take_out(self._nodes.here(row.drive_id))
            else:
                busy.add(row.drive_id)
        return busy

    # Readings

    def read(
        self,
        side_id: int,
        *,
        drive_id: str,
        numbers: list[int] | None,
        twice: bool,
        slowly: bool,
        eject: bool,
        who: str,
    ) -> DiscView:
        """Asks for a reading of the disc in a drive, or of some of its tracks.

        Raises Missing, Refused for a side that is no disc's, Conflict where the drive is empty or reading.
        """
        here = self._nodes.here(drive_id)
        drive_id, order, kind = self._nodes.id_of(here), self._drives.order(here), self._drives.kind(here)
        toc = next(toc for one, _, toc in self._drives.drives() if one.id == here)
        assert toc is not None
        chosen = numbers_to_read(toc, numbers)
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            if not is_disc(side):
                raise Refused("this is not a compact disc", where=side_label(side), remedy="Record it under Transfer")
            if drive_id in self._busy(session):
                raise Conflict("it is reading", where=kind.name, remedy="Wait until it is done")
            before = standing(side.disc_reads)
            drive = session.get(OpticalDrive, drive_id)
            has_offset = kind.has_offset
            asked = {
                "numbers": chosen,
                "twice": twice,
                "slowly": slowly,
                "eject": eject,
                "drive_name": self._nodes.name_of(kind.name),
                "offset_samples": drive.offset_samples if drive else None if has_offset else 0,
                "offset_from": drive.offset_from if drive else "assumed" if has_offset else "the drive's record",
            }
            row = DiscRead(
                docket_id=side.carrier.docket_id,
                side_id=side_id,
                drive_id=drive_id,
                state="reading",
                asked=asked,
                began_at=now(),
                began_by=who,
            )
            session.add(row)
            session.flush()
            arguments = ReadDisc(
                read_id=row.id,
                drive=order.model_copy(update={"image": self._media.name_of(Path(order.image))}).model_dump(
                    mode="json"
                ),
                digest=before.toc.digest if before.toc else None,
                **{name: value for name, value in asked.items() if name != "drive_name"},
                register_address=self._settings.witness_register,
                timeout_s=self._settings.witness_timeout_s,
                who=who,
                read_at=now().isoformat(timespec="seconds"),
            )
            subject = f"{side.carrier.docket.shelfmark}, {side_label(side).lower()}"
            job = self.jobs.ask(
                session,
                READ,
                docket_id=side.carrier.docket_id,
                subject=subject,
                arguments=arguments,
                node=self._nodes.name,
            )
            row.job_id = job.id
            docket_id = row.docket_id
        self._events.docket_changed(docket_id)
        return self.view(side_id)

    def view(self, side_id: int) -> DiscView:
        """Raises Missing."""
        with self._database.begin() as session:
            self._busy(session)
            return disc_view(session, self._media, side_row(session, side_id))

    def strip(self, side_id: int, marks: int) -> StripView:
        """Raises Missing. Of a disc that was never read there is nothing to show."""
        with self._database.begin() as session:
            side = side_row(session, side_id)
            toc = standing(side.disc_reads).toc
            rows = [row for row in side.disc_reads if row.state in ("reading", "read")]
            folders = [self._media.disc_read(row.id) for row in rows]
        toc = toc or next((found.toc for found in map(state_of, folders) if found.toc is not None), None)
        if toc is None:
            return StripView(frames=0, marks=[], states=list(STATES))
        return StripView(frames=toc.lead_out, marks=strip_of(folders, toc.lead_out, marks), states=list(STATES))

    def reading_log(self, side_id: int, *, as_json: bool) -> str:
        """The disc's reading log as it stands. Raises Missing where it was not read yet."""
        with self._database.begin() as session:
            records = standing(side_row(session, side_id).disc_reads).records
        if not records:
            raise Missing("this disc was not read yet", where="reading log", remedy="Read it first")
        return log.render_json(records) if as_json else log.render(records)

    def choose_gaps(self, side_id: int, gaps: GapChoice, *, who: str) -> DiscView:
        """Where the gaps between tracks go when the disc is sealed. Raises Missing, Conflict before it was read."""
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            plan = plan_of(side)
            if plan is None or plan.disc is None:
                raise Conflict("this disc was not read yet", where=side_label(side), remedy="Read it first")
            if plan.disc.gaps != gaps:
                self._plans.add_version(session, side, with_gaps(plan, gaps), f"gaps: {gaps}", who)
            docket_id = side.carrier.docket_id
        self._events.docket_changed(docket_id)
        return self.view(side_id)

    def tell_register(self, read_id: int, *, who: str) -> DiscView:
        """Submits a reading to the witness register. Raises Missing, Conflict where it did not take it."""
        with self._database.begin() as session:
            row = session.get(DiscRead, read_id)
            if row is None or row.record is None:
                raise Missing(f"there is no reading {read_id}", remedy="Reload the disc")
            record, side_id = DiscRecord.model_validate(row.record), row.side_id
        if not self._settings.witness_register:
            raise Conflict("there is no register", where="witness register", remedy="Set INKWELL_WITNESS_REGISTER")
        register = WitnessRegister(self._settings.witness_register, timeout_s=self._settings.witness_timeout_s)
        trouble = register.submit(record.toc.digest, reader=self._reader(), tracks=record.tracks)
        if trouble:
            raise Conflict(trouble, where="witness register", remedy="Try again later; nothing is lost by it")
        with self._database.begin() as session:
            row = session.get_one(DiscRead, read_id)
            row.asked = {**row.asked, "told": True}
            docket_id = row.docket_id
            ledger.record(
                session,
                who=who,
                action=f"{side_label(row.side)}: the witness register was told of the reading",
                docket_id=docket_id,
                after={"disc": record.toc.digest, "read_id": read_id},
            )
        self._events.docket_changed(docket_id)
        return self.view(side_id)

    def _reader(self) -> str:
        """By what the register counts this archive once: a number of its own, made at first need."""
        path = self._media.root / "reader"
        if not path.exists():
            path.write_text(uuid.uuid4().hex)
        return path.read_text()

    # Ends of jobs

    def _was_read(self, session: Session, job: Job, arguments: ReadDisc, result: Result) -> None:
        row = session.get_one(DiscRead, arguments.read_id, with_for_update=True)
        self._busy(session)
        record = DiscRecord.model_validate(result["record"])
        row.record, row.state = result["record"], "read"
        if record.offset_from == "the register":
            self._keep_offset(session, row.drive_id, record.offset_samples, "the register")
        side, who = row.side, arguments.who
        found = standing(side.disc_reads)
        side.carrier.docket.changed_at = now()
        grade = found.grade
        ledger.record(
            session,
            who=who,
            action=f"{side_label(side)} read: {grade.name if grade else ''}",
            docket_id=row.docket_id,
            after={"read_id": row.id, "verdicts": {str(one.number): one.verdict for one in record.tracks}},
        )
        if found.is_whole:
            self._ask_for_take(session, side, found, who)
        session.flush()

    def _was_not_read(self, session: Session, job: Job, arguments: ReadDisc, failure: Result) -> None:
        row = session.get(DiscRead, arguments.read_id)
        if row is not None:
            row.state = "cancelled" if failure.get("code") == "Cancelled" else "failed"
            row.refusal = failure

    def _keep_offset(self, session: Session, drive_id: str, offset_samples: int, told_by: str) -> None:
        row = session.get(OpticalDrive, drive_id) or OpticalDrive(id=drive_id)
        row.offset_samples, row.offset_from, row.found_at = offset_samples, told_by, now()
        session.add(row)

    def _ask_for_take(self, session: Session, side: Side, found: Standing, who: str) -> None:
        assert found.toc is not None
        arguments = DiscTake(
            side_id=side.id,
            toc=found.toc.model_dump(mode="json"),
            files={str(number): path for number, path in found.files().items()},
            name=f"{side.carrier.docket.shelfmark} {side_label(side).lower()}.flac",
            who=who,
        )
        docket = side.carrier.docket
        subject = f"{docket.shelfmark}, {side_label(side).lower()}"
        self.jobs.ask(session, TAKE, docket_id=docket.id, subject=subject, arguments=arguments, node=self._nodes.name)

    def _has_take(self, session: Session, job: Job, arguments: DiscTake, result: Result) -> None:
        side, who = side_row(session, arguments.side_id, lock=True), arguments.who
        found = standing(side.disc_reads)
        take = next((one for one in side.takes if one.sha256 == result["sha256"]), None)
        if take is None:
            take = made_take(result, name=arguments.name, who=who, note=self._note(found))
            take.side = side
            session.add(take)
            session.flush()
        before = plan_of(side)
        gaps = before.disc.gaps if before and before.disc else "kept"
        number = side.carrier.number
        plan = disc_plan(found.layout(gaps), take.sha256, disc_number=number)
        if before != plan or side.chosen_take_id != take.id:
            self._plans.begin_anew(session, side, take, plan, "disc read", who)
        self._describe(session, side.carrier.docket, found.records[-1], number, opening=found.has_opening)
        side.carrier.docket.changed_at = now()
        session.flush()

    @staticmethod
    def _note(found: Standing) -> str:
        grade = found.grade
        return f"{grade.name}: {'; '.join(grade.reasons)}." if grade else ""

    @staticmethod
    def _describe(session: Session, docket: Docket, record: DiscRecord, disc: int, *, opening: bool) -> None:
        """What the disc says of itself goes where nobody has said anything yet."""
        said = {(one.track_key, one.field) for one in docket.fields if one.value}
        values = {("", "title"): record.text.title, ("", "album_artist"): record.text.performer, ("", "format"): "CD"}
        for number, (title, performer) in record.text.tracks.items():
            values[track_key(disc, number), "title"] = title
            values[track_key(disc, number), "artist"] = "" if performer == record.text.performer else performer
        if opening:
            values[track_key(disc, 0), "title"] = OPENING_TITLE
        for (key, name), value in values.items():
            if value and (key, name) not in said:
                docket.fields.append(
                    DescribedValue(track_key=key, field=name, value=value, origin=FROM_THE_DISC, changed_at=now())
                )
