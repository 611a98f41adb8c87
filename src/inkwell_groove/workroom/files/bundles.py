"""Bringing a folder of files in, from below a configured root, as a ZIP, or cut from one file."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, delete, func, insert, or_, select, true, update
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.sealing.apart import says_where_to_cut
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Bundle, BundleFile, Job
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.files.folders import files_below, kind_of
from inkwell_groove.workroom.files.orders import Result, read_lines
from inkwell_groove.workroom.files.views import BundleView, FolderView
from inkwell_groove.workroom.jobs.arguments import BringIn
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane
from inkwell_groove.workroom.part import Part

BRING_IN = "bring in"
COMING, READY, FAILED = "coming in", "ready", "failed"
_MOST_FOLDERS = 500
_PENDING, _ALTERED = "with unwritten changes", "altered"  # counted beside the kinds
BESIDE = ("picture", "paper", "other")


class Bundles(Part):
    """Folders of files that others made: brought in, looked at again, listed."""

    def __init__(self, database: Database, media: MediaStore, events: Events, root: Path) -> None:
        super().__init__(database, media, events)
        self._root = root

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.bringing_in:bring_in"
        return JobKind(BRING_IN, function, BringIn, self._finish, self._fail, lane=Lane.QUICK)

    def folders(self) -> list[FolderView]:
        """Return the folders below the configured root that hold files, by name."""
        if not self._root.is_dir():
            return []
        with self._database.begin() as session:
            known = set(session.scalars(select(Bundle.origin)))
        found = []
        for place, folders, _ in os.walk(self._root):
            folders[:] = sorted(one for one in folders if not one.startswith("."))
            path = Path(place)
            files = sum(len(inner) for _, _, inner in os.walk(path))
            if path != self._root and files:
                name = path.relative_to(self._root).as_posix()
                found.append(FolderView(name=name, files=files, brought_in=self._media.name_of(path) in known))
            if len(found) >= _MOST_FOLDERS:
                break
        return found

    def bring_in(self, folder: str, *, in_place: bool, who: str) -> BundleView:
        """Brings a folder below the root in. Raises Missing where it is not there, Conflict where it is in already."""
        root = self._root.resolve()
        try:
            path = (root / folder).resolve()
            is_there = path != root and path.is_relative_to(root) and path.is_dir()
        except (OSError, ValueError):  # a name that no file system takes
            is_there = False
        if not is_there:
            raise Missing(f"there is no folder '{folder}'", where=str(self._root), remedy="Choose one of the list")
        return self._begin(path, path.name, origin=self._media.name_of(path), in_place=in_place, who=who)

    def look_again(self, bundle_id: int) -> BundleView:
        """Looks at the files of a folder that is edited in place: somebody else may have altered them.

        Raises Conflict for a copy, which nobody else can have altered, or while it is coming in.
        """
        with self._database.begin() as session:
            bundle = bundle_row(session, bundle_id)
            if not bundle.in_place or bundle.state == COMING:
                raise Conflict(
                    "there is nothing to look at again", where=bundle.name, remedy="Only folders edited in place change"
                )
            folder = root_of(self._media, bundle)
            if not folder.is_dir():
                raise Missing("the folder is gone", where=str(folder), remedy="Put it back, then look again")
            bundle.state = COMING
            self._ask(session, bundle, folder)
            return self._view(bundle, {})

    def bring_in_zip(self, file: Path, name: str, *, who: str) -> BundleView:
        """Takes a received ZIP over and unpacks it into the store."""
        name = clean_text(name.replace("\\", "/").rsplit("/", 1)[-1])[-200:] or "archive.zip"
        return self._begin(file, name.removesuffix(".zip"), origin=name, in_place=False, who=who)

    def take_apart(self, file_id: int, *, who: str) -> BundleView:
        """Makes a folder of its own of a single-file album: its tracks, cut bit for bit. The file itself stays.

        Raises Missing where the file is gone, NotSound where it is no FLAC, Refused where nothing says where to cut.
        """
        with self._database.begin() as session:
            file = session.get(BundleFile, file_id)
            path = None if file is None else root_of(self._media, session.get_one(Bundle, file.bundle_id)) / file.path
        if path is None or not path.is_file():
            raise Missing("the file is gone", where=f"file {file_id}", remedy="Look at its folder again, on Files")
        if not says_where_to_cut(path):
            raise Refused(
                "nothing in it or beside it says where to cut", where=path.name, remedy="Put a cue sheet beside it"
            )
        origin = f"taken apart: {path.name}"
        return self._begin(path, f"{path.stem}, in tracks", origin=origin, in_place=False, apart=True, who=who)

    def _begin(
        self, source: Path, name: str, *, origin: str, in_place: bool, who: str, apart: bool = False
    ) -> BundleView:
        with self._database.begin() as session:
            if (
                in_place
                and session.scalars(
                    select(Bundle).where(Bundle.origin == origin, Bundle.in_place, Bundle.state != FAILED)
                ).first()
            ):
                raise Conflict("this folder is edited in place already", where=name, remedy="Open it in the list")
            bundle = Bundle(name=name, origin=origin, in_place=in_place, state=COMING, told={"told": []})
            session.add(bundle)
            session.flush()
            self._ask(session, bundle, source, apart=apart)
            action = origin if apart else f"files brought in: {name}"
            ledger.record(
                session,
                who=who,
                action=action,
                docket_id=None,
                after={"bundle_id": bundle.id, "origin": origin, "in_place": in_place},
            )
            return self._view(bundle, {})

    def _ask(self, session: Session, bundle: Bundle, source: Path, *, apart: bool = False) -> None:
        arguments = BringIn(
            bundle_id=bundle.id, source=self._media.name_of(source), in_place=bundle.in_place, apart=apart
        )
        self.jobs.ask(session, BRING_IN, docket_id=None, subject=bundle.name, arguments=arguments)

    def one(self, bundle_id: int) -> BundleView:
        """Return one folder of files that was brought in. Raises Missing."""
        with self._database.begin() as session:
            bundle_row(session, bundle_id)
        return self._views(Bundle.id == bundle_id, BundleFile.bundle_id == bundle_id)[0]

    def all(self) -> list[BundleView]:
        """Return all folders of files that were brought in."""
        return self._views(true(), true())

    def _views(self, which: ColumnElement[bool], files_of: ColumnElement[bool]) -> list[BundleView]:
        with self._database.begin() as session:
            counts: dict[int, dict[str, int]] = {}
            altered = or_(BundleFile.path != BundleFile.origin_path, BundleFile.sha256 != BundleFile.origin_sha256)
            rows = session.execute(
                select(
                    BundleFile.bundle_id,
                    BundleFile.kind,
                    func.count(),
                    func.sum(func.json_length(BundleFile.pending) > 0),
                    func.sum(altered),
                )
                .where(files_of)
                .group_by(BundleFile.bundle_id, BundleFile.kind)
            )
            for bundle_id, kind, files, pending, changed in rows:
                one = counts.setdefault(bundle_id, {})
                one[kind] = files
                if kind == "audio":
                    one[_PENDING], one[_ALTERED] = int(pending or 0), int(changed or 0)
            bundles = session.scalars(select(Bundle).where(which).order_by(Bundle.id))
            return [self._view(one, counts.get(one.id, {})) for one in bundles]

    def _finish(self, session: Session, job: Job, arguments: BringIn, result: dict[str, Any]) -> None:
        bundle_id = arguments.bundle_id
        bundle = bundle_row(session, bundle_id)
        found = [_row(bundle_id, Result.model_validate_json(line)) for line in read_lines(self._found(bundle_id))]
        # Looked at again, a file keeps its number and what was changed on the sheet.
        known = dict(
            session.execute(select(BundleFile.path, BundleFile.id).where(BundleFile.bundle_id == bundle_id)).all()
        )
        if gone := known.keys() - {one["path"] for one in found}:
            session.execute(delete(BundleFile).where(BundleFile.id.in_([known[path] for path in gone])))
        if again := [_again(one) | {"id": known[one["path"]]} for one in found if one["path"] in known]:
            session.execute(update(BundleFile), again)
        if new := [one for one in found if one["path"] not in known]:
            session.execute(insert(BundleFile), new)
        bundle.state, bundle.told = READY, {"told": result["told"]}
        after_commit(session, lambda: self._found(bundle_id).unlink(missing_ok=True))
        after_commit(session, lambda: self._forget_upload(arguments))

    def _fail(self, session: Session, job: Job, arguments: BringIn, failure: dict[str, Any]) -> None:
        bundle = bundle_row(session, arguments.bundle_id)
        bundle.state, bundle.told = FAILED, {"told": [f"{failure['what']}. {failure.get('remedy', '')}"]}
        after_commit(session, lambda: self._forget_upload(arguments))

    def _view(self, bundle: Bundle, counts: dict[str, int]) -> BundleView:
        return BundleView(
            id=bundle.id,
            name=bundle.name,
            origin=str(_place_of_origin(self._media, bundle) or bundle.origin),
            in_place=bundle.in_place,
            can_be_filed_back=folder_of_origin(self._media, bundle) is not None,
            state=bundle.state,
            told=list(bundle.told["told"]),
            made_at=bundle.made_at,
            files=sum(count for kind, count in counts.items() if kind not in (_PENDING, _ALTERED)),
            audio=counts.get("audio", 0),
            unreadable=counts.get("unreadable", 0),
            pending=counts.get(_PENDING, 0),
            altered=counts.get(_ALTERED, 0),
        )

    def _found(self, bundle_id: int) -> Path:
        return self._media.root / "bundles" / f"{bundle_id}.found"

    def _forget_upload(self, arguments: BringIn) -> None:
        if arguments.apart:
            return
        source = self._media.path_of(arguments.source)
        if source.is_relative_to(self._media.root / "bundles"):
            source.unlink(missing_ok=True)


def beside_anew(session: Session, media: MediaStore, bundle: Bundle) -> None:
    """Look again at what lies beside a bundle's sound files: a step may have made, altered or removed some of it.

    What was made in a copied folder has no origin: it is not in the folder that was copied.
    """
    root = root_of(media, bundle)
    found = {path.relative_to(root).as_posix(): path for path in files_below(root, []) if kind_of(path) != "audio"}
    known = {
        one.path: one
        for one in session.scalars(
            select(BundleFile)
            .where(BundleFile.bundle_id == bundle.id, BundleFile.kind.in_(BESIDE))
            .execution_options(populate_existing=True)
        )
    }
    for path in known.keys() - found.keys():
        session.delete(known[path])
    new = []
    for name, file in found.items():
        sha256, size_bytes = sha256_of(file), file.stat().st_size
        if (row := known.get(name)) is not None:
            row.sha256, row.size_bytes = sha256, size_bytes
            continue
        made = _row(bundle.id, Result(path=name, kind=kind_of(file), sha256=sha256, size_bytes=size_bytes))
        new.append(made if bundle.in_place else made | {"origin_path": "", "origin_sha256": ""})
    if new:
        session.execute(insert(BundleFile), new)


def was_altered(one: BundleFile) -> bool:
    """Return whether a file has another name or content than when it was brought in."""
    return (one.path, one.sha256) != (one.origin_path, one.origin_sha256)


def bundle_row(session: Session, bundle_id: int) -> Bundle:
    """Return a bundle's row. Raises Missing."""
    bundle = session.get(Bundle, bundle_id)
    if bundle is None:
        raise Missing(f"there is no bundle {bundle_id}", remedy="Look at the list of files")
    return bundle


def root_of(media: MediaStore, bundle: Bundle) -> Path:
    """Return where a bundle's files lie. Raises Missing if this machine does not know their root."""
    return media.path_of(bundle.origin) if bundle.in_place else media.bundle(bundle.id)


def folder_of_origin(media: MediaStore, bundle: Bundle) -> Path | None:
    """Return the folder that a bundle's files were copied from, if it is there; None too for what was no folder."""
    folder = None if bundle.in_place else _place_of_origin(media, bundle)
    return folder if folder is not None and folder.is_dir() else None


def _place_of_origin(media: MediaStore, bundle: Bundle) -> Path | None:
    """Return the folder that a bundle's origin names, None for the name of a ZIP, and for a root not known here."""
    try:
        place = media.path_of(bundle.origin)
    except (Missing, ValueError):
        return None
    return place if place.is_absolute() else None


def _row(bundle_id: int, one: Result) -> dict[str, Any]:
    if len(one.path) > 1_000:
        raise Refused("a path has over 1,000 characters", where=one.path[:100], remedy="Shorten the folders' names")
    return {
        "bundle_id": bundle_id,
        "path": one.path,
        "kind": one.kind,
        "size_bytes": one.size_bytes,
        "sha256": one.sha256,
        "audio_digest": one.audio_digest,
        "origin_path": one.path,
        "origin_sha256": one.sha256,
        "facts": one.facts,
        "fields": one.fields,
        "pending": {},
        "problem": one.problem,
    }


def _again(row: dict[str, Any]) -> dict[str, Any]:
    """Return the values of a row that change when its file is looked at again."""
    return {key: value for key, value in row.items() if key not in ("pending", "origin_path", "origin_sha256")}
