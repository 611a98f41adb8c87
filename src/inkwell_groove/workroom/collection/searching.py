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
from inkwell_groove.core.search.segment import Entry, Query
from inkwell_groove.core.survey.finding import Finding
from inkwell_groove.core.survey.survey import CHECKS
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import BundleFile, Dismissal, SurveyFinding
from inkwell_groove.workroom.collection import entries
from inkwell_groove.workroom.collection.entries import FACETS, FIELDS, FoundView
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.kept import Kept
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View

_VIEWS_KEPT = 20_000
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
        self._files_changed = True
        # What is in the index: files by number, and the keys of each docket.
        self._files: set[int] = set()
        self._of_docket: dict[int, set[str]] = {}
        self._seen: datetime | None = None
        # What is shown of dockets, each track by its key, and of files.
        self._docket_views: Kept[int, dict[str, FoundView]] = Kept(_VIEWS_KEPT)
        self._file_views: Kept[int, FoundView] = Kept(_VIEWS_KEPT)
        events.watch(self._hear, early=True)

    @property
    def is_ready(self) -> bool:
        """Return whether the index was built."""
        return self._ready.is_set()

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
        found = self._index.find(self._query(wanted), start=start, most=min(most, MAX_PAGE))
        views = self._views(found.keys)
        return CollectionView(
            total=found.total,
            releases=found.releases,
            facets=found.facets,
            found=[views[key] for key in found.keys if key in views],
        )

    def wall(self, wanted: Wanted, *, start: int, most: int) -> WallView:
        """The same, a release each."""
        self._wait()
        total, held = self._index.releases(self._query(wanted), start=start, most=min(most, MAX_PAGE))
        views = self._views([key for keys in held.values() for key in keys[:_LOOKED_AT]])
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
            self._docket_views.forget(news["docket_id"])
            with self._lock:
                self._dockets.add(news["docket_id"])
        elif news["kind"] in ("files", "cells") or (news["kind"] == "job" and _ended(news["job"])):
            self._file_views.forget_all()
            with self._lock:
                self._files_changed = True
        else:
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
                files, self._files_changed = self._files_changed, False
            try:
                self.catch_up(dockets, files=files)
            except InkwellError as trouble:
                log.warning("the collection could not be read", what=trouble.what)
                with self._lock:
                    self._dockets |= dockets
                    self._files_changed |= files
                if not self._stopping.wait(1.0):
                    self._changed.set()

    def catch_up(self, dockets: Iterable[int] = (), *, files: bool = True) -> None:
        """Make the index what the rows are: all of it at first, then what changed of these dockets and of `files`."""
        with self._database.begin() as session:
            now = session.scalars(select(func.now(6))).one()
            if self._seen is None or self._index.wants_building:
                self._build(session)
                self._seen = now - _OVERLAP
            else:
                self._change(session, sorted(dockets), self._seen if files else None)
                self._seen = now - _OVERLAP if files else self._seen
        if not self._ready.is_set():
            # The first question pays for what is loaded and worked out once: it is asked here.
            self._find(Wanted(text="anything"), 0, 1)
            self._ready.set()
        self._events.publish({"kind": "collection"})

    def _query(self, wanted: Wanted) -> Query:
        if wanted.field and wanted.field not in FIELDS:
            raise Refused(
                f"there is no field '{wanted.field}'", where="searching", remedy=f"Choose {', '.join(FIELDS)}"
            )
        facets = {name: values for name in FACETS if (values := getattr(wanted, name))}
        owners = None
        if wanted.finding:
            if wanted.finding not in CHECKS:
                raise Refused(
                    f"there is no check '{wanted.finding}'", where="searching", remedy="Choose one of the survey"
                )
            with self._database.begin() as session:
                rows = session.scalars(
                    select(SurveyFinding.document)
                    .outerjoin(Dismissal, Dismissal.about == SurveyFinding.about)
                    .where(SurveyFinding.name == wanted.finding, Dismissal.about.is_(None))
                )
                owners = np.unique(
                    np.array([key for row in rows for key in Finding.model_validate(row).files], np.int64)
                )
        return Query(wanted.text, wanted.field, facets, owners)

    def _views(self, keys: Sequence[str]) -> dict[str, FoundView]:
        """Return what stands under keys now; what went meanwhile is left out."""
        files = [int(key[1:]) for key in keys if key[0] == "f"]
        dockets = sorted({_docket_of(key) for key in keys if key[0] == "t"})
        found = {view.key: view for view in self._file_views.get(files, self._read_files).values()}
        for views in self._docket_views.get(dockets, self._read_dockets).values():
            found |= views
        return found

    def _read_files(self, ids: Sequence[int]) -> dict[int, FoundView]:
        with self._database.begin() as session:
            rows = session.scalars(select(BundleFile).where(BundleFile.id.in_(ids)).options(entries.SHOWN))
            return {row.id: entries.file_view(row) for row in rows}

    def _read_dockets(self, ids: Sequence[int]) -> dict[int, dict[str, FoundView]]:
        views: dict[int, dict[str, FoundView]] = {}
        with self._database.begin() as session:
            for view, _ in entries.dockets(session, ids):
                views.setdefault(_docket_of(view.key), {})[view.key] = view
        return views

    def _build(self, session: Session) -> None:
        of_dockets = [entry for _, entry in entries.dockets(session)]
        of_files = [entry for _, entry in entries.files(session)]
        self._index.build(of_dockets + of_files)
        self._files = {int(entry.key[1:]) for entry in of_files}
        self._of_docket = _by_docket(of_dockets)
        is_large = len(of_files) + len(of_dockets) > _MANY
        del of_dockets, of_files
        # What stays for good need not be looked through again: with a hundred thousand files that held up whoever was
        # asking just then for a third of a second.
        if is_large:
            gc.collect()
            gc.freeze()

    def _change(self, session: Session, dockets: Sequence[int], since: datetime | None) -> None:
        """Make the index what the rows of dockets are now, and those of files if any may have changed `since`."""
        changed = [entry for _, entry in entries.dockets(session, dockets)] if dockets else []
        of_docket = _by_docket(changed)
        gone = {key for one in dockets for key in self._of_docket.get(one, set()) - of_docket.get(one, set())}
        files = self._files
        if since is not None:
            of_files = [entry for _, entry in entries.files(session, BundleFile.changed_at > since)]
            gone_files = files.difference(session.scalars(select(BundleFile.id)))
            files = files - gone_files | {int(entry.key[1:]) for entry in of_files}
            changed += of_files
            gone |= {f"f{one}" for one in gone_files}
        self._index.replace(changed, gone)
        self._files = files
        for one in dockets:
            self._of_docket.pop(one, None)
        self._of_docket |= of_docket


def _by_docket(made: Iterable[Entry]) -> dict[int, set[str]]:
    """Return the keys of entries of dockets, by docket."""
    keys: dict[int, set[str]] = {}
    for entry in made:
        keys.setdefault(_docket_of(entry.key), set()).add(entry.key)
    return keys


def _docket_of(key: str) -> int:
    """Return the docket of a track's key, `t7/A1`."""
    return int(key[1:].partition("/")[0])


def _ended(job: Mapping[str, Any]) -> bool:
    return job["docket_id"] is None and job["state"] in ("done", "failed", "cancelled")


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
