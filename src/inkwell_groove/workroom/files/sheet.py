"""The sheet: rows as stored, and what was changed on it but is not written yet."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session, load_only

from inkwell_groove.core.errors import Conflict, InkwellError, Missing, Refused
from inkwell_groove.core.files.fields import BY_NAME, FIELDS, accept
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import PictureFacts, read_pictures
from inkwell_groove.core.filing import safe_name
from inkwell_groove.core.seen import check_seen
from inkwell_groove.store.models import Bundle, BundleFile
from inkwell_groove.workroom.files.bundles import root_of
from inkwell_groove.workroom.files.views import (
    CellChange,
    FieldView,
    ProblemView,
    RowView,
    SheetView,
    SummaryView,
)
from inkwell_groove.workroom.part import Part

# Cells that are no tags: where a file lies; its silent end taken off (a checksum of its samples stored is `CHECKSUM`).
PATH, SILENCE = "path", "silence"
TAKE_OFF = "take off"
# Among the facts of a file, once it was listened to: what was heard of it, by what its sound is told from others, and
# whether its samples have the checksum stored with them ("right", "wrong", "none"; empty where there can be none), and
# how loud it is.
SOUND, SOUND_ID, CHECKSUM, LOUDNESS = "sound", "sound_id", "checksum", "loudness"
SILENT_HEAD = "silent_head_s"
HEARD = (SOUND, SOUND_ID, CHECKSUM, SILENT_HEAD, LOUDNESS)
_MOST_PATH = 1_000
_SHORT = load_only(BundleFile.bundle_id, BundleFile.path, BundleFile.kind, BundleFile.fields, BundleFile.pending)


class Sheets(Part):
    """Rows of files, across bundles."""

    def sheet(self, bundle_ids: Sequence[int]) -> SheetView:
        """All sound files of some bundles, and those that cannot be read, in the order of their paths."""
        with self._database.begin() as session:
            _known(session, bundle_ids)
            rows = session.execute(
                select(
                    BundleFile.id,
                    BundleFile.bundle_id,
                    BundleFile.path,
                    BundleFile.kind,
                    BundleFile.size_bytes,
                    BundleFile.audio_digest,
                    BundleFile.facts,
                    BundleFile.fields,
                    BundleFile.pending,
                    BundleFile.problem,
                ).where(BundleFile.bundle_id.in_(bundle_ids), BundleFile.kind.in_(("audio", "unreadable")))
            ).all()
        views = [_row(*row) for row in rows]
        views.sort(key=lambda row: (row.bundle_id, row.path))
        return SheetView(
            fields=self.fields(),
            rows=views,
        )

    @staticmethod
    def fields() -> list[FieldView]:
        """The columns there are."""
        return [
            FieldView(name=one.name, label=one.label, group=one.group, many=one.many, long=one.long, hint=one.hint)
            for one in FIELDS
        ]

    def change(self, changes: Sequence[CellChange]) -> SummaryView:
        """Keeps changed cells, unwritten.

        All or nothing: raises Refused for a value no format holds, Missing for an unknown file, ChangedMeanwhile for
        cells that are no longer as they were seen.
        """
        with self._database.begin() as session:
            files = files_of(session, {one.file_id for one in changes}, lock=True)
            pending = {key: dict(one.pending) for key, one in files.items()}
            check_seen(_seen_cells(changes, files))
            for one in changes:
                file = files[one.file_id]
                value, stored = _accepted(one, file), stored_value(file, one.field)
                if value == stored:
                    pending[one.file_id].pop(one.field, None)
                else:
                    pending[one.file_id][one.field] = value
            keep_pending(session, {key: value for key, value in pending.items() if value != files[key].pending})
            summary = _summary({key: (files[key], value) for key, value in pending.items()}.values())
        self._events.publish({"kind": "cells"})
        return summary

    def discard(self, file_ids: Sequence[int], fields: Sequence[str] | None) -> None:
        """Gives unwritten changes up: of some fields, or of all."""
        with self._database.begin() as session:
            files = files_of(session, set(file_ids), lock=True)
            keep_pending(
                session,
                {
                    key: {
                        name: value for name, value in one.pending.items() if fields is not None and name not in fields
                    }
                    for key, one in files.items()
                    if one.pending
                },
            )
        self._events.publish({"kind": "files"})

    def summary(self, bundle_ids: Sequence[int]) -> SummaryView:
        """What Write would do."""
        with self._database.begin() as session:
            rows = session.scalars(select(BundleFile).where(BundleFile.bundle_id.in_(bundle_ids)))
            return _summary((one, one.pending) for one in rows if one.pending)

    def picture(self, file_id: int, number: int) -> tuple[bytes, str]:
        """An embedded picture and its MIME type, from the file itself. Raises Missing."""
        path = self._path(file_id)
        pictures: list[Embedded] = read_pictures(path) if path.is_file() else []
        if number >= len(pictures):
            raise Missing(f"this file has no picture {number}", where=path.name, remedy="Load the sheet again")
        return pictures[number].data, pictures[number].mime

    def sound(self, file_id: int) -> Path:
        """Where a recording lies, to be heard. Raises Missing, also for a file that is none."""
        with self._database.begin() as session:
            if files_of(session, {file_id})[file_id].kind != "audio":
                raise Missing("this file is no sound", remedy="Choose a recording")
        path = self._path(file_id)
        if not path.is_file():
            raise Missing("the file is gone", where=str(path), remedy="Bring the folder in again")
        return path

    def others(self, file_id: int) -> list[tuple[str, str]]:
        """Tags of other people's that stay as they are. Raises Missing."""
        with self._database.begin() as session:
            file = files_of(session, {file_id})[file_id]
            return [(key, value) for key, value in file.facts.get("others", [])]

    def _path(self, file_id: int) -> Path:
        with self._database.begin() as session:
            file = files_of(session, {file_id})[file_id]
            return root_of(self._media, session.get_one(Bundle, file.bundle_id)) / file.path


def files_of(session: Session, ids: set[int], *, lock: bool = False, facts: bool = False) -> dict[int, BundleFile]:
    """Files by id. What is known of their sound and pictures is long and seldom asked: `facts` fetches it at once.

    Raises Missing where one is not there.
    """
    found: dict[int, BundleFile] = {}
    wanted = sorted(ids)
    for at in range(0, len(wanted), 1_000):
        query = (
            select(BundleFile)
            .where(BundleFile.id.in_(wanted[at : at + 1_000]))
            .options(*([] if facts else [_SHORT]))
            .order_by(BundleFile.id)
        )
        found |= {one.id: one for one in session.scalars(query.with_for_update() if lock else query)}
    if len(found) < len(ids):
        raise Missing(f"there is no file {min(ids - set(found))}", where="the sheet", remedy="Load the sheet again")
    return found


def keep_pending(session: Session, pending: Mapping[int, dict[str, Any]]) -> None:
    """All at once: ten thousand rows are not changed one by one."""
    if pending:
        session.execute(update(BundleFile), [{"id": key, "pending": value} for key, value in pending.items()])


def stored_value(file: BundleFile, field: str) -> str:
    if field == PATH:
        return file.path
    return "" if field in (SILENCE, CHECKSUM) else str(file.fields.get(field, ""))


def current(file: BundleFile) -> dict[str, str]:
    """A file's values as the sheet shows them."""
    return {**file.fields, **{key: value for key, value in file.pending.items() if key in BY_NAME}}


def current_path(file: BundleFile) -> str:
    return str(file.pending.get(PATH, file.path))


def _seen_cells(changes: Sequence[CellChange], files: Mapping[int, BundleFile]) -> Iterator[tuple[str, str, str, str]]:
    """Yield name, seen, now and wanted of each change that says on what it was made."""
    for one in changes:
        if one.seen is None:
            continue
        file = files[one.file_id]
        try:
            seen = _accepted(one.model_copy(update={"value": one.seen}), file)
        except InkwellError:
            seen = one.seen  # nobody can have typed it: it is compared as it is
        now = str(file.pending.get(one.field, stored_value(file, one.field)))
        yield f"{one.field} of {file.path}", seen, now, _accepted(one, file)


def _accepted(change: CellChange, file: BundleFile) -> str:
    where = f"{change.field} of {file.path}"
    if file.kind != "audio":
        raise Conflict("this file cannot be read, so it is left alone", where=file.path, remedy="Look at the file")
    if change.field == SILENCE:
        if change.value not in ("", TAKE_OFF):
            raise Refused(f"'{change.value}' is no choice", where=where, remedy=f"Write '{TAKE_OFF}', or nothing")
        return change.value
    if change.field == PATH:
        return safe_path(change.value, file.path)
    if change.field not in BY_NAME:
        raise Refused(f"there is no field '{change.field}'", where=where, remedy=f"There are {', '.join(BY_NAME)}")
    return accept(BY_NAME[change.field], change.value)


def safe_path(path: str, old: str) -> str:
    """A path below the bundle that every system takes, with the file's own suffix. Raises Refused for an empty one."""
    suffix = "." + old.rsplit(".", 1)[1] if "." in old else ""
    parts = [part.strip() for part in path.replace("\\", "/").split("/") if part.strip() not in ("", ".", "..")]
    if not parts:
        raise Refused("a file needs a name", where=old, remedy="Write one")
    if parts[-1].lower().endswith(suffix.lower()):
        parts[-1] = parts[-1][: len(parts[-1]) - len(suffix)]
    folders = [safe_name(part, keep_percent=True) for part in parts[:-1]]
    made = "/".join([*folders, safe_name(parts[-1], suffix=suffix, keep_percent=True)])
    if len(made) > _MOST_PATH:
        raise Refused("the path has over 1,000 characters", where=old, remedy="Shorten the folders' names")
    # What differs in nothing but how its accents are put together stays as it is on the disk.
    return old if unicodedata.normalize("NFC", old) == made else made


def _known(session: Session, bundle_ids: Sequence[int]) -> None:
    found = set(session.scalars(select(Bundle.id).where(Bundle.id.in_(bundle_ids))))
    if missing := set(bundle_ids) - found:
        raise Missing(f"there is no bundle {min(missing)}", remedy="Look at the list of files")


def _row(
    id_: int,
    bundle_id: int,
    path: str,
    kind: str,
    size: int,
    audio: str,
    facts: dict[str, Any],
    fields: dict[str, str],
    pending: dict[str, str],
    problem: dict[str, Any] | None,
) -> RowView:
    """Built without validation: it comes from our own rows, and there may be ten thousand."""
    return RowView.model_construct(
        id=id_,
        bundle_id=bundle_id,
        path=path,
        kind=kind,
        format=facts.get("format", ""),
        duration_s=facts.get("duration_s", 0.0),
        rate_hz=facts.get("rate_hz", 0),
        bits=facts.get("bits", 0),
        bitrate_kbps=facts.get("bitrate_kbps", 0),
        tagged_as=facts.get("tagged_as", ""),
        silent_tail_s=facts.get("silent_tail_s", 0.0),
        size_bytes=size,
        audio_digest=audio,
        fields=fields,
        pending=pending,
        pictures=[PictureFacts.model_construct(**one) for one in facts.get("pictures", [])],
        carries=facts.get("carries", []),
        others=len(facts.get("others", [])),
        problem=ProblemView.model_construct(**problem) if problem else None,
    )


def _summary(rows: Iterable[tuple[BundleFile, Mapping[str, Any]]]) -> SummaryView:
    counts: Counter[str] = Counter()
    files = 0
    for _, pending in rows:
        files += bool(pending)
        counts.update(pending.keys())
    return SummaryView(
        files=files,
        cells=counts.total(),
        moves=counts.get(PATH, 0),
        shortened=counts.get(SILENCE, 0),
        by_field=dict(counts),
    )
