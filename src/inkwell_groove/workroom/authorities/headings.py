"""Merging variants of a name into its heading: a step with preview and a way back."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.files.fields import SEPARATOR
from inkwell_groove.core.survey.names import KIND_OF, Kind, split_names
from inkwell_groove.store.models import (
    NAME_LENGTH,
    BundleFile,
    DescribedValue,
    Docket,
    FileStep,
    Heading,
    HeadingMerge,
    HeadingVariant,
    NameUse,
    now,
)
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.files.sheet import files_of, stored_value
from inkwell_groove.workroom.files.steps import BACK, Steps
from inkwell_groove.workroom.files.views import Proposed
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import View

# Where a docket has names of each kind; in some fields several, semicolons between them.
IN_DOCKETS: dict[Kind, tuple[str, ...]] = {
    "person": ("album_artist", "artist", "composers", "conductors"),
    "label": ("label",),
    "work": ("work",),
}
_SORTED_BY = {"artist": "artist_sort", "album_artist": "album_artist_sort", "composer": "composer_sort"}
_MOST_SHOWN = 500


class MergeView(View):
    id: int
    kind: str
    name: str
    variants: list[str]
    at: datetime
    by: str
    taken_back: bool

    @classmethod
    def of(cls, row: HeadingMerge) -> MergeView:
        return cls(
            id=row.id,
            kind=row.kind,
            name=row.name,
            variants=list(row.variants),
            at=row.at,
            by=row.by,
            taken_back=row.taken_back_at is not None,
        )


class Merge(BaseModel):
    """Variants that are to become one heading, wherever they stand."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Kind
    name: str = Field(max_length=NAME_LENGTH)
    sort_name: str = Field(default="", max_length=NAME_LENGTH)
    variants: list[str] = Field(min_length=1, max_length=500)


class MergePreview(View):
    """Cells of files and fields of dockets that would change."""

    files: int
    changes: list[Proposed]
    dockets: list[Proposed]


class Headings(Part):
    """Merges and their way back."""

    steps: Steps

    def preview(self, merge: Merge) -> MergePreview:
        """What a merge would change. Changes nothing. Raises Refused."""
        merge = _checked(merge)
        with self._database.begin() as session:
            cells, files = _cells(session, merge)
            changes = [
                Proposed(
                    file_id=key, path=files[key].path, field=field, before=stored_value(files[key], field), after=value
                )
                for key, held in cells.items()
                for field, value in held.items()
            ]
            rows = _values(session, merge)
            marks = dict(session.execute(select(Docket.id, Docket.shelfmark)).all())
            dockets = [
                Proposed(file_id=0, path=marks[one.docket_id], field=one.field, before=one.value, after=after)
                for one, after in rows
            ]
        return MergePreview(files=len(cells), changes=changes[:_MOST_SHOWN], dockets=dockets[:_MOST_SHOWN])

    def merge(self, merge: Merge, *, who: str) -> MergeView:
        """Makes the heading, has the variants point to it, and writes it where they stand.

        Raises Refused, or Conflict while files are being written.
        """
        merge = _checked(merge)
        with self._database.begin() as session:
            cells, _ = _cells(session, merge)
            step = None
            if cells:
                step = self.steps.begin_cells(session, cells, f"heading “{merge.name}”"[:200], who=who, alone=False)
            heading, before = _heading(session, merge, who)
            before["variants"] = _point(session, merge, heading)
            before["dockets"] = _write(session, merge)
            row = HeadingMerge(
                kind=merge.kind,
                name=merge.name,
                variants=list(merge.variants),
                by=who,
                before=before,
                file_step_id=step.id if step else None,
                taken_back_at=None,
            )
            session.add(row)
            session.flush()
            ledger.record(
                session,
                who=who,
                action=f"{merge.kind} heading “{merge.name}”: {len(merge.variants)} variants merged",
                docket_id=None,
                before={"variants": list(merge.variants)},
                after={"name": merge.name, "sort_name": merge.sort_name},
                way_back=WayBack("merge", row.id),
            )
            view, dockets = MergeView.of(row), {int(one["docket_id"]) for one in before["dockets"]}
        self._tell(dockets)
        return view

    def take_back(self, merge_id: int, *, who: str) -> MergeView:
        """Undoes a merge: files byte for byte, what dockets said unless it was changed since, and the heading.

        Raises Missing, or Conflict where its files were changed since or are being written.
        """
        with self._database.begin() as session:
            gone = self._go_back(session, merge_id, Going(who))
            view = MergeView.of(session.get_one(HeadingMerge, merge_id))
        self._tell(gone.dockets)
        return view

    def way_back(self) -> Way:
        return Way(self._open_among, self._go_back)

    def _open_among(self, session: Session, noted: Mapping[int, Any]) -> set[int]:
        here = select(HeadingMerge.id).where(HeadingMerge.id.in_(noted.values()), HeadingMerge.taken_back_at.is_(None))
        standing = set(session.scalars(here))
        return {key for key, merge_id in noted.items() if merge_id in standing}

    def _go_back(self, session: Session, merge_id: int, going: Going) -> Gone:
        row = session.get(HeadingMerge, merge_id, with_for_update=True)
        if row is None:
            raise Missing(f"there is no merge {merge_id}", remedy="Look at the list of merges")
        if row.taken_back_at is not None:
            raise Conflict("this merge was taken back", where=row.name, remedy="Look at the list of merges")
        ledger.record(session, who=going.who, action=f"taken back: {row.kind} heading “{row.name}”", docket_id=None)
        # Its files may have been taken back by themselves already.
        by_job = False
        if row.file_step_id is not None and session.get_one(FileStep, row.file_step_id).state != BACK:
            by_job = self.steps.go_back(session, row.file_step_id, going).by_job
        dockets = _restore(session, row)
        row.taken_back_at = now()
        return Gone(dockets, by_job)

    def _tell(self, dockets: Collection[int]) -> None:
        for one in dockets:
            self._events.docket_changed(one)
        self._events.publish({"kind": "survey"})


def _checked(merge: Merge) -> Merge:
    name = clean_text(merge.name)
    variants = list(dict.fromkeys(text for one in merge.variants if (text := clean_text(one)) and text != name))
    if not name:
        raise Refused("a heading needs a name", where="name", remedy="Choose one of the variants, or write it")
    if not variants:
        raise Refused("there is nothing to merge", where=name, remedy="Choose a form that is not the heading itself")
    if SEPARATOR.strip() in name and merge.kind != "work":
        raise Refused("a heading is one name", where=name, remedy="Leave the semicolon out")
    return merge.model_copy(update={"name": name, "variants": variants, "sort_name": clean_text(merge.sort_name)})


def _replaced(value: str, merge: Merge) -> str:
    """A field's names with the heading in the place of each variant, none twice."""
    names = [merge.name if one in merge.variants else one for one in split_names(value)]
    return SEPARATOR.join(dict.fromkeys(names))


def _cells(session: Session, merge: Merge) -> tuple[dict[int, dict[str, str]], Mapping[int, BundleFile]]:
    fields = [field for field, of in KIND_OF.items() if of == merge.kind]
    uses = session.execute(
        select(NameUse.file_id, NameUse.field).where(NameUse.field.in_(fields), NameUse.value.in_(merge.variants))
    ).all()
    files = files_of(session, {key for key, _ in uses}) if uses else {}
    cells: dict[int, dict[str, str]] = {}
    for key, field in uses:
        value = stored_value(files[key], field)
        after = _replaced(value, merge)
        if after == value:
            continue
        cells.setdefault(key, {})[field] = after
        # A name to file under belongs to a name by itself.
        if merge.sort_name and after == merge.name and field in _SORTED_BY:
            cells[key][_SORTED_BY[field]] = merge.sort_name
    return cells, files


def _values(session: Session, merge: Merge) -> list[tuple[DescribedValue, str]]:
    rows = session.scalars(select(DescribedValue).where(DescribedValue.field.in_(IN_DOCKETS[merge.kind])))
    return [
        (one, after) for one in rows if (after := _replaced(one.value, merge)) != SEPARATOR.join(split_names(one.value))
    ]


def _heading(session: Session, merge: Merge, who: str) -> tuple[Heading, dict[str, Any]]:
    heading = session.scalars(select(Heading).where(Heading.kind == merge.kind, Heading.name == merge.name)).first()
    before: dict[str, Any] = {"heading": None if heading is None else {"sort_name": heading.sort_name}}
    if heading is None:
        heading = Heading(kind=merge.kind, name=merge.name, sort_name="", made_by=who)
        session.add(heading)
    heading.sort_name = merge.sort_name or heading.sort_name
    session.flush()
    return heading, before


def _point(session: Session, merge: Merge, heading: Heading) -> list[dict[str, Any]]:
    """Has the variants point to a heading, and what pointed to a variant too; where each pointed before."""
    before: list[dict[str, Any]] = []
    here = select(HeadingVariant).where(HeadingVariant.kind == merge.kind, HeadingVariant.value.in_(merge.variants))
    rows = {one.value: one for one in session.scalars(here)}
    own = session.scalars(select(Heading).where(Heading.kind == merge.kind, Heading.name.in_(merge.variants))).all()
    for one in own:
        for follower in session.scalars(select(HeadingVariant).where(HeadingVariant.heading_id == one.id)):
            before.append({"value": follower.value, "heading": one.name})
            follower.heading_id = heading.id
    for value in merge.variants:
        row = rows.get(value)
        if row is None:
            session.add(HeadingVariant(kind=merge.kind, value=value, heading_id=heading.id))
            before.append({"value": value, "heading": None})
        elif row.heading_id != heading.id:
            before.append({"value": value, "heading": session.get_one(Heading, row.heading_id).name})
            row.heading_id = heading.id
    # A heading is no variant of another.
    session.execute(delete(HeadingVariant).where(HeadingVariant.kind == merge.kind, HeadingVariant.value == merge.name))
    return before


def _write(session: Session, merge: Merge) -> list[dict[str, Any]]:
    before = []
    touched: set[int] = set()
    for row, after in _values(session, merge):
        before.append({"id": row.id, "docket_id": row.docket_id, "before": row.value, "after": after})
        row.value, row.changed_at = after, now()
        touched.add(row.docket_id)
    for docket in session.scalars(select(Docket).where(Docket.id.in_(touched))):
        docket.changed_at = now()
    return before


def _restore(session: Session, row: HeadingMerge) -> set[int]:
    """Everything but the files as it was; dockets that were changed."""
    for told in row.before["variants"]:
        variant = session.scalars(
            select(HeadingVariant).where(HeadingVariant.kind == row.kind, HeadingVariant.value == told["value"])
        ).first()
        former = session.scalars(
            select(Heading).where(Heading.kind == row.kind, Heading.name == (told["heading"] or ""))
        ).first()
        if variant is not None and former is not None:
            variant.heading_id = former.id
        elif variant is not None:
            session.delete(variant)
    session.flush()
    heading = session.scalars(select(Heading).where(Heading.kind == row.kind, Heading.name == row.name)).first()
    if heading is not None:
        left = session.scalar(select(func.count()).where(HeadingVariant.heading_id == heading.id))
        if row.before["heading"] is not None:
            heading.sort_name = row.before["heading"]["sort_name"]
        elif not left:
            session.delete(heading)
    dockets = set()
    for told in row.before["dockets"]:
        value = session.get(DescribedValue, told["id"])
        if value is not None and value.value == told["after"]:
            value.value, value.changed_at = told["before"], now()
            session.get_one(Docket, value.docket_id).changed_at = now()
            dockets.add(value.docket_id)
    return dockets
