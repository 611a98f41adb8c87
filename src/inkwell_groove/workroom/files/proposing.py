"""Changes of many rows, worked out and shown before anything is kept: wording, names, numbers, spreadsheets."""

from __future__ import annotations

import posixpath
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.derived import Derived, Described, derive
from inkwell_groove.core.files.fields import BY_NAME, accept
from inkwell_groove.core.files.moving import plan_moves
from inkwell_groove.core.files.naming import Naming, read_name
from inkwell_groove.core.files.spreadsheet import to_csv, to_xlsx
from inkwell_groove.core.wording.rules import WordingRule
from inkwell_groove.store.models import BundleFile
from inkwell_groove.workroom.files.sheet import PATH, current, current_path, files_of, safe_path
from inkwell_groove.workroom.files.views import Proposed, ProposedView
from inkwell_groove.workroom.part import Part

NAME = "name"  # a file's name without folder and suffix, for wording rules


class Proposing(Part):
    """What a rule, a pattern or a spreadsheet would make of files. Changes nothing."""

    def reword(self, file_ids: Sequence[int], rules: Sequence[WordingRule]) -> ProposedView:
        """Rules in order, each on what the one before made. A file's own name is the field `name`."""
        unknown = {name for rule in rules for name in rule.fields} - set(BY_NAME) - {NAME}
        if unknown:
            raise Refused(f"there is no field '{min(unknown)}'", where="the rule", remedy="Choose fields of the sheet")

        def changed(file: BundleFile) -> dict[str, str]:
            path = current_path(file)
            folder, base = posixpath.split(path)
            stem, suffix = posixpath.splitext(base)
            values = {**current(file), NAME: stem}
            new: dict[str, str] = {}
            for rule in rules:
                new |= rule.apply({**values, **new})
            renamed = new.pop(NAME, stem)
            out = {name: accept(BY_NAME[name], value) for name, value in new.items()}
            return out if renamed == stem else out | {PATH: safe_path(posixpath.join(folder, renamed + suffix), path)}

        with self._database.begin() as session:
            return self._proposed(session, file_ids, changed)

    def name(self, file_ids: Sequence[int], naming: Naming) -> ProposedView:
        """Where files would lie by a pattern."""
        with self._database.begin() as session:
            return self._proposed(
                session, file_ids, lambda file: {PATH: naming.path_for(current(file), posixpath.splitext(file.path)[1])}
            )

    def read_names(self, file_ids: Sequence[int], pattern: str, fields: Sequence[str] | None) -> ProposedView:
        """Fields told by files' names. `fields` limits which are taken."""
        with self._database.begin() as session:
            unfit: list[str] = []

            def told(file: BundleFile) -> dict[str, str]:
                found = read_name(pattern, current_path(file))
                if found is None:
                    unfit.append(file.path)
                    return {}
                return {
                    key: accept(BY_NAME[key], value) for key, value in found.items() if fields is None or key in fields
                }

            view = self._proposed(session, file_ids, told)
        if not unfit:
            return view
        return view.model_copy(
            update={"told": [*view.told, f"{len(unfit)} names do not fit the pattern: {', '.join(unfit[:3])}"]}
        )

    def number(self, file_ids: Sequence[int], *, start: int, per_folder: bool, totals: bool) -> ProposedView:
        """Track numbers in the order given, in one run or anew in each folder; totals beside them if wanted."""
        with self._database.begin() as session:
            files = files_of(session, set(file_ids))
            groups: dict[str, list[int]] = defaultdict(list)
            for key in dict.fromkeys(file_ids):
                groups[posixpath.dirname(current_path(files[key])) if per_folder else ""].append(key)
            wanted: dict[int, dict[str, str]] = {}
            for keys in groups.values():
                for place, key in enumerate(keys):
                    wanted[key] = {"track_number": str(start + place)}
                    if totals:
                        wanted[key]["track_total"] = str(start + len(keys) - 1)
            return self._proposed(session, file_ids, lambda file: wanted[file.id])

    def derive(self, file_ids: Sequence[int], what: Derived) -> ProposedView:
        """What follows from the other fields: names to file under, totals, album artists, first dates."""
        with self._database.begin() as session:
            files = files_of(session, set(file_ids)).values()
            # Folders of different bundles may have one name.
            derived = derive(
                [Described(one.id, f"{one.bundle_id}/{current_path(one)}", current(one)) for one in files], what
            )
            return self._proposed(session, file_ids, lambda file: derived.get(file.id, {}))

    def spreadsheet(self, bundle_ids: Sequence[int], columns: Sequence[str], form: Literal["csv", "xlsx"]) -> bytes:
        """The sheet as it is shown, with its unwritten changes; `columns` in that order."""
        _check_columns(columns)
        with self._database.begin() as session:
            files = sorted(_audio(session, bundle_ids), key=lambda one: (one.bundle_id, one.path))
            rows = [(_key(one), {**current(one), PATH: current_path(one)}) for one in files]
        return (to_csv if form == "csv" else to_xlsx)(columns, rows)

    def read_spreadsheet(self, bundle_ids: Sequence[int], data: bytes) -> ProposedView:
        """What a spreadsheet would change, by its file column. Says what was done with what did not fit."""
        sheet = self.decoding.sheet(data)
        by_name = {spec.name.casefold(): spec.name for spec in BY_NAME.values()}
        by_name |= {
            spec.label.casefold(): spec.name for spec in BY_NAME.values() if spec.label.casefold() not in by_name
        }
        by_name[PATH] = PATH
        known = {name: by_name[name.casefold()] for name in sheet.columns if name.casefold() in by_name}
        told = list(sheet.told)
        if extra := [name for name in sheet.columns if name not in known]:
            told.append(f"Columns that are no fields are passed over: {', '.join(extra[:10])}.")
        with self._database.begin() as session:
            files = {_key(one): one for one in _audio(session, bundle_ids)}
            if strange := [key for key in sheet.rows if key not in files]:
                told.append(f"{len(strange)} rows are about files that are not here: {', '.join(strange[:3])}.")
            if absent := len(files.keys() - sheet.rows.keys()):
                told.append(f"{absent} files have no row: they stay as they are.")

            def changed(file: BundleFile) -> dict[str, str]:
                out = {}
                for name, value in sheet.rows[_key(file)].items():
                    if (field := known.get(name)) == PATH:
                        out[PATH] = safe_path(value, file.path) if value.strip() else current_path(file)
                    elif field is not None:
                        out[field] = accept(BY_NAME[field], value)
                return out

            ids = [files[key].id for key in sheet.rows if key in files]
            view = self._proposed(session, ids, changed)
        return view.model_copy(update={"told": told + view.told})

    def _proposed(
        self, session: Session, file_ids: Sequence[int], changed: Callable[[BundleFile], Mapping[str, str]]
    ) -> ProposedView:
        """The cells that differ. New paths are told apart, among all files of their bundles."""
        files = files_of(session, set(file_ids))
        order = [files[key] for key in dict.fromkeys(file_ids) if files[key].kind == "audio"]
        made = {file.id: dict(changed(file)) for file in order}
        told = _settle_paths(session, order, made)
        changes = []
        for file in order:
            now = {**current(file), PATH: current_path(file)}
            changes += [
                Proposed.model_construct(
                    file_id=file.id,
                    path=file.path,
                    field=name,
                    before=now.get(name, ""),
                    after=value,
                    told=told.get(file.id, "") if name == PATH else "",
                )
                for name, value in made[file.id].items()
                if value != now.get(name, "")
            ]
        taken = sum(1 for one in told.values() if one)
        return ProposedView(
            changes=changes, told=[f"{taken} names were taken: a number tells them apart."] if taken else []
        )


def _settle_paths(session: Session, order: Sequence[BundleFile], made: dict[int, dict[str, str]]) -> dict[int, str]:
    """Gives each file that is to move a path no other has; why it differs, by file."""
    told: dict[int, str] = {}
    moving = [file for file in order if made[file.id].get(PATH, current_path(file)) != current_path(file)]
    for bundle_id in {file.bundle_id for file in moving}:
        everybody = session.execute(
            select(BundleFile.id, BundleFile.path, BundleFile.pending).where(BundleFile.bundle_id == bundle_id)
        )
        now = {key: str(pending.get(PATH, path)) for key, path, pending in everybody}
        wanted = {file.id: made[file.id][PATH] for file in moving if file.bundle_id == bundle_id}
        settled = {one.key: one for one in plan_moves(now, wanted)}
        for key in wanted:
            made[key][PATH] = settled[key].new if key in settled else now[key]
            told[key] = settled[key].told if key in settled else ""
    return told


def _audio(session: Session, bundle_ids: Sequence[int]) -> Iterable[BundleFile]:
    return session.scalars(
        select(BundleFile).where(BundleFile.bundle_id.in_(bundle_ids), BundleFile.kind == "audio")
    ).all()


def _key(file: BundleFile) -> str:
    """What a row of a spreadsheet is known by: the stored path, with the bundle's number before it."""
    return f"{file.bundle_id}:{file.path}"


def _check_columns(columns: Sequence[str]) -> None:
    if unknown := [name for name in columns if name != PATH and name not in BY_NAME]:
        raise Refused(f"there is no field '{unknown[0]}'", where="columns", remedy="Choose fields of the sheet")
