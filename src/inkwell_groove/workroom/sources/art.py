"""Pictures that sources have: listed, shown through here, and the chosen one fetched whole."""

from __future__ import annotations

import threading
from urllib.parse import urlsplit

from inkwell_groove.catalogues.patient import Patient
from inkwell_groove.core.errors import Missing
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import LookUp, SourceChoice
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.pictures import Pictures
from inkwell_groove.workroom.reading import docket_row
from inkwell_groove.workroom.sources.choosing import entries_of
from inkwell_groove.workroom.sources.look_ups import LookUps, releases_of
from inkwell_groove.workroom.sources.views import ArtView
from inkwell_groove.workroom.views import ArtworkView

_SHOWN = 24


class SourceArt(Part):
    """The pictures of a docket's candidates."""

    def __init__(
        self, database: Database, media: MediaStore, events: Events, look_ups: LookUps, pictures: Pictures
    ) -> None:
        super().__init__(database, media, events)
        self._look_ups, self._pictures = look_ups, pictures

    def offers(self, docket_id: int) -> list[ArtView]:
        """Those of the chosen pressing first, fronts before others, the larger before the smaller. Raises Missing."""
        mine, others = self._releases(docket_id)
        known = {one.address for one in mine}
        found = {
            art.address: ArtView(
                source=release.source,
                is_square=art.is_square,
                is_chosen=release.address in known,
                **art.model_dump(),
            )
            for release in [*mine, *(others if not mine else [])]
            for art in release.art
        }
        order = sorted(found.values(), key=lambda one: (not one.is_chosen, one.role != "front", -one.width_px))
        return order[:_SHOWN]

    def fetch(self, docket_id: int, address: str) -> tuple[bytes, str]:
        """A picture, and what it is. Only what a source offered for this docket is fetched.

        Raises Missing, SourceTrouble, Refused where it is no picture.
        """
        mine, others = self._releases(docket_id)
        offered = {art.address: release.source for release in [*mine, *others] for art in release.art}
        source = next((one for one in self._look_ups.outside if one.name == offered.get(address)), None)
        # The address came from a source: it must lead to that source, and nowhere else.
        if source is None or urlsplit(address)[:2] != urlsplit(source.address)[:2]:
            raise Missing("no source offers this picture here", where=address, remedy="Look the docket up again")
        line = Patient(
            source.name,
            source.address,
            cache=self._look_ups.cache,
            timeout_s=self._look_ups.timeout_s,
            cancelled=threading.Event(),
        )
        try:
            data = line.get(urlsplit(address).path)
        finally:
            line.close()
        return data, self.decoding.picture(data, name=address.rsplit("/", 1)[-1]).mime

    def take(self, docket_id: int, address: str, *, who: str) -> ArtworkView:
        """Fetches a picture whole and makes it the front cover; what was it is set aside."""
        data, _ = self.fetch(docket_id, address)
        mine, others = self._releases(docket_id)
        source = next(one.source for one in [*mine, *others] for art in one.art if art.address == address)
        name = address.rsplit("/", 1)[-1]
        return self._pictures.add_front(docket_id, data, name=name, who=who, origin=source)

    def _releases(self, docket_id: int) -> tuple[list[SourceRelease], list[SourceRelease]]:
        with self._database.begin() as session:
            docket_row(session, docket_id)
            row, choice = session.get(LookUp, docket_id), session.get(SourceChoice, docket_id)
            return entries_of(choice) if choice else [], releases_of(row) if row else []
