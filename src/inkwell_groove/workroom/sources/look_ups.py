"""Looking a docket up: asked, watched, weighed, cancelled."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import or_, select, true
from sqlalchemy.dialects.mysql import insert

from inkwell_groove.catalogues.meridian import Meridian
from inkwell_groove.catalogues.patient import Kept
from inkwell_groove.catalogues.source import Source
from inkwell_groove.catalogues.tern import Tern
from inkwell_groove.catalogues.union_shelf import UnionShelf
from inkwell_groove.core.errors import Conflict, InkwellError, Refused
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.score import Scored, scored, verdict
from inkwell_groove.core.matching.ways import Ask, asked_in_words, asks
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, LookUp, SourceAnswer, SourceChoice, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import WholeDocket, docket_row
from inkwell_groove.workroom.sources.asking import Asking
from inkwell_groove.workroom.sources.own import OWN, OwnCatalogue
from inkwell_groove.workroom.sources.showing import look_up_view
from inkwell_groove.workroom.sources.views import LookUpView
from inkwell_groove.workroom.sources.wanting import excerpts, here, stretches
from inkwell_groove.workroom.workers import is_heard_of

_WRITE_EVERY_S = 0.4
BY_ITSELF = "by itself"
_CANCEL = "cancel look-up"


class AnswersKept:
    """The cache of answers, in the database."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, source: str, key: str) -> Kept | None:
        with self._database.begin() as session:
            row = session.get(SourceAnswer, (source, key))
            return None if row is None else Kept(row.body, row.fetched_at)

    def put(self, source: str, key: str, body: bytes) -> None:
        kept = {"source": source, "key": key, "body": body, "fetched_at": now()}
        # Two may ask the same at the same moment, as a page of pictures does: the later answer stays.
        put = insert(SourceAnswer).values(kept).on_duplicate_key_update(body=body, fetched_at=kept["fetched_at"])
        with self._database.begin() as session:
            session.execute(put)


class LookUps(Part):
    """Every look-up, and whom there is to ask."""

    def __init__(self, database: Database, media: MediaStore, events: Events, given: Settings) -> None:
        super().__init__(database, media, events)
        self.cache = AnswersKept(database)
        self.timeout_s = given.source_timeout_s
        addressed: list[tuple[type[Meridian] | type[UnionShelf] | type[Tern], str]] = [
            (Meridian, given.meridian),
            (UnionShelf, given.union_shelf),
            (Tern, given.tern),
        ]
        self.outside: list[Source] = [kind(address) for kind, address in addressed if address]
        self._running: dict[int, Asking] = {}
        self._lock = threading.Lock()
        self._node, self._is_alone = given.node_name, given.is_alone
        events.hear(_CANCEL, lambda facts: self._cancel(facts["docket_id"]))

    @property
    def names(self) -> list[str]:
        """Whom there is to ask, in the order in which they are believed where nothing else decides."""
        return [*(one.name for one in self.outside), OWN]

    def start(self) -> None:
        """What ran when this server ended is broken off; what came of it until then is there."""
        mine = true() if self._is_alone else or_(LookUp.node == self._node, LookUp.node.is_(None))
        with self._database.begin() as session:
            for row in session.scalars(select(LookUp).where(LookUp.state == "looking", mine)):
                row.state = "broken off"

    def close(self) -> None:
        for asking in list(self._running.values()):
            asking.cancel()

    def look_up(self, docket_id: int, *, text: str = "", anew: bool = False, who: str) -> LookUpView:
        """Asks every source, in threads of their own, by all that is known of a docket; by `text` alone where given.

        Raises Missing, Conflict while a look-up runs, Refused where nothing is known to ask by.
        """
        self.begin(docket_id, text=text, anew=anew, who=who)
        return self.view(docket_id)

    def recognise(self, docket_id: int) -> None:
        """Looks up a docket whose disc was just read, unless that was done before: a disc says itself what it is."""
        with self._database.begin() as session:
            docket, row = docket_row(session, docket_id), session.get(LookUp, docket_id)
            wanted = row is None and session.get(SourceChoice, docket_id) is None and undescribed(docket)
        if wanted and self.outside:
            with contextlib.suppress(InkwellError):
                self.begin(docket_id, who=BY_ITSELF)

    def cancel(self, docket_id: int) -> None:
        """Stop a docket's look-up, whichever server asks."""
        self._events.tell_servers(_CANCEL, docket_id=docket_id)

    def _cancel(self, docket_id: int) -> None:
        with self._lock:
            asking = self._running.get(docket_id)
        if asking is not None:
            asking.cancel()

    def view(self, docket_id: int) -> LookUpView:
        """The docket's look-up as far as it has come, weighed by what is known of it now. Raises Missing."""
        with self._database.begin() as session:
            docket, row = docket_row(session, docket_id), session.get(LookUp, docket_id)
            if row is None:
                raise Conflict("nothing was looked up yet", where=docket.shelfmark, remedy="Look it up")
            return look_up_view(row, here(docket, row))

    def candidates(self, docket: Docket, row: LookUp) -> tuple[Scored, ...]:
        return scored(here(docket, row).wanted, releases_of(row))

    def begin(self, docket_id: int, *, text: str = "", anew: bool = False, who: str) -> threading.Thread:
        """Begins a look-up; the thread it runs in. Raises as `look_up` does."""
        sources: list[Source] = [*self.outside, OwnCatalogue(self._database, but=docket_id)]
        typed = asked_in_words(text, [one.address for one in sources])
        with self._database.begin() as session:
            docket = docket_row(session, docket_id)
            known, where = here(docket), stretches(docket, self._media)
        told = [typed] if typed else list(asks(known.wanted, discs=known.discs))
        if typed and typed.way != "address" and any(one.id_in(text.strip()) for one in sources):
            # It looks like a source's own id; it may be a catalogue number all the same.
            told.append(Ask(way="address", words=f"{typed.words} as an id", address=text.strip()))
        if not told and not where:
            raise Refused(
                "there is nothing to ask by",
                where=docket.shelfmark,
                remedy="Type the catalogue number, the barcode, or artist and title; or bring the sound",
            )

        def by_sound() -> Sequence[Ask]:
            if typed or not where:
                return ()
            found = [one for one in asks(known.wanted, excerpts=excerpts(where, self._media)) if one.way == "sound"]
            with self._database.begin() as session:
                row = session.get_one(LookUp, docket_id)
                row.asks = [*row.asks, *_told(found)]
            return found

        written = [0.0]

        def changed(asking: Asking, ended: bool) -> None:
            # Every new release is worth showing, but not each a write of its own.
            if ended or time.monotonic() - written[0] > _WRITE_EVERY_S:
                written[0] = time.monotonic()
                self._write(docket_id, asking, "looking")

        asking = Asking(sources, cache=self.cache, timeout_s=self.timeout_s, anew=anew, changed=changed)
        with self._lock:
            if docket_id in self._running:
                raise _is_running(docket)
            self._running[docket_id] = asking
        try:
            with self._database.begin() as session:
                row = session.get(LookUp, docket_id, with_for_update=True) or LookUp(docket_id=docket_id)
                if row.state == "looking" and row.node != self._node and is_heard_of(session, row.node):
                    raise _is_running(docket)
                row.state, row.asks, row.node = "looking", _told(told, typed=typed is not None), self._node
                row.releases, row.heard, row.outcome = [], {}, None
                row.answers = [one.model_dump(mode="json") for one in asking.answers.values()]
                row.began_at, row.began_by = now(), who
                session.add(row)
        except BaseException:
            with self._lock:
                self._running.pop(docket_id, None)
            raise
        thread = threading.Thread(
            target=self._run, args=(docket_id, asking, told, by_sound), name=f"look up {docket_id}", daemon=True
        )
        thread.start()
        self._events.publish({"kind": "look-up", "docket_id": docket_id})
        return thread

    def _run(self, docket_id: int, asking: Asking, told: Sequence[Ask], by_sound: Callable[[], Sequence[Ask]]) -> None:
        try:
            asking.run(told, by_sound)
            self._write(docket_id, asking, "cancelled" if asking.is_cancelled else "done")
        finally:
            # Only now: whoever looks it up again must not be overwritten by this one's end.
            with self._lock:
                self._running.pop(docket_id, None)
            self._events.publish({"kind": "look-up", "docket_id": docket_id})

    def _write(self, docket_id: int, asking: Asking, state: str) -> None:
        with self._database.begin() as session:
            row = session.get_one(LookUp, docket_id, with_for_update=True)
            if row.node != self._node:
                return  # this server was not heard of for a while, and another one asks by now
            row.state = state
            row.answers = [one.model_dump(mode="json") for one in asking.answers.values()]
            row.releases = [
                one.model_dump(mode="json", exclude_defaults=True) for one in list(asking.releases.values())
            ]
            row.heard = dict(asking.heard)
            if state != "looking":
                docket = docket_row(session, docket_id)
                row.outcome = _outcome(self.candidates(docket, row))
        self._events.publish({"kind": "look-up", "docket_id": docket_id})


def _is_running(docket: Docket) -> Conflict:
    return Conflict("it is being looked up already", where=docket.shelfmark, remedy="Wait for it, or stop it")


def releases_of(row: LookUp) -> list[SourceRelease]:
    return [SourceRelease.model_validate(one) for one in row.releases]


def undescribed(docket: Docket) -> bool:
    """Whether something that sealing needs is still to be said, or nothing is known but what the disc says itself."""
    whole = WholeDocket(docket)
    return bool(whole.missing) or not whole.lines or not whole.release.year


def _told(told: Sequence[Ask], *, typed: bool = False) -> list[dict[str, Any]]:
    """Questions as they are kept: without the sound, and with whether somebody typed them."""
    kept = {"way", "words", "number", "barcode", "artist", "title"}
    return [{**one.model_dump(include=kept), "typed": typed} for one in told]


def _outcome(found: Sequence[Scored]) -> dict[str, Any]:
    if not found:
        return {"verdict": "nothing found"}
    best = found[0].release
    where = ", ".join(one for one in (best.date[:4], *best.catalogue_numbers[:1], best.country) if one)
    return {
        "verdict": verdict(found),
        "best": f"{best.artist}: {best.title} ({where})",
        "likelihood": found[0].likelihood,
        "reason": found[0].reasons[0].words if found[0].reasons else "",
    }
