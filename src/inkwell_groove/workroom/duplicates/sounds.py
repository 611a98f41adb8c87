"""Every sound of the collection that was heard: files that were brought in, and tracks that were sealed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session, load_only

from inkwell_groove.core.duplicates.preferring import Copy
from inkwell_groove.core.files.fields import described
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import SealedAlbum
from inkwell_groove.core.sealing.package import MASTERS
from inkwell_groove.core.survey.finding import album_key
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Bundle, BundleFile, Docket, Package
from inkwell_groove.workroom.files.bundles import root_of
from inkwell_groove.workroom.files.sheet import CHECKSUM, SOUND_ID
from inkwell_groove.workroom.reading import WholeDocket
from inkwell_groove.workroom.survey.surveying import place_of

_LOSSLESS = {"FLAC", "WAV", "AIFF", "ALAC"}
_CHUNK = 5_000
_NEEDED = load_only(BundleFile.bundle_id, BundleFile.path, BundleFile.facts, BundleFile.fields)


@dataclass(frozen=True)
class Sound:
    """One file or sealed track. `id` tells its sound from others: two with the same have the same samples."""

    id: str
    copy: Copy
    path: Path
    title: str
    artist: str
    seconds: float
    place: str
    release: tuple[str, str, str, str]  # artist, album, number, date
    listen: str
    docket_id: int | None = None
    bundle_id: int | None = None
    file_id: int | None = None


def all_sounds(session: Session, media: MediaStore) -> Iterator[Sound]:
    yield from _of_packages(session, media)
    yield from _of_files(session, media)


def _of_files(session: Session, media: MediaStore) -> Iterator[Sound]:
    roots = {one.id: root_of(media, one) for one in session.scalars(select(Bundle))}
    query = select(BundleFile).where(BundleFile.kind == "audio").options(_NEEDED)
    for one in session.scalars(query.execution_options(yield_per=_CHUNK)):
        facts, fields = one.facts, one.fields
        if sound := facts.get(SOUND_ID):
            heard = facts.get("sound") or {}
            copy = Copy(
                key=f"f{one.id}",
                name=one.path,
                lossless=facts.get("format", "") in _LOSSLESS,
                lossy_source=heard.get("coding", {}).get("cause") == "lossy coding",
                proven=facts.get(CHECKSUM) == "right",
                rate_hz=0 if heard.get("coding", {}).get("cause") == "a lower rate" else facts.get("rate_hz", 0),
                bits=heard.get("bits_used") or facts.get("bits", 0),
                bitrate_kbps=facts.get("bitrate_kbps", 0),
                clipped_runs=sum(heard.get("clipped_runs", ())),
                described=described(fields),
            )
            yield Sound(
                id=sound,
                copy=copy,
                path=roots[one.bundle_id] / one.path,
                title=fields.get("title", ""),
                artist=fields.get("artist", ""),
                seconds=facts.get("duration_s", 0.0),
                place=f"{place_of(one.bundle_id, one.path)}|{album_key(fields.get('album', ''))}",
                release=(
                    fields.get("album_artist") or fields.get("artist", ""),
                    fields.get("album", ""),
                    fields.get("catalogue_number", ""),
                    fields.get("date", ""),
                ),
                listen=f"/api/v1/files/{one.id}/sound",
                bundle_id=one.bundle_id,
                file_id=one.id,
            )
        session.expunge(one)


def _of_packages(session: Session, media: MediaStore) -> Iterator[Sound]:
    """The tracks of each docket's newest package."""
    newest: dict[int, Package] = {}
    for package in session.scalars(select(Package).order_by(Package.id)):
        newest[package.docket_id] = package
    for package in newest.values():
        album = SealedAlbum.model_validate(package.album)
        folder = media.package_here(package.folder)
        masters = folder / DATA / MASTERS if album.package else folder
        whole = WholeDocket(session.get_one(Docket, package.docket_id))
        lines = {line.number: line.key for line in whole.lines}
        release = whole.release
        for track in album.tracks:
            rate_hz = track.file_rate_hz or track.rate_hz
            yield Sound(
                id=track.md5,
                copy=Copy(
                    key=f"t{package.docket_id}/{track.number}",
                    name=track.file,
                    lossless=True,
                    sealed=True,
                    proven=True,
                    rate_hz=rate_hz,
                    bits=track.bits,
                ),
                path=masters / track.file,
                title=track.title,
                artist=track.artist or release.album_artist,
                seconds=track.compared_samples / rate_hz,
                place=f"docket {package.docket_id}",
                release=(release.album_artist, release.title, release.catalogue_number, release.year),
                listen=f"/api/v1/dockets/{package.docket_id}/tracks/{lines.get(track.number, '')}/sound",
                docket_id=package.docket_id,
            )
