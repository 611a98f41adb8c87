"""Images for burning, made of a package's masters when they are asked for, and kept until another is made."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import SealedAlbum, SealedTrack
from inkwell_groove.core.sealing.package import MASTERS
from inkwell_groove.store.models import Job, Package
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.jobs.arguments import MakeImage
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Result
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import JobView, View

BURN = "image for burning"


class BurnView(View):
    """One disc that can be made of a package, and its image where there is one."""

    name: str
    made: bool
    job: JobView | None


class Burning(Part):
    """Making images, and handing them out."""

    def kind(self) -> AnyKind:
        return JobKind(BURN, "inkwell_groove.workroom.jobs.packages:make_image", MakeImage, self._made)

    def discs(self, package_id: int) -> list[BurnView]:
        """Return the discs that can be burnt of a package. Raises Missing."""
        with self._database.begin() as session:
            package = _package(session, package_id)
            views = []
            for name in _discs(SealedAlbum.model_validate(package.album)):
                job = self._last(session, package, name)
                made = self._folder(package_id, name).is_dir()
                views.append(BurnView(name=name, made=made, job=JobView.of(job) if job else None))
            return views

    def make(self, package_id: int, name: str, *, who: str) -> JobView:
        """Asks for an image. Raises Missing, Conflict where it is being made or its package is no bag."""
        with self._database.begin() as session:
            package = _package(session, package_id)
            album = SealedAlbum.model_validate(package.album)
            tracks = _discs(album).get(name)
            if tracks is None:
                raise Missing(f"there is no disc '{name}'", remedy=f"There are {', '.join(_discs(album)) or 'none'}")
            if not album.package:
                raise Conflict("it was sealed before packages were bags", where=name, remedy="Seal the docket again")
            last = self._last(session, package, name)
            if last is not None and last.state in ("waiting", "running"):
                raise Conflict("its image is being made", where=name, remedy="Wait for it")
            fields = {one.field: one.value for one in package.docket.fields if not one.track_key}
            arguments = MakeImage(
                package_id=package_id,
                disc=name,
                masters=self._media.name_of(self._media.package_here(package.folder) / DATA / MASTERS),
                target=self._media.name_of(self._folder(package_id, name)),
                title=fields.get("title", ""),
                performer=fields.get("album_artist", ""),
                tracks=[
                    {
                        "path": track.file,
                        "number": track.number,
                        "title": track.title,
                        "artist": track.artist,
                        "gap_sample": _gap(track),
                    }
                    for track in tracks
                ],
                who=who,
            )
            subject = f"{package.docket.shelfmark}, {name}"
            job = self.jobs.ask(session, BURN, docket_id=package.docket_id, subject=subject, arguments=arguments)
            return JobView.of(job)

    def image(self, package_id: int, name: str) -> tuple[Path, str]:
        """Return the folder of an image that was made, and the name of its ZIP. Raises Missing."""
        with self._database.begin() as session:
            package = _package(session, package_id)
            shown = list(package.album["folders"])[-1]
            if name not in _discs(SealedAlbum.model_validate(package.album)):
                raise Missing(f"there is no disc '{name}'", remedy="Reload the docket")
        folder = self._folder(package_id, name)
        if not folder.is_dir():
            raise Missing("this image was not made yet", where=name, remedy="Make it first")
        return folder, f"{shown}, {name}, to burn"

    def _folder(self, package_id: int, name: str) -> Path:
        return self._media.root / "images" / str(package_id) / ("records" if name == RECORDS else name.lower())

    @staticmethod
    def _last(session: Session, package: Package, name: str) -> Job | None:
        jobs = session.scalars(
            select(Job).where(Job.kind == BURN, Job.docket_id == package.docket_id).order_by(Job.id.desc())
        )
        return next(
            (job for job in jobs if (job.arguments["package_id"], job.arguments["disc"]) == (package.id, name)), None
        )

    def _made(self, session: Session, job: Job, arguments: MakeImage, result: Result) -> None:
        ledger.record(
            session,
            who=arguments.who,
            action=f"image for burning made of {arguments.disc.lower()}",
            docket_id=job.docket_id,
            after={"package_id": arguments.package_id, **result},
        )


RECORDS = "All sides"


def _discs(album: SealedAlbum) -> dict[str, list[SealedTrack]]:
    """Return the tracks that can be burnt, by disc: each compact disc, and all sides of records as one."""
    found: dict[str, list[SealedTrack]] = {}
    for track in album.tracks:
        name = track.side if track.side.startswith("Disc") else RECORDS
        found.setdefault(name, []).append(track)
    return found


def _gap(track: SealedTrack) -> int | None:
    """Return where the gap at the end of a file begins, counted in the file; None if it has none."""
    length = track.end_sample - track.start_sample
    if track.gap_sample >= track.end_sample or length <= 0:
        return None
    return round(track.compared_samples * (track.gap_sample - track.start_sample) / length)


def _package(session: Session, package_id: int) -> Package:
    package = session.get(Package, package_id)
    if package is None:
        raise Missing(f"there is no package {package_id}", remedy="Reload the docket")
    if not package.album["tracks"]:
        raise Refused("there is nothing to burn in it", where=package.folder, remedy="Seal the docket again")
    return package
