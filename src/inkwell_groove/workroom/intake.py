"""Taking recordings in: received piece by piece, taken up where they broke off, made takes by a job."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

import anyio
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, NotSound, Refused
from inkwell_groove.store.database import Database, after_commit, try_again
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, Upload, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import TakeIn
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row, not_of_disc, received_bytes, side_label, side_row, sides_of
from inkwell_groove.workroom.receiving import Receiving
from inkwell_groove.workroom.takes import Takes, made_take
from inkwell_groove.workroom.views import UploadView

TAKE_IN = "take in"


class Intake(Part):
    """Uploads, and the takes they become."""

    def __init__(self, database: Database, media: MediaStore, events: Events, takes: Takes, *, max_bytes: int) -> None:
        super().__init__(database, media, events)
        self._takes = takes
        self._max_bytes = max_bytes
        self._receiving: dict[int, Receiving] = {}

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.takes:take_in"
        return JobKind(TAKE_IN, function, TakeIn, self._finish, self._fail, lane=Lane.QUICK)

    def begin(self, docket_id: int, *, side_id: int | None, name: str, size_bytes: int, who: str) -> UploadView:
        """Room for a recording of that many bytes, on the given side or the first that has none.

        Raises Refused for an empty or too large file, Missing for a side of another docket.
        """
        name = clean_text(name.replace("\\", "/").rsplit("/", 1)[-1])[-255:] or "recording"
        if size_bytes <= 0:
            raise NotSound("the file is empty", where=name, remedy="Copy it again from its source")
        if size_bytes > self._max_bytes:
            raise Refused(
                f"the file has {size_bytes / 1e9:.1f} GB",
                where=name,
                remedy=f"At most {self._max_bytes / 1e9:.0f} GB are taken in: divide it",
            )
        self._media.space.need(round(1.1 * size_bytes), where=name)
        with self._database.begin() as session:
            sides = sides_of(docket_row(session, docket_id))
            if side_id is None:
                side = next((one for one in sides if not one.takes), sides[0])
            elif any(one.id == side_id for one in sides):
                side = next(one for one in sides if one.id == side_id)
            else:
                raise Missing(f"this docket has no side {side_id}", remedy="Reload the docket")
            not_of_disc(side, "no recording is brought for it")
            upload = Upload(
                docket_id=docket_id,
                side_id=side.id,
                name=name,
                size_bytes=size_bytes,
                state="receiving",
                started_at=now(),
            )
            session.add(upload)
            session.flush()
            self._media.upload(upload.id).write_bytes(b"")
            view = UploadView.of(upload, 0)
        self._receiving[view.id] = Receiving(self._media.upload(view.id), self._media.space)
        self._events.docket_changed(docket_id)
        return view

    def view(self, upload_id: int) -> UploadView:
        with self._database.begin() as session:
            upload = self._row(session, upload_id)
            return UploadView.of(upload, received_bytes(self._media, upload_id))

    async def receive(self, upload_id: int, offset: int, chunks: AsyncIterator[bytes], *, who: str) -> UploadView:
        """Appends what comes in from `offset` on; when all is there, asks for the job that makes it a take.

        A connection that breaks loses nothing that was received: `view` tells where to go on. Raises Conflict for
        another offset than that, Refused for more bytes than were announced.
        """
        upload = await anyio.to_thread.run_sync(self.view, upload_id)
        state = self._receiving.setdefault(upload_id, Receiving(self._media.upload(upload_id), self._media.space))
        with state.alone():
            # As it is now that nobody else writes to it.
            upload = await anyio.to_thread.run_sync(self.view, upload_id)
            if upload.state != "receiving":
                raise Conflict(f"{upload.name} is complete", remedy="There is nothing more to send")
            if offset != upload.received_bytes:
                raise Conflict(
                    f"{upload.received_bytes} bytes are here, {offset} were announced",
                    where=upload.name,
                    remedy=f"Go on at byte {upload.received_bytes}",
                )
            received = await state.append(chunks, offset, upload.size_bytes, upload.name)
        if received == upload.size_bytes:
            return await anyio.to_thread.run_sync(self._complete, upload_id, upload.size_bytes, who)
        return upload.model_copy(update={"received_bytes": received})

    def _complete(self, upload_id: int, size_bytes: int, who: str) -> UploadView:
        state = self._receiving.pop(upload_id, None)
        found = state.result(size_bytes) if state else {}

        def ask() -> UploadView:
            with self._database.begin() as session:
                return self._ask(session, self._row(session, upload_id), {**found, "who": who})

        # The request cannot be repeated: its body is gone.
        view = try_again(ask)
        self._events.docket_changed(view.docket_id)
        return view

    def accept_found(self, upload_id: int, *, who: str) -> UploadView:
        """Takes in what a refused recording with a lying header really holds. Raises Conflict where that is not so."""
        with self._database.begin() as session:
            upload = self._row(session, upload_id)
            if not upload.refusal or not upload.refusal.get("found_samples"):
                raise Conflict(
                    "there is nothing to be had from this file", where=upload.name, remedy="Give another recording"
                )
            view = self._ask(session, upload, {"mend": True, "who": who})
        self._events.docket_changed(view.docket_id)
        return view

    def try_again(self, upload_id: int, *, who: str) -> UploadView:
        """Takes in a complete upload once more, after a cancelled job or a dead process. Raises Conflict otherwise."""
        with self._database.begin() as session:
            upload = self._row(session, upload_id)
            if upload.state != "refused" or received_bytes(self._media, upload_id) != upload.size_bytes:
                raise Conflict("it cannot be taken in again", where=upload.name, remedy="Look at the docket's takes")
            view = self._ask(session, upload, {"who": who})
        self._events.docket_changed(view.docket_id)
        return view

    def discard(self, upload_id: int, *, who: str) -> None:
        """Forgets an upload that is unfinished or was refused. Takes are never discarded."""
        with self._database.begin() as session:
            upload = self._row(session, upload_id)
            if upload.state == "taking in":
                raise Conflict(f"{upload.name} is being taken in", remedy="Cancel that job first")
            docket_id = upload.docket_id
            action = f"upload of {upload.name} discarded"
            ledger.record(
                session, who=who, action=action, docket_id=docket_id, before={"size_bytes": upload.size_bytes}
            )
            session.delete(upload)
        if state := self._receiving.pop(upload_id, None):
            state.close()
        self._media.forget_upload(upload_id)
        self._events.docket_changed(docket_id)

    def _ask(self, session: Session, upload: Upload, extra: dict[str, Any]) -> UploadView:
        upload.state, upload.refusal = "taking in", None
        arguments = TakeIn(upload_id=upload.id, name=upload.name, **extra)
        self.jobs.ask(session, TAKE_IN, docket_id=upload.docket_id, subject=upload.name, arguments=arguments)
        return UploadView.of(upload, received_bytes(self._media, upload.id))

    def _finish(self, session: Session, job: Job, arguments: TakeIn, result: Result) -> None:
        who = arguments.who
        upload = self._row(session, arguments.upload_id)
        side = side_row(session, upload.side_id, lock=True)
        take = made_take(result, name=upload.name, who=who)
        self._takes.add(session, side, take, who=who)
        after = {"take_id": take.id, "sha256": take.sha256, "samples": take.samples, "rate_hz": take.rate_hz}
        action = f"{side_label(side)}: {take.name} taken in"
        ledger.record(session, who=who, action=action, docket_id=side.carrier.docket_id, after=after)
        session.delete(upload)
        after_commit(session, lambda: self._media.forget_upload(upload.id))

    def _fail(self, session: Session, job: Job, arguments: TakeIn, failure: Result) -> None:
        upload = session.get(Upload, arguments.upload_id)
        if upload is not None:
            upload.state, upload.refusal = "refused", failure

    def _row(self, session: Session, upload_id: int) -> Upload:
        upload = session.get(Upload, upload_id)
        if upload is None:
            raise Missing(f"there is no upload {upload_id}", remedy="Start it again; it may be complete already")
        return upload
