"""What of a docket's tracks and of files goes into the index, and what is shown of them when they are found."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Literal

from sqlalchemy import Select, select
from sqlalchemy.orm import Session, load_only

from inkwell_groove.core.files.derived import DISC_FOLDER
from inkwell_groove.core.search.segment import Entry
from inkwell_groove.core.search.words import folded
from inkwell_groove.core.survey.finding import album_key
from inkwell_groove.store.models import Bundle, BundleFile, Docket
from inkwell_groove.workroom.reading import WHOLE, WholeDocket
from inkwell_groove.workroom.views import View

FIELDS = ("title", "artist", "release", "number", "place")
FACETS = ("kind", "state", "carrier", "decade", "format")
Kind = Literal["track", "docket", "file"]
_YEAR = re.compile(r"(1[89]\d\d|20\d\d)")
_CHUNK = 5_000
_LAST = "\uffff"
SHOWN = load_only(
    BundleFile.bundle_id, BundleFile.path, BundleFile.kind, BundleFile.fields, BundleFile.pending, BundleFile.facts
)


class FoundView(View):
    """One track or file. `key` tells it from all others; where it stands is `docket_id` or `bundle_id`."""

    key: str
    kind: Kind
    title: str
    artist: str
    release: str
    number: str
    year: str
    carrier: str
    format: str
    state: str
    place: str
    duration_s: float
    docket_id: int | None = None
    bundle_id: int | None = None
    file_id: int | None = None
    cover: str = ""
    sound: str = ""

    def entry(self, release: str, *, numbers: str = "") -> Entry:
        texts = {
            "title": self.title,
            "artist": self.artist,
            "release": self.release,
            "place": self.place,
            "number": numbers,
        }
        facets = {
            "kind": "file" if self.kind == "file" else "docket",
            "state": self.state,
            "carrier": self.carrier,
            "decade": decade_of(self.year),
            "format": self.format,
        }
        # What says nothing comes last.
        names = (folded(one) or _LAST for one in (self.artist, self.release))
        order = "\x1f".join((*names, release, self.number.zfill(6), self.key))
        owner = self.file_id if self.file_id is not None else -(self.docket_id or 0)
        return Entry(self.key, texts, facets, release, order, owner)


def decade_of(date: str) -> str:
    """ "1974-03" is of the 1970s; nothing is said of what is no date."""
    found = _YEAR.search(date)
    return f"{found.group(1)[:3]}0s" if found else ""


def dockets(session: Session, ids: Sequence[int] | None = None) -> Iterator[tuple[FoundView, Entry]]:
    """The tracks of dockets; a docket without tracks yet is itself what is found."""
    query = select(Docket).options(*WHOLE).order_by(Docket.id)
    if ids is not None:
        query = query.where(Docket.id.in_(ids))
    for docket in session.scalars(query.execution_options(yield_per=200)):
        whole = WholeDocket(docket)
        line = whole.line()
        release = whole.release
        carrier = docket.carriers[0].format if docket.carriers else ""
        numbers = " ".join((docket.shelfmark, release.catalogue_number, release.label, release.barcode))
        common: dict[str, Any] = {
            "docket_id": docket.id,
            "release": release.title,
            "year": release.year,
            "carrier": carrier,
            "format": _form(docket),
            "state": line.standing,
            "place": docket.shelfmark,
            "cover": f"/api/v1/artwork/{line.cover_id}/image" if line.cover_id is not None else "",
        }
        views = [
            FoundView(
                key=f"t{docket.id}/{one.key}",
                kind="track",
                title=one.title or f"Track {one.number}",
                artist=one.artist or release.album_artist,
                number=str(one.number),
                duration_s=(one.end_sample - one.start_sample) / one.rate_hz,
                sound=f"/api/v1/dockets/{docket.id}/tracks/{one.key}/sound",
                **common,
            )
            for one in whole.lines
        ]
        if not views:
            views = [
                FoundView(
                    key=f"t{docket.id}/",
                    kind="docket",
                    title=release.title or docket.shelfmark,
                    artist=release.album_artist,
                    number="",
                    duration_s=line.duration_s,
                    **common,
                )
            ]
        for view in views:
            yield view, view.entry(f"docket {docket.id}", numbers=numbers)


def _form(docket: Docket) -> str:
    """What its takes are: in "LP, 33 1/3" a carrier says how it plays, which its own facet has."""
    takes = [side.chosen_take for carrier in docket.carriers for side in carrier.sides if side.chosen_take]
    return takes[0].container if takes else ""


def files(session: Session, wanted: Any = None) -> Iterator[tuple[FoundView, Entry]]:
    """Sound files that were brought in; `wanted` is a condition on their rows."""
    query: Select[BundleFile] = select(BundleFile).where(BundleFile.kind.in_(("audio", "unreadable")))
    if wanted is not None:
        query = query.where(wanted)
    names = dict(session.execute(select(Bundle.id, Bundle.name)).all())
    for one in session.scalars(query.options(SHOWN).execution_options(yield_per=_CHUNK)):
        view = file_view(one)
        fields = {**one.fields, **one.pending}
        numbers = " ".join(fields.get(name, "") for name in ("catalogue_number", "label", "barcode"))
        release = f"{place_of(one)}\x1f{album_key(fields.get('album', ''))}"
        yield view, view.entry(release, numbers=f"{numbers} {names.get(one.bundle_id, '')}")
        session.expunge(one)


def file_view(one: BundleFile) -> FoundView:
    """A file as it will be: what is changed and not written is shown."""
    fields: Mapping[str, str] = {**one.fields, **one.pending}
    name = one.path.rpartition("/")[2]
    return FoundView(
        key=f"f{one.id}",
        kind="file",
        title=fields.get("title") or name,
        artist=fields.get("artist", ""),
        release=fields.get("album", ""),
        number=fields.get("track_number", ""),
        year=fields.get("date", ""),
        carrier=fields.get("media", ""),
        format=one.facts.get("format", ""),
        place=one.path,
        state="unreadable" if one.kind == "unreadable" else "changed, not written" if one.pending else "as it is",
        duration_s=one.facts.get("duration_s", 0.0),
        bundle_id=one.bundle_id,
        file_id=one.id,
        cover=f"/api/v1/files/{one.id}/pictures/0" if one.facts.get("pictures") else "",
        sound=f"/api/v1/files/{one.id}/sound" if one.kind == "audio" else "",
    )


def place_of(one: BundleFile) -> str:
    return DISC_FOLDER.sub("", f"{one.bundle_id}/{one.path}".rpartition("/")[0])
