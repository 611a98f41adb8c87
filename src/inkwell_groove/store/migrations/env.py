"""Alembic's entry: the address comes from whoever calls, never from a file."""

from __future__ import annotations

from alembic import context
from sqlalchemy import create_engine, pool

from inkwell_groove.store.database import connection_options
from inkwell_groove.store.models import Base

url = context.config.attributes["url"]
engine = create_engine(url, poolclass=pool.NullPool, connect_args=connection_options(url, has_time=True))
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
