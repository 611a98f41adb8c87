"""Chains: said once, used by every take, never changed."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.store.models import StoredChain, Take, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.transfer.views import ChainView


class Chains(Part):
    """The chains of this archive."""

    def all(self) -> list[ChainView]:
        with self._database.begin() as session:
            rows = session.scalars(select(StoredChain).order_by(StoredChain.id)).all()
            return [_view(session, row) for row in rows]

    def make(self, chain: Chain, *, who: str) -> ChainView:
        """A new chain. Raises Refused without a name, Conflict where the name is in use."""
        cleaned = {name: clean_text(value) for name, value in chain.model_dump().items()}
        if not cleaned["name"]:
            raise Refused("a chain needs a name", where="name", remedy="Say what you would call it at the deck")
        chain = Chain(**cleaned)
        with self._database.begin() as session:
            for row in session.scalars(select(StoredChain).where(StoredChain.retired_at.is_(None))):
                if row.document["name"].casefold() == chain.name.casefold():
                    raise Conflict(
                        f"there is a chain called {chain.name}",
                        where="name",
                        remedy="Retire that one first, or write another name",
                    )
            row = StoredChain(document=chain.model_dump(), made_at=now(), made_by=who)
            session.add(row)
            session.flush()
            ledger.record(session, who=who, action=f"chain {chain.name} made", docket_id=None, after=chain.model_dump())
            return _view(session, row)

    def retire(self, chain_id: int, *, who: str) -> ChainView:
        """Takes a chain out of the list, or puts it back. Takes that came through it keep it."""
        with self._database.begin() as session:
            row = chain_row(session, chain_id)
            row.retired_at = None if row.retired_at else now()
            word = "retired" if row.retired_at else "in use again"
            ledger.record(session, who=who, action=f"chain {row.document['name']} {word}", docket_id=None)
            return _view(session, row)


def chain_row(session: Session, chain_id: int) -> StoredChain:
    row = session.get(StoredChain, chain_id)
    if row is None:
        raise Missing(f"there is no chain {chain_id}", remedy="Choose one of the list, or make one")
    return row


def _view(session: Session, row: StoredChain) -> ChainView:
    name = Take.transferred["chain"]["name"].as_string()
    takes = session.scalar(select(func.count(Take.id)).where(name == row.document["name"]))
    return ChainView(
        id=row.id, chain=Chain.model_validate(row.document), takes=takes or 0, retired=row.retired_at is not None
    )
