"""Tern Sound Index: finds a release by a disc's table of contents, or some seconds of sound; says little else."""

from __future__ import annotations

from urllib.parse import quote

from pydantic import BaseModel, Field, ValidationError

from inkwell_groove.catalogues.meridian import read
from inkwell_groove.catalogues.patient import Patient, unreadable
from inkwell_groove.catalogues.source import Met, id_of
from inkwell_groove.core.disc.toc import Toc, TocTrack
from inkwell_groove.core.matching.release import Credit, Medium, ReleaseTrack, SourceRelease
from inkwell_groove.core.matching.ways import Ask, Way


class _Entries(BaseModel):
    entries: list[str]


class _Heard(BaseModel):
    excerpt: int
    release: str
    bit_error_rate: float = Field(ge=0, le=1)


class _Sounds(BaseModel):
    heard: list[_Heard]


class _Track(BaseModel):
    title: str
    ms: int = 0


class _Entry(BaseModel):
    id: str
    name: str
    carriers: list[tuple[str, int]]
    tracks: list[_Track]
    discs: list[list[int]] = []
    elsewhere: list[str] = []


class Tern:
    """The index at an address."""

    name = "Tern Sound Index"
    ways: frozenset[Way] = frozenset({"contents", "sound", "address"})

    def __init__(self, address: str) -> None:
        self.address = address.rstrip("/")

    def find(self, ask: Ask, patient: Patient) -> list[Met]:
        if ask.way == "address":
            found = self.id_in(ask.address)
            return [Met(id=found)] if found else []
        if ask.way == "contents":
            answer = patient.get("/discs", {"starts": " ".join(map(str, ask.starts))})
            return [Met(id=one) for one in read(self.name, _Entries, answer).entries]
        body = {"excerpts": [{"prints": list(one.prints), "strengths": list(one.strengths)} for one in ask.excerpts]}
        heard = read(self.name, _Sounds, patient.post("/sounds", body)).heard
        best: dict[str, float] = {}
        tracks: dict[str, set[int]] = {}
        for one in heard:
            if not 0 <= one.excerpt < len(ask.excerpts):
                raise unreadable(self.name, ValueError("it heard what it was not asked"))
            best[one.release] = min(best.get(one.release, 1.0), one.bit_error_rate)
            tracks.setdefault(one.release, set()).add(ask.excerpts[one.excerpt].track)
        # Whatever has most of the tracks goes first: a compilation has only one of them.
        order = sorted(best, key=lambda name: (-len(tracks[name]), best[name]))
        return [Met(id=name, heard=best[name]) for name in order]

    def fetch(self, release_id: str, patient: Patient) -> SourceRelease:
        found = read(self.name, _Entry, patient.get(f"/entries/{quote(release_id, safe='')}"))
        try:
            return self._release(found)
        except (ValidationError, ValueError) as cause:
            raise unreadable(self.name, cause) from cause

    def id_in(self, address: str) -> str | None:
        return id_of(address, f"{self.address}/entries/", r"TS[\w-]+")

    def _release(self, found: _Entry) -> SourceRelease:
        artist, slash, title = found.name.partition(" / ")
        artist, title = (artist, title) if slash else ("", found.name)
        media, at = [], 0
        for number, (kind, count) in enumerate(found.carriers, start=1):
            tracks = tuple(
                ReleaseTrack(
                    position=f"{number}-{place}" if len(found.carriers) > 1 else str(place),
                    title=one.title,
                    duration_s=one.ms / 1000 or None,
                )
                for place, one in enumerate(found.tracks[at : at + count], start=1)
            )
            media.append(Medium(format=kind, tracks=tracks))
            at += count
        return SourceRelease(
            source=self.name,
            id=found.id,
            address=f"{self.address}/entries/{found.id}",
            title=title,
            credits=(Credit(name=artist),) if artist else (),
            media=tuple(media),
            toc_digests=tuple(toc_digest(starts) for starts in found.discs),
            links=tuple(found.elsewhere),
        )


def toc_digest(starts: list[int] | tuple[int, ...]) -> str:
    """The digest of a disc of audio tracks that start there, the last number being its lead-out."""
    tracks = tuple(TocTrack(number=number, start=start) for number, start in enumerate(starts[:-1], start=1))
    return Toc(tracks=tracks, lead_out=starts[-1]).digest
