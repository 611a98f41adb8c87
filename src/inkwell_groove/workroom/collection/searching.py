"""Searching the collection: an index in memory, which follows what changes in the rows.

It is built when the server starts and told by the news which dockets and files are others now; the rows remain what is
true, the index only says which of them to show.
"""

from __future__ import annotations

import gc
import threading
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

import numpy as np
import structlog
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict, InkwellError, Refused
from inkwell_groove.core.search.index import Index
from inkwell_groove.core.search.segment import Query
from inkwell_groove.core.survey.finding import Finding
from inkwell_groove.core.survey.survey import CHECKS
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import BundleFile, Dismissal, SurveyFinding
from inkwell_groove.workroom.collection import entries
from inkwell_groove.workroom.collection.entries import FACETS, FIELDS, FoundView
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View

log = structlog.get_logger()
MAX_PAGE = 500
_LOOKED_AT = 4  # tracks of a release on the wall: whether they have one artist, and which has a picture
_MANY = 5_000  # entries of which it is worth the time
_GATHERED_S = 0.3  # changes that come together are taken up together
_OVERLAP = timedelta(seconds=30)  # a transaction that was open may have changed rows at a time that had passed
_READY_S = 60.0


class Wanted(BaseModel):
    """What is looked for. Of each facet any of the values will do; all facets and all words have to be met."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    text: str = Field(default="", max_length=300)
    field: str = Field(default="", max_length=20)
    kind: list[str] = []
    state: list[str] = []
    carrier: list[str] = []
    decade: list[str] = []
    format: list[str] = []
    finding: str = Field(default="", max_length=60, description="A check of the survey: files that it found.")


class CollectionView(View):
    total: int
    releases: int
    found: list[FoundView]
    facets: dict[str, dict[str, int]] = Field(description="How many of what was found have each value.")


class CoverView(View):
    """A release on the wall: of those of its tracks that were found, the first."""

    title: str
    artist: str
    year: str
    cover: str
    tracks: int
    first: FoundView


class WallView(View):
    total: int
    covers: list[CoverView]


class Collection(Part):
    """The index and the questions to it."""

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        super().__init__(database, media, events)
        self._index = Index(FIELDS, FACETS)
        self._changed = threading.Event()
        self._stopping = threading.Event()
        self._ready = threading.Event()
        self._lock = threading.Lock()
        self._dockets: set[int] = set()
        self._keys: set[str] = set()
        self._seen: datetime | None = None
        events.watch(self._hear)

    def start(self) -> None:
        self._changed.set()
        threading.Thread(target=self._follow, name="collection", daemon=True).start()

    def close(self) -> None:
        self._stopping.set()
        self._changed.set()

    def find(self, wanted: Wanted, *, start: int, most: int) -> CollectionView:
        """A page of what is found. Raises Refused for a field or check there is none of."""
        self._wait()
        return self._find(wanted, start, most)

    def _find(self, wanted: Wanted, start: int, most: int) -> CollectionView:
        with self._database.begin() as session:
            found = self._index.find(_query(session, wanted), start=start, most=min(most, MAX_PAGE))
            views = _views(session, found.keys)
        return CollectionView(
            total=found.total,
            releases=found.releases,
            facets=found.facets,
            found=[views[key] for key in found.keys if key in views],
        )

    def wall(self, wanted: Wanted, *, start: int, most: int) -> WallView:
        """The same, a release each."""
        self._wait()
        with self._database.begin() as session:
            total, held = self._index.releases(_query(session, wanted), start=start, most=min(most, MAX_PAGE))
            views = _views(session, [key for keys in held.values() for key in keys[:_LOOKED_AT]])
        covers = [
            _cover([views[key] for key in keys[:_LOOKED_AT] if key in views], len(keys)) for keys in held.values()
        ]
        return WallView(total=total, covers=[one for one in covers if one is not None])

    def _wait(self) -> None:
        if not self._ready.wait(_READY_S):
            raise Conflict("the collection is still being read", where="searching", remedy="Try again in a moment")

    def _hear(self, news: Mapping[str, Any]) -> None:
        """Called where the news is made: only takes a note."""
        if news["kind"] == "docket":
            with self._lock:
                self._dockets.add(news["docket_id"])
        elif news["kind"] not in ("files", "cells") and not (news["kind"] == "job" and _ended(news["job"])):
            return
        self._changed.set()

    def _follow(self) -> None:
        while not self._stopping.is_set():
            self._changed.wait()
            self._stopping.wait(_GATHERED_S if self._ready.is_set() else 0)
            if self._stopping.is_set():
                return
            self._changed.clear()
            with self._lock:
                dockets, self._dockets = self._dockets, set()
            try:
                self.catch_up(dockets)
            except InkwellError as trouble:
                log.warning("the collection could not be read", what=trouble.what)
                with self._lock:
                    self._dockets |= dockets
                if not self._stopping.wait(1.0):
                    self._changed.set()

    def catch_up(self, dockets: Iterable[int] = ()) -> None:
        """Makes the index what the rows are: all of it at first, what changed from then on."""
        with self._database.begin() as session:
            now = session.scalars(select(func.now(6))).one()
            if self._seen is None or self._index.wants_building:
                made = [entry for _, entry in entries.dockets(session)]
                made += [entry for _, entry in entries.files(session)]
                self._index.build(made)
                here = {entry.key for entry in made}
                del made
                # What stays for good need not be looked through again: with a hundred thousand files that held up
                # whoever was asking just then for a third of a second.
                if len(here) > _MANY:
                    gc.collect()
                    gc.freeze()
            else:
                ids = sorted(dockets)
                changed = [entry for _, entry in entries.dockets(session, ids)] if ids else []
                changed += [entry for _, entry in entries.files(session, BundleFile.changed_at > self._seen)]
                present = {f"f{key}" for key in session.scalars(select(BundleFile.id))}
                mine = {f"t{one}" for one in ids}
                gone = {
                    key
                    for key in self._keys
                    if (key not in present if key[0] == "f" else key.partition("/")[0] in mine)
                }
                new = {entry.key for entry in changed}
                self._index.replace(changed, gone - new)
                here = (self._keys - gone) | new
        self._keys = here
        self._seen = now - _OVERLAP
        if not self._ready.is_set():
            # The first question pays for what is loaded and worked out once: it is asked here.
            self._find(Wanted(text="anything"), 0, 1)
            self._ready.set()
        self._events.publish({"kind": "collection"})


def _ended(job: Mapping[str, Any]) -> bool:
    return job["docket_id"] is None and job["state"] in ("done", "failed", "cancelled")


def _query(session: Session, wanted: Wanted) -> Query:
    if wanted.field and wanted.field not in FIELDS:
        raise Refused(f"there is no field '{wanted.field}'", where="searching", remedy=f"Choose {', '.join(FIELDS)}")
    facets = {name: values for name in FACETS if (values := getattr(wanted, name))}
    owners = None
    if wanted.finding:
        if wanted.finding not in CHECKS:
            raise Refused(f"there is no check '{wanted.finding}'", where="searching", remedy="Choose one of the survey")
        rows = session.scalars(
            select(SurveyFinding.document)
            .outerjoin(Dismissal, Dismissal.about == SurveyFinding.about)
            .where(SurveyFinding.name == wanted.finding, Dismissal.about.is_(None))
        )
        owners = np.unique(np.array([key for row in rows for key in Finding.model_validate(row).files], np.int64))
    return Query(wanted.text, wanted.field, facets, owners)


def _views(session: Session, keys: Sequence[str]) -> dict[str, FoundView]:
    """What stands under keys now; what went meanwhile is left out."""
    ids = [int(key[1:]) for key in keys if key[0] == "f"]
    dockets = sorted({int(key[1:].partition("/")[0]) for key in keys if key[0] == "t"})
    found = {view.key: view for view, _ in entries.dockets(session, dockets)} if dockets else {}
    if ids:
        rows = session.scalars(select(BundleFile).where(BundleFile.id.in_(ids)).options(entries.SHOWN))
        found |= {view.key: view for view in map(entries.file_view, rows)}
    return found


def _cover(views: Sequence[FoundView], tracks: int) -> CoverView | None:
    if not views:
        return None
    first = min(views, key=lambda one: one.number.zfill(6))
    artists = {one.artist for one in views}
    folder = first.place.rpartition("/")[0].rpartition("/")[2]
    return CoverView(
        title=first.release or folder or first.title,
        artist=first.artist if len(artists) == 1 else "several artists",
        year=first.year[:4],
        cover=next((one.cover for one in views if one.cover), ""),
        tracks=tracks,
        first=first,
    )
