"""Alembic's entry: the address comes from whoever calls, never from a file."""

from __future__ import annotations

from alembic import context
from sqlalchemy import create_engine, pool

from inkwell_groove.store.models import Base

engine = create_engine(context.config.attributes["url"], poolclass=pool.NullPool)
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
