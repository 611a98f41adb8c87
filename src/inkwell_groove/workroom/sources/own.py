"""The archive's own catalogue: releases that no source has, described here and found for the next copy."""

from __future__ import annotations

from sqlalchemy import select

from inkwell_groove.catalogues.patient import Patient
from inkwell_groove.catalogues.source import Met
from inkwell_groove.core.description import values_of
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.matching.texts import likeness
from inkwell_groove.core.matching.ways import Ask, Way
from inkwell_groove.core.numbers import catalogue_likeness
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Docket, OwnRelease, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import WholeDocket, docket_row, sides_of
from inkwell_groove.workroom.sources.wanting import speed_of, toc_of

OWN = "Own catalogue"
_LEAST_LIKE = 0.72


class OwnCatalogue:
    """What was described here, asked as any other source is. `but` is the docket that asks: it does not find itself."""

    name = OWN
    address = "own"
    ways: frozenset[Way] = frozenset({"number", "barcode", "names", "contents", "address"})

    def __init__(self, database: Database, but: int | None = None) -> None:
        self._database, self._but = database, but

    def find(self, ask: Ask, patient: Patient) -> list[Met]:
        with self._database.begin() as session:
            rows = session.scalars(select(OwnRelease).where(OwnRelease.docket_id != (self._but or 0)))
            releases = [SourceRelease.model_validate(row.document) for row in rows]
        ranked = [(fit, one.id) for one in releases if (fit := _fit(ask, one)) > 0]
        return [Met(id=name) for _, name in sorted(ranked, reverse=True)]

    def fetch(self, release_id: str, patient: Patient) -> SourceRelease:
        with self._database.begin() as session:
            row = session.get(OwnRelease, int(release_id)) if release_id.isdigit() else None
            if row is None:
                raise Missing(f"the own catalogue has no entry {release_id}", remedy="Look again")
            return SourceRelease.model_validate(row.document)

    def id_in(self, address: str) -> str | None:
        return address.removeprefix("own:") if address.startswith("own:") else None


def _fit(ask: Ask, release: SourceRelease) -> float:
    match ask.way:
        case "number":
            return max((catalogue_likeness(ask.number, one) for one in release.catalogue_numbers), default=0.0)
        case "barcode":
            return float(release.barcode == ask.barcode)
        case "names":
            asked, kept = f"{ask.artist} {ask.title}", f"{release.artist if ask.artist else ''} {release.title}"
            like = likeness(asked, kept)
            return like if like >= _LEAST_LIKE else 0.0
        case "address":
            return float(ask.address == release.address)
        case _:
            from inkwell_groove.catalogues.tern import toc_digest

            return float(bool(ask.starts) and toc_digest(ask.starts) in release.toc_digests)


class Own(Part):
    """Keeping a docket's description as an entry."""

    def keep(self, docket_id: int, *, who: str) -> None:
        """Makes a docket's description an entry of the own catalogue, or brings its entry up to date.

        Raises Refused where there is too little to find it by.
        """
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            row = session.scalars(select(OwnRelease).where(OwnRelease.docket_id == docket_id)).first()
            if row is None:
                row = OwnRelease(docket_id=docket_id, document={}, made_at=now(), made_by=who)
                session.add(row)
                session.flush()
            row.document = entry_of(docket, row.id).model_dump(mode="json")
            row.made_at, row.made_by = now(), who
            ledger.record(session, who=who, action="kept in the own catalogue", docket_id=docket_id)
        self._events.docket_changed(docket_id)


def entry_of(docket: Docket, entry_id: int) -> SourceRelease:
    """A docket as an entry. Raises Refused where title or tracks are missing."""
    whole = WholeDocket(docket)
    release = whole.release
    rows = {side.id: side for side in sides_of(docket)}
    carriers = {side.id: carrier for carrier in docket.carriers for side in carrier.sides}
    media = []
    for side in whole.sides:
        speed = speed_of(rows[side.id]) or 1.0
        tracks = tuple(
            ReleaseTrack(
                position=f"{side.letter}{place}",
                title=line.title or f"Track {line.number}",
                duration_s=round((line.end_sample - line.start_sample) / line.rate_hz * speed, 1) or None,
                credits=_credits(line.fields),
                work=line.fields.get("work", ""),
                movement=line.fields.get("movement", ""),
                isrc=line.fields.get("isrc", ""),
                original_date=line.fields.get("original_date", ""),
            )
            for place, line in enumerate((one for one in side.tracks if one.number), start=1)
        )
        if tracks:
            kind = carriers[side.id].format
            media.append(Medium(format=kind, side="" if kind == "CD" else side.letter, tracks=tracks))
    if not release.title or not media:
        raise Refused(
            "there is too little to find it by",
            where=docket.shelfmark,
            remedy="Give the release a title and mark its tracks first",
        )
    artist = Credit(name=release.album_artist, sort_name=release.album_artist_sort)
    tocs = [toc for side in rows.values() if (toc := toc_of(side)) is not None]
    return SourceRelease(
        source=OWN,
        id=str(entry_id),
        address=f"own:{entry_id}",
        title=release.title,
        credits=(artist,) if release.album_artist else (),
        labels=values_of(release.label),
        catalogue_numbers=values_of(release.catalogue_number),
        barcode=release.barcode,
        country=release.country,
        date=release.year,
        original_date=release.original_date,
        language=release.language,
        genres=values_of(release.genres),
        compilation=bool(release.compilation),
        live=bool(release.live),
        matrix=release.matrix,
        notes=release.notes,
        media=tuple(media),
        toc_digests=tuple(toc.digest for toc in tocs),
    )


def _credits(fields: dict[str, str]) -> tuple[Credit, ...]:
    credits = [Credit(name=fields["artist"], sort_name=fields.get("artist_sort", ""))] if fields.get("artist") else []
    sorts = values_of(fields.get("composers_sort", ""))
    for place, name in enumerate(values_of(fields.get("composers", ""))):
        credits.append(Credit(name=name, role="composer", sort_name=sorts[place] if place < len(sorts) else ""))
    credits += [Credit(name=name, role="conductor") for name in values_of(fields.get("conductors", ""))]
    for text in values_of(fields.get("performers", "")):
        name, _, instrument = text.partition(" (")
        credits.append(Credit(name=name, role="performer", instrument=instrument.removesuffix(")")))
    return tuple(credits)
