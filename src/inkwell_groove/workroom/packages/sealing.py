"""Sealing a docket: the order drawn up from the rows, the work done in a job, the package kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core import filing
from inkwell_groove.core.errors import Conflict, InkwellError, Missing, Refused
from inkwell_groove.core.sealing.album import check_order
from inkwell_groove.core.sealing.bag import DATA
from inkwell_groove.core.sealing.order import CoverOrder, PictureOrder, SealedAlbum, SealOrder, SideOrder
from inkwell_groove.core.sealing.package import MASTERS, part_folders
from inkwell_groove.store.models import Artwork, Docket, Job, Package, Take, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.disc.discs import TAKE
from inkwell_groove.workroom.disc.standing import standing
from inkwell_groove.workroom.files.rules import art_rule
from inkwell_groove.workroom.hearing import learnt_path
from inkwell_groove.workroom.jobs.arguments import Seal
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Result
from inkwell_groove.workroom.packages.profiles import profile_of
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.pictures import SET_ASIDE
from inkwell_groove.workroom.reading import WholeDocket, description_of, docket_row, side_label, sides_of
from inkwell_groove.workroom.repairs import scan_path
from inkwell_groove.workroom.views import JobView, Transferred, View, artwork_facts, format_of

SEAL = "seal"
_MOST_DOCKETS = 500
_PAPERS = {
    ".cue": "text/plain",
    ".m3u8": "text/plain",
    ".log": "text/plain",
    ".txt": "text/plain",
    ".xml": "text/xml",
    ".json": "application/json",
    ".html": "text/html",
}
_BARE = ("SHA256SUMS",)


class SealAsked(View):
    """What became of one docket of many that were to be sealed."""

    docket_id: int
    shelfmark: str
    outcome: Literal["asked", "as it is", "not possible"]
    words: str
    job_id: int | None = None


def transfer_told(take: Take) -> tuple[tuple[str, str], ...]:
    """What the log says of a take that was recorded here: when, from what, through which chain, and what went wrong."""
    if take.transferred is None:
        return ()
    told = Transferred.model_validate(take.transferred)
    gain = "" if told.gain_db is None else f", gain {told.gain_db:+.1f} dB"
    began = told.began_at.isoformat(timespec="seconds")
    chain = "; ".join(f"{name} {value}" for name, value in told.chain.lines())
    faults = [(f"fault at {fault.at_sample}", fault.words) for fault in told.faults]
    return (
        ("recorded", f"{began} from {told.source}{gain}; ended: {told.ended}"),
        ("chain", told.chain.name + (f": {chain}" if chain else "")),
        *(faults or [("faults", "none while recording")]),
        *([("read back", "every sample as it came in")] if told.read_back else []),
    )


def _is_damaged(package: Package) -> bool:
    """Whether a file of it was found damaged or gone when it was last verified."""
    findings = (package.fixity or {}).get("findings", [])
    return any(one["state"] in ("damaged", "missing") for one in findings)


class Sealing(Part):
    """Sealing, and what was sealed. `sealed` is called with each new package, in the transaction that books it."""

    sealed: Callable[[Session, Package], None] = staticmethod(lambda session, package: None)

    def kind(self) -> AnyKind:
        return JobKind(SEAL, "inkwell_groove.workroom.jobs.sealing:seal", Seal, self._finish)

    def seal(self, docket_id: int, *, who: str, anew: bool = False) -> JobView:
        """Asks for the job that seals a docket as it stands now.

        What its newest package holds as it is wanted is taken over and proven again, unless all is to be made `anew`.
        Raises Refused, listing all that is missing, or Conflict where it is being sealed already.
        """
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            self._not_under_way(session, docket)
            return JobView.of(self._ask(session, docket, WholeDocket(docket), who, anew=anew))

    def seal_many(self, docket_ids: list[int], *, who: str) -> list[SealAsked]:
        """Asks for the sealing of each docket that can be sealed and is not, as it stands; what was done with each.

        Those whose package is what they are now, and not known to be damaged, are passed over: by what they hold, not
        by any date.
        """
        if len(docket_ids) > _MOST_DOCKETS:
            raise Refused(
                f"{len(docket_ids)} dockets at once", where="dockets", remedy=f"Choose at most {_MOST_DOCKETS}"
            )
        answers = []
        for docket_id in dict.fromkeys(docket_ids):
            with self._database.begin() as session:
                docket = docket_row(session, docket_id, lock=True)
                whole = WholeDocket(docket)
                told = {"docket_id": docket_id, "shelfmark": docket.shelfmark}
                if whole.standing == "sealed" and not _is_damaged(docket.packages[-1]):
                    answers.append(SealAsked(**told, outcome="as it is", words="its package is what it is now"))
                    continue
                try:
                    self._not_under_way(session, docket)
                    job = self._ask(session, docket, whole, who)
                except InkwellError as refusal:
                    words = f"{refusal.what}. {refusal.remedy}." if refusal.remedy else f"{refusal.what}."
                    answers.append(SealAsked(**told, outcome="not possible", words=words))
                else:
                    answers.append(SealAsked(**told, outcome="asked", job_id=job.id, words="waits for its turn"))
        return answers

    def _ask(self, session: Session, docket: Docket, whole: WholeDocket, who: str, *, anew: bool = False) -> Job:
        order = self._order(docket, whole, who).model_copy(update={"art": art_rule(session)})
        check_order(order)
        earlier = None
        if docket.packages and not anew:
            newest = docket.packages[-1]
            sealed_at = newest.sealed_at.isoformat(timespec="seconds")
            earlier = {"folder": newest.folder, "album": newest.album, "sealed_at": sealed_at}

        def arguments(job_id: int) -> Seal:
            return Seal(
                order=order.model_dump(mode="json"),
                basis=whole.basis,
                # The job's number makes the place its own, so a job begun twice writes to one place.
                package=f"{filing.safe_name(docket.shelfmark)}/{job_id}",
                earlier=earlier,
                who=who,
            )

        return self.jobs.ask(session, SEAL, docket_id=docket.id, subject=docket.shelfmark, arguments=arguments)

    @staticmethod
    def _not_under_way(session: Session, docket: Docket) -> None:
        """Raises Conflict where it is being sealed, or its recording is still being made."""
        under_way = select(Job.kind).where(Job.docket_id == docket.id, Job.state.in_(["waiting", "running"]))
        kinds = set(session.scalars(under_way))
        if SEAL in kinds:
            raise Conflict("it is being sealed already", where=docket.shelfmark, remedy="Wait for that to end")
        if TAKE in kinds:
            raise Conflict(
                "its recording is still being made of the latest reading",
                where=docket.shelfmark,
                remedy="Wait a moment, then seal",
            )

    def package(self, package_id: int) -> tuple[Path, list[str]]:
        """A package's folder, and the names of the folders that its ZIP shows. Raises Missing."""
        with self._database.begin() as session:
            package = session.get(Package, package_id)
            if package is None:
                raise Missing(f"there is no package {package_id}", remedy="Reload the docket")
            folder, shown = package.folder, list(package.album["folders"])
        path = self._media.package(folder)
        if not path.is_dir():
            raise Missing(
                f"the files of this package are gone from {path}", where=folder, remedy="Seal the docket again"
            )
        return path, shown

    def part(self, package_id: int, name: str) -> tuple[Path, str]:
        """The folder of one part of a package (its masters, one kind of copies), and what its ZIP is called."""
        path, shown = self.package(package_id)
        with self._database.begin() as session:
            album = SealedAlbum.model_validate(session.get_one(Package, package_id).album)
        folders = part_folders(album)
        if name not in folders:
            raise Missing(f"there is no part '{name}'", remedy=f"The parts are {', '.join(folders) or 'none'}")
        return path / DATA / folders[name], f"{shown[-1]}, {name}"

    def paper(self, package_id: int, name: str) -> tuple[str, str]:
        """The text of one of a package's papers, and its media type. Raises Missing for any other name."""
        path, _ = self.package(package_id)
        with self._database.begin() as session:
            album = SealedAlbum.model_validate(session.get_one(Package, package_id).album)
        sound = {track.file for track in album.tracks}
        masters = path / DATA / MASTERS if album.package else path
        places = {file.name: masters / file.name for file in album.files if file.name not in sound}
        for file in album.package:
            if Path(file.name).suffix in _PAPERS:
                places.setdefault(file.name.removeprefix(f"{DATA}/"), path / file.name)
        places = {one: place for one, place in places.items() if place.suffix in _PAPERS or place.name in _BARE}
        if name not in places:
            raise Missing(f"there is no paper {name}", remedy=f"The papers are {', '.join(sorted(places))}")
        return places[name].read_text("utf-8"), _PAPERS.get(places[name].suffix, "text/plain")

    def _order(self, docket: Docket, whole: WholeDocket, who: str) -> SealOrder:
        sides = []
        for row, side in zip(sides_of(docket), whole.sides, strict=True):
            take = row.chosen_take
            if take is None or side.plan is None:
                continue
            sides.append(
                SideOrder(
                    name=side_label(row),
                    take_path=self._media.name_of(self._media.take_here(take.sha256)),
                    take_name=take.name,
                    take_format=format_of(take),
                    plan=side.plan.plan,
                    scan_path=scan_path(self._media, take.sha256),
                    learnt_path=learnt_path(self._media, take.sha256, side.plan.plan.restoration),
                    transfer=transfer_told(take),
                    descriptions=tuple(description_of(line) for line in side.tracks),
                    readings=standing(row.disc_reads).records,
                )
            )
        front = next((one for one in docket.artwork if one.role == "front"), None)
        cover = CoverOrder(path=self._picture(front), facts=artwork_facts(front)) if front else None
        return SealOrder(
            shelfmark=docket.shelfmark,
            release=whole.release,
            sides=tuple(sides),
            cover=cover,
            pictures=tuple(
                PictureOrder(path=self._picture(one), facts=artwork_facts(one), role=one.role)
                for one in docket.artwork
                if one.role not in ("front", SET_ASIDE)
            ),
            profile=profile_of(docket)[1],
            folder_pattern=docket.folder_pattern,
            file_pattern=docket.file_pattern,
            sealed_at=now().isoformat(timespec="seconds"),
            sealed_by=who,
        )

    def _picture(self, artwork: Artwork) -> str:
        return self._media.name_of(self._media.picture(artwork.sha256))

    def _finish(self, session: Session, job: Job, arguments: Seal, result: Result) -> None:
        docket = docket_row(session, job.docket_id or 0, lock=True)
        # Every file was read back from the disk at the end: that is its first verification.
        sealed_at = now()
        package = Package(
            docket_id=docket.id,
            folder=result["folder"],
            basis=arguments.basis,
            album=result["album"],
            sealed_at=sealed_at,
            verified_at=sealed_at,
            sealed_by=arguments.who,
        )
        docket.packages.append(package)
        session.flush()
        self.sealed(session, package)
        album = SealedAlbum.model_validate(result["album"])
        kept = f"; as they were: {', '.join(album.kept)}" if album.kept else ""
        ledger.record(
            session,
            who=arguments.who,
            action=f"sealed: {len(album.tracks)} tracks proven{kept}",
            docket_id=docket.id,
            after={"package_id": package.id, "folder": package.folder},
        )
