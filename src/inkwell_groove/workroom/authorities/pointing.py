"""What the survey needs to know of headings: which names are settled, and where variants stand all the same."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.survey.finding import Finding
from inkwell_groove.core.survey.names import KIND_OF, STRAYS
from inkwell_groove.store.models import Heading, HeadingVariant, NameUse


def strays(session: Session) -> Iterable[Finding]:
    """For the survey: names that point to a heading and stand in files all the same, as those that came in later do."""
    pointed = select(HeadingVariant.kind, HeadingVariant.value, Heading.name).join(
        Heading, Heading.id == HeadingVariant.heading_id
    )
    for kind, value, name in session.execute(pointed).all():
        fields = [field for field, of in KIND_OF.items() if of == kind]
        uses = select(NameUse.field, NameUse.file_id).where(NameUse.field.in_(fields), NameUse.value == value)
        held: dict[str, list[int]] = {}
        for field, key in session.execute(uses):
            held.setdefault(field, []).append(key)
        for field, keys in held.items():
            yield Finding(
                check=STRAYS,
                about=f"{field}|{value}|{name}",
                files=tuple(sorted(keys)),
                words=f"“{value}” is filed under “{name}”",
                remedy={key: {field: name} for key in keys},
                instead_of=value,
            )


def settled_names(session: Session) -> set[tuple[str, str]]:
    """Names, by kind, of which it is known what they are: headings, and variants of them."""
    told = session.execute(select(Heading.kind, Heading.name)).all()
    return {*told, *session.execute(select(HeadingVariant.kind, HeadingVariant.value)).all()}
