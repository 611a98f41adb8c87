"""The names of the whole collection: where each stands, what it points to, and which are likely one."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.survey.names import KIND_OF, Kind, Use, spellings, split_names
from inkwell_groove.store.models import DescribedValue, Heading, HeadingMerge, HeadingVariant, NameUse
from inkwell_groove.workroom.authorities.headings import IN_DOCKETS, MergeView
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View

_MOST_NAMES, _MOST_SUGGESTED, _MOST_MERGES = 300, 50, 50


class NameView(View):
    """A name as it stands somewhere. `heading` is what it points to, its own name where it is one."""

    name: str
    files: int
    dockets: int
    heading: str
    sort_name: str


class Suggestion(View):
    """Variants that are likely one name."""

    name: str
    variants: list[str]
    words: str


class NamesView(View):
    total: int
    names: list[NameView]
    suggested: list[Suggestion]
    merges: list[MergeView]


class Names(Part):
    """The names there are, for reading."""

    def of_kind(self, kind: Kind, *, text: str = "", start: int = 0) -> NamesView:
        """Names of a kind in alphabetical order, of files as the last survey saw them."""
        with self._database.begin() as session:
            files = _in_files(session, kind)
            dockets = _in_dockets(session, kind)
            headings = {one.id: one for one in session.scalars(select(Heading).where(Heading.kind == kind))}
            variants = dict(
                session.execute(
                    select(HeadingVariant.value, HeadingVariant.heading_id).where(HeadingVariant.kind == kind)
                ).all()
            )
            own = {one.name: one for one in headings.values()}
            wanted = clean_text(text).casefold()
            all_names = sorted({*files, *dockets, *own}, key=lambda one: (one.casefold(), one))
            found = [one for one in all_names if wanted in one.casefold()]
            views = []
            for name in found[start : start + _MOST_NAMES]:
                heading = own.get(name) or headings.get(variants.get(name, 0))
                views.append(
                    NameView(
                        name=name,
                        files=files.get(name, 0),
                        dockets=dockets.get(name, 0),
                        heading=heading.name if heading else "",
                        sort_name=heading.sort_name if heading else "",
                    )
                )
            merges = session.scalars(
                select(HeadingMerge)
                .where(HeadingMerge.kind == kind)
                .order_by(HeadingMerge.id.desc())
                .limit(_MOST_MERGES)
            )
            return NamesView(
                total=len(found),
                names=views,
                suggested=_suggested(files, dockets, kind, {*own, *variants}),
                merges=[MergeView.of(one) for one in merges],
            )


def _in_files(session: Session, kind: Kind) -> dict[str, int]:
    fields = [field for field, of in KIND_OF.items() if of == kind]
    query = select(NameUse.value, func.count(NameUse.file_id.distinct())).where(NameUse.field.in_(fields))
    return dict(session.execute(query.group_by(NameUse.value)).all())


def _in_dockets(session: Session, kind: Kind) -> dict[str, int]:
    query = select(DescribedValue.value, DescribedValue.docket_id).where(DescribedValue.field.in_(IN_DOCKETS[kind]))
    held: dict[str, set[int]] = {}
    for value, docket_id in session.execute(query):
        for name in split_names(value):
            held.setdefault(name, set()).add(docket_id)
    return {name: len(ids) for name, ids in held.items()}


def _suggested(
    files: Mapping[str, int], dockets: Mapping[str, int], kind: Kind, known: Collection[str]
) -> list[Suggestion]:
    """What are likely spellings of one name, by the name; nothing of those that are settled."""
    field = next(field for field, of in KIND_OF.items() if of == kind)
    uses = [Use(field, name, files.get(name, 0) + dockets.get(name, 0)) for name in {**files, **dockets}]
    held: dict[str, dict[str, str]] = {}
    for one in spellings(uses):
        if one.value not in known:
            held.setdefault(one.usual, {})[one.value] = f"“{one.value}”, {one.how} it"
    return [
        Suggestion(name=name, variants=sorted(told), words="; ".join(told.values()))
        for name, told in sorted(held.items())
    ][:_MOST_SUGGESTED]
