"""Artwork of a docket: dropped, checked, shown."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from pydantic import BaseModel

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Missing
from inkwell_groove.core.seen import ChangedMeanwhile, Difference
from inkwell_groove.store.models import Artwork, now
from inkwell_groove.workroom import docket_ways, ledger
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row
from inkwell_groove.workroom.views import ArtworkView

FRONT, SET_ASIDE = "front", "set aside"
DROPPED = "dropped"


class Covers(BaseModel):
    """Which picture of a docket is its front cover, by number; none if there is none."""

    front: int | None


class Pictures(Part):
    """The front cover, and what was set aside for it."""

    def add_front(self, docket_id: int, data: bytes, *, name: str, who: str, origin: str = DROPPED) -> ArtworkView:
        """A new front cover; the one before is set aside, not lost. Raises Refused for what is no fit picture."""
        name = clean_text(name.replace("\\", "/").rsplit("/", 1)[-1])[-255:] or "picture"
        facts = self.decoding.picture(data, name=name)
        sha256 = self._media.keep_picture(data)
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            before = next((one for one in docket.artwork if one.role == FRONT), None)
            if before is not None:
                before.role = SET_ASIDE
            picture = Artwork(
                role=FRONT,
                name=name,
                sha256=sha256,
                origin=origin,
                added_at=now(),
                **facts.model_dump(exclude={"advice"}),
            )
            docket.artwork.append(picture)
            docket.changed_at = now()
            session.flush()
            ledger.record(
                session,
                who=who,
                action=f"front cover {name} added",
                docket_id=docket_id,
                before={"artwork_id": before.id} if before else None,
                after={"artwork_id": picture.id, "sha256": sha256},
                way_back=_roles(
                    docket_id,
                    {picture.id: SET_ASIDE} | ({before.id: FRONT} if before else {}),
                    {one.id: one.role for one in docket.artwork},
                ),
            )
            view = ArtworkView.of(picture, facts.advice)
        self._events.docket_changed(docket_id)
        return view

    def set_role(self, docket_id: int, artwork_id: int, role: str, *, who: str, seen: Covers | None = None) -> None:
        """Makes a picture the front cover, or sets it aside.

        `seen` is the cover there was when that was chosen. Raises Missing, ChangedMeanwhile for another cover by now.
        """
        with self._database.begin() as session:
            docket = docket_row(session, docket_id, lock=True)
            picture = next((one for one in docket.artwork if one.id == artwork_id), None)
            if picture is None:
                raise Missing(f"this docket has no picture {artwork_id}", remedy="Reload the docket")
            before = {one.id: one.role for one in docket.artwork}
            front = next((one for one in docket.artwork if one.role == FRONT), None)
            if seen is not None and (front.id if front else None) != seen.front and front is not picture:
                mine, now_there = picture.name if role == FRONT else "", front.name if front else ""
                raise ChangedMeanwhile([Difference("front cover", mine, now_there)])
            if role == FRONT:
                for other in docket.artwork:
                    if other.role == FRONT:
                        other.role = SET_ASIDE
            picture.role = role
            docket.changed_at = now()
            after = {one.id: one.role for one in docket.artwork}
            action = f"picture {picture.name} made {role}" if role == FRONT else f"picture {picture.name} set aside"
            ledger.record(
                session,
                who=who,
                action=action,
                docket_id=docket_id,
                before={str(key): value for key, value in before.items()},
                after={str(key): value for key, value in after.items()},
                way_back=_roles(docket_id, before, after),
            )
        self._events.docket_changed(docket_id)

    def file(self, artwork_id: int) -> tuple[Path, str]:
        """Where a picture lies, and its MIME type. Raises Missing."""
        with self._database.begin() as session:
            picture = session.get(Artwork, artwork_id)
            if picture is None:
                raise Missing(f"there is no picture {artwork_id}", remedy="Reload the docket")
            path = self._media.picture(picture.sha256)
            if not path.is_file():
                raise Missing(
                    "the picture's file is gone", where=str(path), remedy="Put it back from a copy of the store"
                )
            return path, picture.mime


def _roles(docket_id: int, before: Mapping[int, str], after: Mapping[int, str]) -> WayBack:
    changed = [
        ("artwork", key, "role", f"picture {key}", role, after[key])
        for key, role in before.items()
        if role != after[key]
    ]
    return docket_ways.said(docket_id, changed)
