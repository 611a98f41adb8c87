"""Connecting a source to a docket, and what is done with it from then on."""

from __future__ import annotations

import contextlib
import threading
import uuid

import structlog
from sqlalchemy import select, true
from sqlalchemy.orm import Session as Transaction

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.errors import Conflict, InkwellError, Missing, Refused
from inkwell_groove.core.peaks import PeakIndex
from inkwell_groove.devices.pushed import BROWSER, PushedSource
from inkwell_groove.devices.registry import Sources
from inkwell_groove.devices.source import WORDS_BITS, SourceFacts
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Connection, Docket, Recording
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.nodes import Nodes
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row, not_of_disc, sides_of
from inkwell_groove.workroom.transfer.books import Books
from inkwell_groove.workroom.transfer.chains import chain_row
from inkwell_groove.workroom.transfer.recorder import Recorder
from inkwell_groove.workroom.transfer.session import Session
from inkwell_groove.workroom.transfer.views import RecordingView, Room, TransferSettings, TransferView
from inkwell_groove.workroom.workers import is_heard_of

_IDLE_S = 900.0  # nobody looks on and nothing is armed: the source is let go
_TRY_AGAIN_S = 5.0
log = structlog.get_logger()


class Transfers(Part):
    """The connected sources."""

    def __init__(
        self,
        database: Database,
        media: MediaStore,
        events: Events,
        books: Books,
        sources: Sources,
        nodes: Nodes,
        *,
        clock: Clock = WALL,
    ) -> None:
        super().__init__(database, media, events)
        self._books, self._nodes = books, nodes
        self._sources = sources
        self._clock = clock
        self._sessions: dict[str, Session] = {}
        self._lock = threading.Lock()
        self._closing = threading.Event()
        self._watch = threading.Thread(target=self._look_after, name="transfers", daemon=True)

    def start(self) -> None:
        """Takes up what a stopped server left, and keeps an eye on things."""
        self._books.open()
        self._watch.start()

    def close(self) -> None:
        """What is being recorded stays as it is, for the next start."""
        self._closing.set()
        for session in list(self._sessions.values()):
            session.close(abandon=session.source.facts is BROWSER)
        self._sessions.clear()
        with contextlib.suppress(InkwellError):
            self._tidy()  # or else when it starts again

    # Connecting.

    def offered(self) -> list[SourceFacts]:
        """Return the sources of this server, and those of the other servers that are heard of."""
        elsewhere = [one for other in self._nodes.others() for one in other.devices.sources if one.id != BROWSER.id]
        return [*self.of_this_server(), *elsewhere]

    def of_this_server(self) -> list[SourceFacts]:
        """Return the browser's own input, and the sources of this machine, as they are called in the house."""
        return [self._named(one) for one in self._sources.offered()]

    def _named(self, facts: SourceFacts) -> SourceFacts:
        """Return a source of this server as it is called in the house; a browser is at no server."""
        if facts.id == BROWSER.id:
            return facts
        return facts.model_copy(update={"id": self._nodes.id_of(facts.id), "name": self._nodes.name_of(facts.name)})

    def connect(
        self,
        docket_id: int,
        *,
        source_id: str,
        rate_hz: int,
        bits: int,
        channels: int,
        settings: TransferSettings,
        who: str,
    ) -> TransferView:
        """Opens a source for a docket: from now on its levels are seen; nothing is written.

        Raises Missing, Refused for what the source cannot do, Conflict where it is in use, Elsewhere or ServerAway for
        a source of another server.
        """
        source_id = self._nodes.here(source_id)
        if bits not in WORDS_BITS:
            raise Refused(f"words of {bits} bit are not recorded", where="word length", remedy="Choose 24, or 16 or 32")
        with self._database.begin() as session:
            docket = docket_row(session, docket_id)
            self._check(session, docket, settings)
        with self._lock:
            self._check_free(docket_id, source_id)
            key = uuid.uuid4().hex
            self._note(key, docket_id)
            made = Session(
                key=key,
                docket_id=docket_id,
                who=who,
                source=self._sources.open(source_id, rate_hz=rate_hz, channels=channels, bits=bits),
                bits=bits,
                settings=settings,
                keeper=self._books,
                changed=lambda: self._events.transfer_changed(docket_id),
                clock=self._clock,
            )
            self._sessions[key] = made
        made.start()
        self._events.transfer_changed(docket_id)
        return self.view(made)

    def session(self, key: str) -> Session:
        """Raises Missing, Elsewhere or ServerAway for one of another server."""
        found = self._sessions.get(key)
        if found is None:
            self.check_here(key)
            raise _not_connected()
        return found

    def check_here(self, key: str) -> None:
        """Raise Elsewhere or ServerAway for a transfer of another server."""
        if key not in self._sessions and not self._nodes.is_alone:
            with self._database.begin() as session:
                row = session.get(Connection, key)
            self._send_to(row)

    def of_docket(self, docket_id: int) -> Session | None:
        """Return the transfer of a docket, if it has one. Raises Elsewhere or ServerAway for one of another server."""
        found = next((one for one in self._sessions.values() if one.docket_id == docket_id), None)
        if found is None and not self._nodes.is_alone:
            self._send_to(self._connection_of(docket_id))
        return found

    def disconnect(self, key: str) -> None:
        """Ends a transfer; what is being recorded becomes a take."""
        session = self.session(key)
        session.close()
        self._forget(session)
        self._events.transfer_changed(session.docket_id)

    def use(self, key: str, settings: TransferSettings) -> TransferView:
        """Other settings for what is recorded next. Raises what `connect` raises."""
        session = self.session(key)
        with self._database.begin() as transaction:
            self._check(transaction, docket_row(transaction, session.docket_id), settings)
        session.use(settings)
        return self.view(session)

    def turn_over(self, key: str, side_id: int, *, new_take: bool) -> TransferView:
        """Goes on with another side: in the same take, or with a new one, which begins when the stylus lands."""
        session = self.session(key)
        with self._database.begin() as transaction:
            self._check(
                transaction,
                docket_row(transaction, session.docket_id),
                session.settings.model_copy(update={"side_id": side_id}),
            )
        if not new_take:
            session.turn_over(side_id)
            return self.view(session)
        with session.lock:
            if session.recorder is not None:
                session.stop()
            if session.state == "armed":
                session.disarm()
            session.use(session.settings.model_copy(update={"side_id": side_id}))
            session.arm()
        return self.view(session)

    def view(self, session: Session) -> TransferView:
        needed = self._books.needed_s(session)
        with session.lock:
            recording = None
            if session.recorder is not None and session.recording_id is not None:
                recorder = session.recorder
                recording = RecordingView(
                    id=session.recording_id,
                    side_id=session.side_ids[-1],
                    name=recorder.begun.name,
                    state="recording",
                    began_at=recorder.begun.facts.began_at,
                    rate_hz=session.source.rate_hz,
                    faults=tuple(recorder.notes.faults),
                    marks=tuple(recorder.notes.marks),
                )
            left = self._books.room_s(session)
            return TransferView(
                key=session.key,
                version=session.version,
                docket_id=session.docket_id,
                state=session.state,
                source=self._named(session.source.facts),
                rate_hz=session.source.rate_hz,
                bits=session.bits,
                channels=session.source.channels,
                settings=session.settings,
                gain_db=session.source.gain_db,
                controls=session.source.controls(),
                playing=session.source.sides_playing(),
                advice=session.advice,
                is_listening_for_loudest=session.loudest_since,
                recording=recording,
                room=Room(left_s=left, needed_s=needed, enough=left >= needed),
                notes=list(session.notes),
            )

    def peak_index(self, recording_id: int) -> PeakIndex:
        """The shape of a recording so far. Raises Missing once it is over."""
        return self._recorder(recording_id).index

    def peaks(self, recording_id: int, level: int, first_block: int, blocks: int) -> bytes:
        try:
            return self._recorder(recording_id).peaks(level, first_block, blocks)
        except ValueError as cause:  # its files were closed this very moment
            raise Missing(f"recording {recording_id} is over", remedy="Look at the take it became") from cause

    def attach_browser(self, key: str) -> tuple[Session, int | None]:
        """The session a browser sends its sound to, and the sample it is to go on with.

        After a restart of the server the recording the browser had begun is taken up where it broke off.
        """
        found = self._sessions.get(key)
        if found is None:
            found = self._take_up(key)
        if found is None:
            self.check_here(key)
            raise _not_connected()
        source = found.source
        if not isinstance(source, PushedSource):
            raise Refused("this source sends its own sound", where=source.facts.name)
        return found, source.next_sample

    def _take_up(self, key: str) -> Session | None:
        """The session of a browser whose server was replaced."""
        with self._lock:
            found = self._sessions.get(key)
            if found is not None:
                return found
            taken = self._books.take_up(key)
            if taken is None:
                return None
            facts, docket_id = taken.begun.facts, taken.docket_id
            side_ids = [taken.begun.side_ids[0], *(side_id for _, side_id in taken.recorder.notes.turn_overs())]
            session = Session(
                key=key,
                docket_id=docket_id,
                who=taken.begun.who,
                source=PushedSource(
                    rate_hz=facts.rate_hz, channels=facts.channels, bits=facts.bits, next_sample=taken.next_sample
                ),
                bits=facts.bits,
                settings=TransferSettings(side_id=side_ids[-1], chain_id=taken.begun.chain_id),
                keeper=self._books,
                changed=lambda: self._events.transfer_changed(docket_id),
                clock=self._clock,
            )
            session.resume(taken.recorder, taken.recording_id, taken.next_sample, side_ids)
            self._note(key, docket_id, goes_on=True)
            self._sessions[key] = session
        session.start()
        self._events.transfer_changed(docket_id)
        return session

    def _look_after(self) -> None:
        """Every few seconds: books that could not be kept, browsers that did not come back, sources left alone."""
        while not self._closing.wait(_TRY_AGAIN_S):
            try:
                self._look_once()
            except Exception:
                log.exception("looking after the transfers failed")

    def _look_once(self) -> None:
        self._books.catch_up()
        for session in list(self._sessions.values()):
            left_alone = self._clock.monotonic() - session.seen_at_s > _IDLE_S and session.state == "listening"
            if session.state == "ended" or left_alone:
                session.close()
                self._forget(session)
                self._events.transfer_changed(session.docket_id)
        self._tidy()

    # Which server has which transfer.

    def _note(self, key: str, docket_id: int, *, goes_on: bool = False) -> None:
        """Write down that this server has a transfer.

        Raises Conflict if another server that is there has the docket's, unless a recording `goes_on`: its sound is not
        refused.
        """
        with self._database.begin() as transaction:
            docket_row(transaction, docket_id, lock=True)  # two servers that are asked at once take turns
            others = select(Connection.node).where(
                Connection.docket_id == docket_id, Connection.node != self._nodes.name
            )
            for node in () if goes_on or self._nodes.is_alone else transaction.scalars(others).all():
                if is_heard_of(transaction, node):
                    raise Conflict("this docket has a source already", where=node, remedy="Disconnect that one first")
            transaction.merge(Connection(transfer_key=key, docket_id=docket_id, node=self._nodes.name))

    def _forget(self, session: Session) -> None:
        self._sessions.pop(session.key, None)
        with contextlib.suppress(InkwellError):  # without a database its row is tidied away later
            self._tidy()

    def _tidy(self) -> None:
        """Delete the rows of transfers that this server no longer has."""
        mine = true() if self._nodes.is_alone else Connection.node == self._nodes.name
        with self._lock, self._database.begin() as transaction:
            for row in transaction.scalars(select(Connection).where(mine)):
                if row.transfer_key not in self._sessions:
                    transaction.delete(row)

    def _connection_of(self, docket_id: int) -> Connection | None:
        with self._database.begin() as session:
            return session.scalar(select(Connection).where(Connection.docket_id == docket_id).limit(1))

    def _send_to(self, row: Connection | None) -> None:
        """Raise Elsewhere, or ServerAway, for a transfer that another server has."""
        if row is not None and row.node != self._nodes.name:
            self._nodes.send_to(row.node)

    def _recorder(self, recording_id: int) -> Recorder:
        for session in self._sessions.values():
            recorder = session.recorder
            if recorder is not None and session.recording_id == recording_id:
                return recorder
        if not self._nodes.is_alone:
            with self._database.begin() as transaction:
                row = transaction.get(Recording, recording_id)
                key = row.transfer_key if row is not None else ""
            self.check_here(key)
        raise Missing(f"recording {recording_id} is over", remedy="Look at the take it became")

    def _check_free(self, docket_id: int, source_id: str) -> None:
        """Raises Conflict where the source is in use, or the docket has another one."""
        for one in list(self._sessions.values()):
            facts = one.source.facts
            if one.state == "ended":
                self._sessions.pop(one.key, None)
            elif facts.id == source_id and source_id != BROWSER.id:
                here = one.docket_id == docket_id
                remedy = "Go on with it" if here else "Disconnect it where it is in use"
                raise Conflict(f"{facts.name} is connected already", where="source", remedy=remedy)
            elif one.docket_id == docket_id:
                raise Conflict("this docket has a source already", where="source", remedy="Disconnect that one first")

    def _check(self, session: Transaction, docket: Docket, settings: TransferSettings) -> None:
        side = next((one for one in sides_of(docket) if one.id == settings.side_id), None)
        if side is None:
            raise Missing(f"this docket has no side {settings.side_id}", remedy="Reload the docket")
        not_of_disc(side, "no deck plays it")
        if settings.chain_id is not None:
            chain_row(session, settings.chain_id)


def _not_connected() -> Missing:
    return Missing("this transfer is no longer connected", remedy="Connect the source again")
