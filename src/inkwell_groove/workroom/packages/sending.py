"""Carrying parts of packages to the folders that players read."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.copies.players import STANDARD, Target, misfits
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import SealedAlbum
from inkwell_groove.core.sealing.package import part_folders
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import HouseDocument, Job, Package
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.house_documents import save_document, version_of
from inkwell_groove.workroom.jobs.arguments import Carry
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Result
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import JobView, View

SEND, TARGET = "carry to target", "target"


class TargetView(View):
    """`id` is none for the application's own, `version` is empty."""

    id: int | None
    version: str = ""
    target: Target


class FitView(View):
    """The files that would be carried, where they go, and what the target cannot show of them."""

    folder: str
    files: int
    misfits: list[str]


class Sending(Part):
    """Targets, and what is carried to them."""

    def __init__(self, database: Database, media: MediaStore, events: Events, root: Path | None) -> None:
        super().__init__(database, media, events)
        self._root = root

    def kind(self) -> AnyKind:
        return JobKind(SEND, "inkwell_groove.workroom.jobs.packages:carry", Carry, self._carried)

    def targets(self) -> list[TargetView]:
        with self._database.begin() as session:
            rows = session.scalars(
                select(HouseDocument).where(HouseDocument.kind == TARGET).order_by(HouseDocument.name)
            ).all()
            saved = [_view(row) for row in rows]
        names = {one.target.name for one in saved}
        return [*(TargetView(id=None, target=one) for one in STANDARD if one.name not in names), *saved]

    def save(self, target: Target, *, who: str, on: str | None = None) -> TargetView:
        """Save a target under its name; the one of that name with the version `on` is replaced.

        Raises ChangedMeanwhile if another one stands there.
        """
        document = target.model_dump(mode="json")
        with self._database.begin() as session:
            what = f"target {target.name}"
            return _view(save_document(session, TARGET, target.name, document, what=what, who=who, on=on))

    def fit(self, package_id: int, part: str, target_name: str) -> FitView:
        """Return what a target cannot show of a part of a package. Raises Missing, or Conflict if no root is set."""
        with self._database.begin() as session:
            package, source, target = self._found(session, package_id, part, target_name)
        files = sorted(path for path in self._media.here(source).rglob("*") if path.is_file())
        return FitView(
            folder=str(self._folder(target, package.album["folders"])), files=len(files), misfits=misfits(files, target)
        )

    def send(self, package_id: int, part: str, target_name: str, *, who: str) -> JobView:
        """Asks for a part of a package to be carried to a target. Raises Missing, Conflict."""
        with self._database.begin() as session:
            package, source, target = self._found(session, package_id, part, target_name)
            prefix = f"{DATA}/{source.relative_to(self._media.package_here(package.folder) / DATA).as_posix()}/"
            album = SealedAlbum.model_validate(package.album)
            arguments = Carry(
                source=self._media.name_of(source),
                target=self._media.name_of(self._folder(target, list(album.folders))),
                files={
                    one.name.removeprefix(prefix): one.sha256 for one in album.package if one.name.startswith(prefix)
                },
                part=part,
                name=target.name,
                who=who,
            )
            subject = f"{package.docket.shelfmark}, {part} to {target.name}"
            job = self.jobs.ask(session, SEND, docket_id=package.docket_id, subject=subject, arguments=arguments)
            return JobView.of(job)

    def _found(self, session: Session, package_id: int, part: str, name: str) -> tuple[Package, Path, Target]:
        if self._root is None:
            raise Conflict("there is no place for targets", where="targets", remedy="Set INKWELL_TARGETS_ROOT")
        package = session.get(Package, package_id)
        if package is None:
            raise Missing(f"there is no package {package_id}", remedy="Reload the docket")
        album = SealedAlbum.model_validate(package.album)
        folders = part_folders(album)
        if part not in folders:
            raise Missing(f"there is no part '{part}'", remedy=f"The parts are {', '.join(folders) or 'none'}")
        row = session.scalars(
            select(HouseDocument).where(HouseDocument.kind == TARGET, HouseDocument.name == name)
        ).first()
        target = (
            Target.model_validate(row.document) if row else next((one for one in STANDARD if one.name == name), None)
        )
        if target is None:
            raise Missing(f"there is no target '{name}'", remedy="Look at the list again")
        return package, self._media.package_here(package.folder) / DATA / folders[part], target

    def _folder(self, target: Target, folders: list[str]) -> Path:
        assert self._root is not None
        return self._root.joinpath(*target.folder.split("/"), *folders)

    def _carried(self, session: Session, job: Job, arguments: Carry, result: Result) -> None:
        ledger.record(
            session,
            who=arguments.who,
            action=f"{arguments.part} carried to {arguments.name}",
            docket_id=job.docket_id,
            after={"folder": arguments.target, **result},
        )


def _view(row: HouseDocument) -> TargetView:
    return TargetView(id=row.id, version=version_of(row.document), target=Target.model_validate(row.document))
