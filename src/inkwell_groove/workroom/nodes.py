"""The servers of a house: what each of them has to record from and to read discs with, and who is asked for it.

A device belongs to the server it is plugged into. Where there are several its id says which: `turntable@cellar`.
Whoever asks another server for it gets `Elsewhere`, with the address of the right one.
"""

from __future__ import annotations

from typing import NamedTuple, NoReturn

from sqlalchemy import select

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.devices.source import SourceFacts
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Worker
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.disc.views import DrivesView
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View
from inkwell_groove.workroom.workers import heard_of_lately

_AT = "@"


class Elsewhere(InkwellError):
    """It is at another server of the house, at `address`."""

    def __init__(self, node: str, address: str) -> None:
        super().__init__(f"it is at the server {node}", where=node, remedy=f"Open the application at {address}")
        self.node, self.address = node, address


class ServerAway(InkwellError):
    """Another server of the house does not answer."""


class Devices(View):
    """What a server has to record from, and to read discs with."""

    sources: list[SourceFacts]
    drives: DrivesView


class OtherServer(NamedTuple):
    node: str
    devices: Devices


class Nodes(Part):
    """This server's name among the others, and what they have."""

    def __init__(self, database: Database, media: MediaStore, events: Events, given: Settings) -> None:
        super().__init__(database, media, events)
        self.is_alone, self.name = given.is_alone, given.node_name

    def id_of(self, device_id: str) -> str:
        """Return what a device of this server is called in the house."""
        return device_id if self.is_alone else f"{device_id}{_AT}{self.name}"

    def name_of(self, name: str) -> str:
        """Return how people read the name of a device of this server."""
        return name if self.is_alone else f"{name} ({self.name})"

    def here(self, wanted_id: str) -> str:
        """Return what a device is called at this server. Raises Elsewhere, or ServerAway for one that is at another."""
        device_id, _, node = wanted_id.partition(_AT)
        if node and node != self.name:
            self.send_to(node)
        return device_id

    def is_here(self, wanted_id: str) -> bool:
        return wanted_id.partition(_AT)[2] in ("", self.name)

    def send_to(self, node: str) -> NoReturn:
        """Raise Elsewhere for a server of that name, ServerAway if it was not heard of lately."""
        with self._database.begin() as session:
            address = session.scalar(
                select(Worker.address)
                .where(Worker.node == node, heard_of_lately())
                .order_by(Worker.seen_at.desc())
                .limit(1)
            )
        if address is None:
            raise ServerAway(
                f"the server {node} is not heard of", where=node, remedy="Start it again, or look at its network"
            )
        raise Elsewhere(node, address)

    def others(self) -> list[OtherServer]:
        """Return the other servers that are heard of, with what they have, by name."""
        if self.is_alone:
            return []
        with self._database.begin() as session:
            others = select(Worker).where(Worker.is_server, Worker.node != self.name, heard_of_lately())
            rows = session.scalars(others.order_by(Worker.node))
            return [
                OtherServer(row.node, Devices.model_validate(row.devices))
                for row in rows
                if row.node is not None and row.devices is not None
            ]
