"""Sealing profiles: the application's own and saved ones, and which a docket has.

A docket holds a copy of its profile, so that its packages know when it changed; saving a profile anew changes it in
all dockets that have it, and says so.
"""

from __future__ import annotations

from typing import Any

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.sealing.profile import ARCHIVE, STANDARD, Profile
from inkwell_groove.store.models import Docket, HouseDocument, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.house_documents import remove_document, save_document
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View

PROFILE = "profile"
_MOST_DOCKETS = 500


class ProfileView(View):
    """`id` is none for the application's own."""

    id: int | None
    name: str
    profile: Profile
    dockets: int = Field(description="How many dockets have it.")


def profile_of(docket: Docket) -> tuple[str, Profile]:
    """A docket's profile: the one it was given, or the standing one."""
    if docket.profile is None:
        return ARCHIVE, STANDARD[ARCHIVE]
    return docket.profile["name"], Profile.model_validate(docket.profile["profile"])


class Profiles(Part):
    """Saving and choosing."""

    def all(self) -> list[ProfileView]:
        with self._database.begin() as session:
            rows = {row.name: row for row in _saved(session)}
            counts: dict[str, int] = {}
            for docket in session.scalars(select(Docket)):
                name = profile_of(docket)[0]
                counts[name] = counts.get(name, 0) + 1
            own = [
                ProfileView(id=None, name=name, profile=profile, dockets=counts.get(name, 0))
                for name, profile in STANDARD.items()
                if name not in rows
            ]
            return own + [
                ProfileView(
                    id=row.id,
                    name=row.name,
                    profile=Profile.model_validate(row.document),
                    dockets=counts.get(row.name, 0),
                )
                for row in rows.values()
            ]

    def save(self, name: str, profile: Profile, *, who: str, seen: Profile | None = None) -> ProfileView:
        """Saves a profile; one of that name is replaced, in the dockets that have it too.

        `seen` is the profile that was changed. Raises Refused, ChangedMeanwhile.
        """
        name = clean_text(name)
        if not name or len(name) > 100:
            raise Refused("a profile needs a name of at most 100 characters", where="name", remedy="Say what it is for")
        if name in STANDARD:
            raise Refused(f"'{name}' is one of the application's own", where="name", remedy="Give it a name of its own")
        document = profile.model_dump(mode="json")
        with self._database.begin() as session:
            seen_document = seen.model_dump(mode="json") if seen is not None else None
            what = f"sealing profile {name}"
            row = save_document(session, PROFILE, name, document, what=what, who=who, seen=seen_document)
            having = give_to_dockets(session, name, row.document)
            kept = Profile.model_validate(row.document)
            view = ProfileView(id=row.id, name=name, profile=kept, dockets=len(having))
        for docket_id in having:
            self._events.docket_changed(docket_id)
        return view

    def forget(self, profile_id: int, *, who: str) -> None:
        """Removes a saved profile; dockets keep what they have of it. Raises Missing."""
        with self._database.begin() as session:
            row = session.get(HouseDocument, profile_id)
            if row is None or row.kind != PROFILE:
                raise Missing(f"there is no profile {profile_id}", remedy="Look at the list again")
            remove_document(session, row, what=f"sealing profile {row.name}", who=who)

    def choose(self, docket_ids: list[int], name: str, *, who: str) -> None:
        """Gives dockets a profile. Raises Missing for an unknown one, or a docket that is not there."""
        if len(docket_ids) > _MOST_DOCKETS:
            raise Refused(
                f"{len(docket_ids)} dockets at once", where="dockets", remedy=f"Choose at most {_MOST_DOCKETS}"
            )
        with self._database.begin() as session:
            document = self._named(session, name)
            for docket_id in docket_ids:
                docket = session.get(Docket, docket_id, with_for_update=True)
                if docket is None:
                    raise Missing(f"there is no docket {docket_id}", remedy="Reload the shelf")
                before = profile_of(docket)[0]
                if before == name and docket.profile == {"name": name, "profile": document}:
                    continue
                docket.profile, docket.changed_at = {"name": name, "profile": document}, now()
                ledger.record(
                    session,
                    who=who,
                    action="sealing profile chosen",
                    docket_id=docket_id,
                    before={"profile": before},
                    after={"profile": name},
                )
        for docket_id in docket_ids:
            self._events.docket_changed(docket_id)

    @staticmethod
    def _named(session: Session, name: str) -> dict[str, Any]:
        row = next((one for one in _saved(session) if one.name == name), None)
        if row is not None:
            return dict(row.document)
        if name in STANDARD:
            return STANDARD[name].model_dump(mode="json")
        raise Missing(f"there is no profile '{name}'", where="profile", remedy="Look at the list again")


def give_to_dockets(session: Session, name: str, document: dict[str, Any]) -> set[int]:
    """Change a profile in all dockets that have it; return them."""
    having = [one for one in session.scalars(select(Docket)) if one.profile and one.profile["name"] == name]
    for docket in having:
        docket.profile, docket.changed_at = {"name": name, "profile": document}, now()
    return {docket.id for docket in having}


def follow_profile(session: Session, name: str, document: dict[str, Any] | None, who: str) -> set[int]:
    """Change an undone profile in the dockets that have it; of one that is no more they keep what they have."""
    return give_to_dockets(session, name, document) if document is not None else set()


def _saved(session: Session) -> list[HouseDocument]:
    query = select(HouseDocument).where(HouseDocument.kind == PROFILE).order_by(HouseDocument.name)
    return list(session.scalars(query))
