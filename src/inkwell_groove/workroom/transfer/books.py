"""The books of what is recorded: rows that say what was begun, folders that say what there is.

A recording is finished from those two alone, so a server that was killed leaves nothing that the next one cannot make a
take of. What a session cannot book, because the database is away, is booked as soon as it is back.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import structlog
from sqlalchemy import or_, select
from sqlalchemy.orm import Session as Transaction

from inkwell_groove import __version__
from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.errors import Conflict, InkwellError
from inkwell_groove.core.transfer.chain import Chain, RecordingFacts
from inkwell_groove.devices.pushed import BROWSER
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, Recording, Side, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import Keep
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result
from inkwell_groove.workroom.nodes import Nodes
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row, release_of, side_label, side_row, sides_of
from inkwell_groove.workroom.takes import Takes, copy_of, made_take
from inkwell_groove.workroom.transfer import recorder as recorders
from inkwell_groove.workroom.transfer.chains import chain_row
from inkwell_groove.workroom.transfer.keeper import Connected
from inkwell_groove.workroom.transfer.recorder import Begun, Recorder
from inkwell_groove.workroom.transfer.views import RecordingView
from inkwell_groove.workroom.views import Refusal, TransferMark, Transferred

KEEP = "keep recording"
SOFTWARE = f"Inkwell Groove {__version__}"
NO_CHAIN = Chain(name="not stated")
# How long a side of a carrier is at most, for want of anything better (common practice).
USUAL_S = {"LP": 1_620.0, "7-inch single": 420.0, "10-inch shellac": 270.0, "Cassette": 2_820.0}
_LONGEST_S = 1_620.0
_LEAST_S = 30.0
log = structlog.get_logger()


class TakenUp(NamedTuple):
    """A recording that goes on after its server was replaced."""

    recording_id: int
    docket_id: int
    begun: Begun
    recorder: Recorder
    next_sample: int | None


class Books(Part):
    """Each session's `Keeper`, and what becomes of recordings whose session is no more."""

    def __init__(
        self,
        database: Database,
        media: MediaStore,
        events: Events,
        takes: Takes,
        nodes: Nodes,
        *,
        reserve_bytes: int,
        browser_patience_s: float = 120.0,
        clock: Clock = WALL,
    ) -> None:
        super().__init__(database, media, events)
        self._takes, self._nodes = takes, nodes
        self._reserve_bytes = reserve_bytes
        self._browser_patience_s = browser_patience_s
        self._clock = clock
        self._begun: dict[int, Begun] = {}
        self._unkept: list[tuple[int, Begun, dict[str, Any], str]] = []
        self._waiting: dict[int, float] = {}  # recordings whose browser may come back, and until when

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.takes:keep"
        return JobKind(KEEP, function, Keep, self._kept, self._not_kept, lane=Lane.QUICK, needs_space=False)

    def open(self) -> None:
        """Takes up what a stopped server left: recordings are made takes, or wait for their browser."""
        with self._database.begin() as session:
            left = select(Recording.id).where(Recording.state.in_(["armed", "recording", "waiting for its browser"]))
            if not self._nodes.is_alone:
                left = left.where(or_(Recording.node == self._nodes.name, Recording.node.is_(None)))
            numbers = session.scalars(left).all()
        for number in numbers:
            try:
                with self._database.begin() as session:
                    self._recover(session, session.get_one(Recording, number))
            except Exception as error:
                # One recording that cannot be taken up must not keep the server from starting, nor the others.
                log.exception("a recording could not be taken up", recording=number)
                self._refuse(number, error)

    def catch_up(self) -> None:
        """Books what could not be booked, and finishes what no browser came back for."""
        unkept, self._unkept = self._unkept, []
        for recording_id, begun, found, reason in unkept:
            self._book_end(recording_id, begun, found, reason)
        for recording_id, until_s in list(self._waiting.items()):
            if self._clock.monotonic() > until_s:
                self.keep_again(recording_id)

    def recordings(self, docket_id: int) -> list[RecordingView]:
        """Those of a docket that are not takes yet: going on, being kept, waiting for a browser, or refused."""
        with self._database.begin() as session:
            rows = session.scalars(
                select(Recording).where(Recording.docket_id == docket_id, Recording.state != "armed")
            ).all()
            return [_view(row) for row in rows if row.document]

    def keep_again(self, recording_id: int) -> None:
        """Makes a take of a recording whose job failed or was cancelled, or whose browser is not waited for."""
        with self._database.begin() as session:
            self._waiting.pop(recording_id, None)
            row = session.get(Recording, recording_id, with_for_update=True)
            if row is None or row.state not in ("refused", "waiting for its browser"):
                raise Conflict("this recording is a take already, or being made one", remedy="Reload the docket")
            if row.state == "refused" and "found" in row.document:
                self._ask(session, row, Begun.model_validate(row.document["begun"]), row.document["found"])
            else:
                self._finish_left(session, row, "the browser was not waited for")
            docket_id = row.docket_id
        self._events.docket_changed(docket_id)

    # What a session calls.

    def reserve(self, session: Connected) -> int:
        """A row for what may begin at any moment. Raises Conflict where there is no room for half a minute."""
        if self.room_s(session) < _LEAST_S:
            raise Conflict(
                "there is no room on the disk for half a minute",
                where="the media store",
                remedy="Make room on the disk, then record",
            )
        with self._database.begin() as transaction:
            begun = self._draft(transaction, session)
            row = Recording(
                docket_id=session.docket_id,
                side_id=session.settings.side_id,
                transfer_key=session.key,
                state="armed",
                document={"begun": begun.model_dump(mode="json")},
                began_at=now(),
                node=self._nodes.name,
            )
            transaction.add(row)
            transaction.flush()
            self._begun[row.id] = begun
            return row.id

    def begin(
        self, session: Connected, recording_id: int, *, why: str, first_sample: int, samples_ago: int
    ) -> Recorder:
        began_at = now().astimezone().timestamp() - samples_ago / session.source.rate_hz
        draft = self._begun[recording_id]
        stamp = now().fromtimestamp(began_at).astimezone()
        begun = draft.model_copy(
            update={
                "name": f"{draft.facts.shelfmark}, {_lower_first(draft.facts.sides)}, {stamp:%Y-%m-%d %H.%M.%S}.wav",
                "facts": draft.facts.model_copy(update={"began_at": stamp, "gain_db": session.source.gain_db}),
                "first_source_sample": first_sample,
            }
        )
        self._begun[recording_id] = begun
        recorder = Recorder(self._media.recording(recording_id), begun)
        try:
            with self._database.begin() as transaction:
                row = transaction.get_one(Recording, recording_id)
                row.state, row.began_at = "recording", stamp
                row.document = {"begun": begun.model_dump(mode="json")}
                ledger.record(
                    transaction,
                    who=session.who,
                    action=f"{begun.facts.sides}: recording began ({why})",
                    docket_id=session.docket_id,
                )
        except InkwellError:
            # The row is there, and the folder; what it lacks is found out when it is made a take.
            log.exception("the database was away when a recording began", recording=recording_id)
        self._events.docket_changed(session.docket_id)
        return recorder

    def ended(self, session: Connected, recording_id: int, found: dict[str, Any], *, reason: str) -> int | None:
        begun = self._begun.pop(recording_id).model_copy(update={"side_ids": tuple(session.side_ids)})
        self._book_end(recording_id, begun, found, reason)
        return self._next_side(session) if session.settings.arm_again else None

    def unused(self, recording_id: int) -> None:
        self._begun.pop(recording_id, None)
        with self._database.begin() as transaction:
            row = transaction.get(Recording, recording_id)
            if row is not None and row.state == "armed":
                transaction.delete(row)

    def room_s(self, session: Connected) -> float:
        """How long can be recorded until only the reserve is left on the disk."""
        per_s = session.source.rate_hz * session.source.channels * session.bits // 8
        return max(0.0, (self._media.recording_space.free_bytes() - self._reserve_bytes) / per_s)

    # What follows from it.

    def _book_end(self, recording_id: int, begun: Begun, found: dict[str, Any], reason: str) -> None:
        try:
            with self._database.begin() as transaction:
                row = transaction.get_one(Recording, recording_id)
                row.document = {"begun": begun.model_dump(mode="json"), "found": found, "reason": reason}
                if not found.get("samples"):
                    transaction.delete(row)
                    after_commit(transaction, lambda: self._media.forget_recording(recording_id))
                else:
                    self._ask(transaction, row, begun, found)
                docket_id = row.docket_id
        except InkwellError:
            log.exception("the database was away when a recording ended", recording=recording_id)
            self._unkept.append((recording_id, begun, found, reason))
            return
        self._events.docket_changed(docket_id)

    def _ask(self, transaction: Transaction, row: Recording, begun: Begun, found: dict[str, Any]) -> None:
        row.state, row.refusal = "keeping", None
        arguments = Keep(recording_id=row.id, name=begun.name, samples_sha256=found.get("samples_sha256"))
        # A folder of its own is seen by the server that recorded into it, and by no worker.
        node = row.node if self._media.has_own_recordings else None
        self.jobs.ask(transaction, KEEP, docket_id=row.docket_id, subject=begun.name, arguments=arguments, node=node)

    def _kept(self, transaction: Transaction, job: Job, arguments: Keep, result: Result) -> None:
        row = transaction.get_one(Recording, arguments.recording_id)
        begun = Begun.model_validate(row.document["begun"])
        notes = recorders.read_notes(self._media.recording(row.id))
        told = Transferred(
            source=begun.facts.source,
            chain=begun.facts.chain,
            gain_db=begun.facts.gain_db,
            began_at=begun.facts.began_at,
            ended=row.document.get("reason", "unknown"),
            marks=notes.marks,
            faults=notes.faults,
            samples_sha256=result["samples_sha256"],
            read_back=arguments.samples_sha256 == result["samples_sha256"],
        )
        take = made_take(
            result,
            name=begun.name,
            who=begun.who,
            note=_note(told),
            transferred=told.model_dump(mode="json"),
        )
        first = side_row(transaction, begun.side_ids[0], lock=True)
        turns = notes.turn_overs()
        starts = [0, *(sample for sample, _ in turns), None]
        side_ids = [begun.side_ids[0], *(side_id for _, side_id in turns)]
        for number, side_id in enumerate(side_ids):
            one = take if number == 0 else copy_of(take)
            one.side_start_sample, one.side_end_sample = starts[number] or 0, starts[number + 1]
            side = first if number == 0 else side_row(transaction, side_id, lock=True)
            self._takes.add(transaction, side, one, who=begun.who)
        seconds = take.samples / take.rate_hz
        ledger.record(
            transaction,
            who=begun.who,
            action=f"{' and '.join(side_label(s) for s in self._sides(transaction, side_ids))}: "
            f"{seconds:.1f} s recorded; ended: {told.ended}",
            docket_id=row.docket_id,
            after={"take_id": take.id, "sha256": take.sha256, "samples": take.samples, "faults": len(told.faults)},
        )
        transaction.delete(row)
        after_commit(transaction, lambda: self._media.forget_recording(row.id))

    def _not_kept(self, transaction: Transaction, job: Job, arguments: Keep, failure: Result) -> None:
        row = transaction.get(Recording, arguments.recording_id)
        if row is not None:
            row.state, row.refusal = "refused", failure

    def _sides(self, transaction: Transaction, side_ids: list[int]) -> list[Side]:
        return [side_row(transaction, side_id) for side_id in side_ids]

    def _recover(self, transaction: Transaction, row: Recording) -> None:
        """A recording of a server that is no more."""
        folder = self._media.recording(row.id)
        begun = recorders.read_begun(folder) or Begun.model_validate(row.document["begun"])
        row.document = {**row.document, "begun": begun.model_dump(mode="json")}
        if not recorders.samples_on_disk(folder, begun):
            transaction.delete(row)
            after_commit(transaction, lambda: self._media.forget_recording(row.id))
        elif begun.source_id == BROWSER.id:
            row.state = "waiting for its browser"
            self._waiting[row.id] = self._clock.monotonic() + self._browser_patience_s
        else:
            self._finish_left(transaction, row, "the server stopped")

    def _refuse(self, recording_id: int, error: Exception) -> None:
        with self._database.begin() as transaction:
            row = transaction.get_one(Recording, recording_id)
            row.state = "refused"
            row.refusal = {
                "what": f"this recording could not be taken up after the server had stopped ({error})",
                "where": str(self._media.recording(recording_id)),
                "remedy": "Its sound lies there as a WAV file; try again, or bring it as a file",
            }

    def _finish_left(self, transaction: Transaction, row: Recording, why: str) -> None:
        begun = Begun.model_validate(row.document["begun"])
        folder = self._media.recording(row.id)
        samples = recorders.samples_on_disk(folder, begun)
        last = recorders.last_written_at(folder)
        recorders.recover(folder, begun)
        mark = TransferMark(
            kind="server stopped",
            at_sample=samples,
            at=last,
            words=f"{why} at {last:%H:%M:%S}; everything up to sample {samples} is here, nothing after it",
        )
        recorders.add_mark(folder, mark)
        row.document = {"begun": begun.model_dump(mode="json"), "found": {"samples": samples}, "reason": why}
        self._ask(transaction, row, begun, {})
        ledger.record(
            transaction,
            who=begun.who,
            action=f"{begun.facts.sides}: recording recovered, {samples / begun.facts.rate_hz:.1f} s ({why})",
            docket_id=row.docket_id,
        )

    def take_up(self, transfer_key: str) -> TakenUp | None:
        """The recording that waits for this browser, to go on behind what is on the disk; none where none waits."""
        with self._database.begin() as transaction:
            waiting = select(Recording).where(
                Recording.transfer_key == transfer_key, Recording.state == "waiting for its browser"
            )
            row = transaction.scalars(waiting.with_for_update()).first()
            if row is None:
                return None
            begun = Begun.model_validate(row.document["begun"])
            recorder = Recorder(self._media.recording(row.id), begun, went_before=True)
            next_sample = recorders.next_source_sample(begun, recorder.notes, recorder.samples)
            words = "the server stopped and came back; the browser goes on from here"
            recorder.note(TransferMark(kind="server stopped", at_sample=recorder.samples, at=now(), words=words))
            row.state = "recording"
            self._begun[row.id] = begun
            self._waiting.pop(row.id, None)
            return TakenUp(row.id, row.docket_id, begun, recorder, next_sample)

    def _draft(self, transaction: Transaction, session: Connected) -> Begun:
        """What is known of a recording before its first sample."""
        settings = session.settings
        side = side_row(transaction, settings.side_id)
        docket = side.carrier.docket
        chain_id = settings.chain_id
        chain = Chain.model_validate(chain_row(transaction, chain_id).document) if chain_id is not None else NO_CHAIN
        facts = RecordingFacts(
            shelfmark=docket.shelfmark,
            sides=side_label(side),
            title=release_of(docket.fields).title,
            chain=chain,
            source=session.source.facts.name,
            gain_db=session.source.gain_db,
            rate_hz=session.source.rate_hz,
            bits=session.bits,
            channels=session.source.channels,
            began_at=now().astimezone(),
            software=SOFTWARE,
        )
        return Begun(
            name="",
            side_ids=(side.id,),
            source_id=session.source.facts.id,
            who=session.who,
            facts=facts,
            chain_id=chain_id,
            expected_s=side.expected_s or USUAL_S.get(side.carrier.format, _LONGEST_S),
        )

    def needed_s(self, session: Connected) -> float:
        """How long the rest of the side is expected to take."""
        begun = session.recorder.begun if session.recorder else None
        if begun is None:
            with self._database.begin() as transaction:
                side = side_row(transaction, session.settings.side_id)
                expected = side.expected_s or USUAL_S.get(side.carrier.format, _LONGEST_S)
        else:
            expected = begun.expected_s
        limit = session.settings.ends.limit_s
        whole = expected if limit is None else min(expected, limit)
        done = session.recorder.samples / session.source.rate_hz if session.recorder else 0.0
        return max(0.0, whole - done)

    def _next_side(self, session: Connected) -> int | None:
        """The first side of the docket, after those just recorded, that has no take."""
        with self._database.begin() as transaction:
            sides = sides_of(docket_row(transaction, session.docket_id))
            after = [index for index, side in enumerate(sides) if side.id in session.side_ids]
            rest = sides[max(after) + 1 :] if after else []
            return next((side.id for side in rest if not side.takes), None)


def _view(row: Recording) -> RecordingView:
    begun = Begun.model_validate(row.document["begun"])
    return RecordingView(
        id=row.id,
        side_id=row.side_id,
        name=begun.name,
        state=row.state,
        began_at=row.began_at,
        rate_hz=begun.facts.rate_hz,
        refusal=Refusal.model_validate(row.refusal) if row.refusal else None,
    )


def _note(told: Transferred) -> str:
    """What must be said of a take at first sight; mostly nothing."""
    words = [fault.words for fault in told.faults[:3]]
    if len(told.faults) > 3:
        words.append(f"and {len(told.faults) - 3} faults more")
    words += [mark.words for mark in told.marks if mark.kind == "server stopped"]
    return "; ".join(words) + ("." if words else "")


def _lower_first(text: str) -> str:
    return text[:1].lower() + text[1:]
