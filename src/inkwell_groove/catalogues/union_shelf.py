"""Union Shelf Catalogue: library records, with works, dates and filing names; found by number, barcode and words."""

from __future__ import annotations

from typing import Literal
from urllib.parse import quote

from pydantic import BaseModel, ValidationError

from inkwell_groove.catalogues.meridian import read
from inkwell_groove.catalogues.patient import Patient, unreadable
from inkwell_groove.catalogues.source import Met, id_of
from inkwell_groove.core.matching.release import ArtOffer, Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.matching.ways import Ask, Way

_COUNT, _MOST = 10, 30


class _Name(BaseModel):
    heading: str = ""
    as_given: str
    function: Literal["artist", "composer", "conductor", "performer"] = "artist"
    medium: str = ""

    def credit(self) -> Credit:
        return Credit(name=self.as_given, role=self.function, sort_name=self.heading, instrument=self.medium)


class _Imprint(BaseModel):
    publishers: list[str] = []
    place: str = ""
    date: str = ""
    first: str = ""


class _Part(BaseModel):
    carrier: int
    part: str
    title: str
    seconds: int | None = None
    names: list[_Name] = []
    work: str = ""
    movement: str = ""
    isrc: str = ""
    first: str = ""


class _Cover(BaseModel):
    file: str
    w: int
    h: int
    bytes: int


class _Record(BaseModel):
    control: str
    main_entry: list[_Name] = []
    title_proper: str
    imprint: _Imprint = _Imprint()
    numbers: list[str] = []
    ean: str = ""
    tongue: str = ""
    subjects: list[str] = []
    extent: list[str]
    live: bool = False
    collection: bool = False
    note: str = ""
    contents: list[_Part]
    sides: list[str] = []
    see_also: list[str] = []
    cover: list[_Cover] = []


class _Hits(BaseModel):
    hits: int
    records: list[_Record]


class UnionShelf:
    """The catalogue at an address."""

    name = "Union Shelf Catalogue"
    ways: frozenset[Way] = frozenset({"number", "barcode", "names", "address"})

    def __init__(self, address: str) -> None:
        self.address = address.rstrip("/")

    def find(self, ask: Ask, patient: Patient) -> list[Met]:
        match ask.way:
            case "address":
                found = self.id_in(ask.address)
                return [Met(id=found)] if found else []
            case "number":
                params = {"publisher_number": ask.number}
            case "barcode":
                params = {"ean": ask.barcode}
            case _:
                params = {"words": " ".join(one for one in (ask.artist, ask.title) if one)}
        met: list[Met] = []
        for start in range(0, _MOST, _COUNT):
            answer = read(self.name, _Hits, patient.get("/records", {**params, "start": start, "count": _COUNT}))
            met += [Met(id=one.control) for one in answer.records]
            if start + _COUNT >= answer.hits:
                break
        return met

    def fetch(self, release_id: str, patient: Patient) -> SourceRelease:
        found = read(self.name, _Record, patient.get(f"/records/{quote(release_id, safe='')}"))
        try:
            return self._release(found)
        except ValidationError as cause:
            raise unreadable(self.name, cause) from cause

    def id_in(self, address: str) -> str | None:
        return id_of(address, f"{self.address}/records/", r"US[\w-]+")

    def _release(self, found: _Record) -> SourceRelease:
        media = []
        for place, kind in enumerate(found.extent):
            parts = [one for one in found.contents if one.carrier == place]
            tracks = tuple(
                ReleaseTrack(
                    position=one.part,
                    title=one.title,
                    duration_s=one.seconds or None,
                    credits=tuple(name.credit() for name in one.names),
                    work=one.work,
                    movement=one.movement,
                    isrc=one.isrc,
                    original_date=one.first,
                )
                for one in parts
            )
            media.append(
                Medium(format=kind, side=found.sides[place] if place < len(found.sides) else "", tracks=tracks)
            )
        return SourceRelease(
            source=self.name,
            id=found.control,
            address=f"{self.address}/records/{found.control}",
            title=found.title_proper,
            credits=tuple(one.credit() for one in found.main_entry),
            labels=tuple(found.imprint.publishers),
            catalogue_numbers=tuple(found.numbers),
            barcode=found.ean,
            country=found.imprint.place,
            date=found.imprint.date,
            original_date=found.imprint.first,
            language=found.tongue,
            genres=tuple(found.subjects),
            compilation=found.collection,
            live=found.live,
            notes=found.note,
            media=tuple(media),
            art=tuple(
                ArtOffer(
                    address=f"{self.address}/covers/{quote(one.file)}",
                    role="front",
                    width_px=one.w,
                    height_px=one.h,
                    size_bytes=one.bytes,
                )
                for one in found.cover
            ),
            links=tuple(found.see_also),
        )
