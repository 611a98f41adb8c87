"""Meridian Discography: pressings, with formats, numbers and times; found by number, barcode, words and lengths."""

from __future__ import annotations

from typing import TypeVar
from urllib.parse import quote

from pydantic import BaseModel, Field, ValidationError

from inkwell_groove.catalogues.patient import Patient, unreadable
from inkwell_groove.catalogues.source import Met, id_of
from inkwell_groove.core.matching.release import ArtOffer, ArtRole, Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.matching.ways import Ask, Way

_PAGES = 3  # 30 pressings: more of one name are told apart by nothing that a search gives

Model = TypeVar("Model", bound=BaseModel)


class _Line(BaseModel):
    id: str


class _Found(BaseModel):
    pages: int = Field(ge=1)
    releases: list[_Line]


class _Label(BaseModel):
    name: str
    number: str = ""


class _Track(BaseModel):
    at: str
    name: str
    time: str = ""
    by: list[Credit] = []
    only_here: bool = False


class _Carrier(BaseModel):
    kind: str
    side: str = ""
    tracks: list[_Track]


class _Picture(BaseModel):
    file: str
    shows: ArtRole
    w: int
    h: int
    bytes: int


class _Release(BaseModel):
    id: str
    title: str
    credited: list[Credit] = []
    labels: list[_Label] = []
    barcode: str = ""
    country: str = ""
    released: str = ""
    styles: list[str] = []
    runout: str = ""
    remarks: str = ""
    compilation: bool = False
    carriers: list[_Carrier]
    pictures: list[_Picture] = []


class Meridian:
    """The discography at an address."""

    name = "Meridian Discography"
    ways: frozenset[Way] = frozenset({"number", "barcode", "names", "lengths", "address"})

    def __init__(self, address: str) -> None:
        self.address = address.rstrip("/")

    def find(self, ask: Ask, patient: Patient) -> list[Met]:
        match ask.way:
            case "address":
                found = self.id_in(ask.address)
                return [Met(id=found)] if found else []
            case "number":
                params = {"number": ask.number}
            case "barcode":
                params = {"barcode": ask.barcode}
            case "lengths":
                params = {"lengths": ",".join(f"{one:.1f}" for one in ask.lengths_s)}
            case _:
                params = {"artist": ask.artist, "title": ask.title}
        met: list[Met] = []
        for page in range(1, _PAGES + 1):
            answer = read(self.name, _Found, patient.get("/releases", {**params, "page": page}))
            met += [Met(id=line.id) for line in answer.releases]
            if page >= answer.pages:
                break
        return met

    def fetch(self, release_id: str, patient: Patient) -> SourceRelease:
        found = read(self.name, _Release, patient.get(f"/releases/{quote(release_id, safe='')}"))
        try:
            return self._release(found)
        except ValidationError as cause:
            raise unreadable(self.name, cause) from cause

    def id_in(self, address: str) -> str | None:
        return id_of(address, f"{self.address}/releases/", r"MD[\w-]+")

    def _release(self, found: _Release) -> SourceRelease:
        return SourceRelease(
            source=self.name,
            id=found.id,
            address=f"{self.address}/releases/{found.id}",
            title=found.title,
            credits=tuple(found.credited),
            labels=tuple(dict.fromkeys(one.name for one in found.labels if one.name)),
            catalogue_numbers=tuple(dict.fromkeys(one.number for one in found.labels if one.number)),
            barcode=found.barcode,
            country=found.country,
            date=found.released,
            genres=tuple(found.styles),
            compilation=found.compilation,
            matrix=found.runout,
            notes=found.remarks,
            media=tuple(
                Medium(
                    format=carrier.kind,
                    side=carrier.side,
                    tracks=tuple(
                        ReleaseTrack(
                            position=track.at,
                            title=track.name,
                            duration_s=seconds(track.time),
                            credits=tuple(track.by),
                            bonus=track.only_here,
                        )
                        for track in carrier.tracks
                    ),
                )
                for carrier in found.carriers
            ),
            art=tuple(
                ArtOffer(
                    address=f"{self.address}/pictures/{quote(one.file)}",
                    role=one.shows,
                    width_px=one.w,
                    height_px=one.h,
                    size_bytes=one.bytes,
                )
                for one in found.pictures
            ),
        )


def read(source: str, model: type[Model], body: bytes) -> Model:
    """An answer as what it should be. Raises SourceTrouble."""
    try:
        return model.model_validate_json(body)
    except ValidationError as cause:
        raise unreadable(source, cause) from cause


def seconds(clock: str) -> float | None:
    """'3:24' as seconds; none where the source has no time, or writes one that cannot be read."""
    minutes, colon, rest = clock.strip().rpartition(":")
    if not colon or not minutes.isdigit() or not rest.isdigit():
        return None
    return float(60 * int(minutes) + int(rest)) or None
