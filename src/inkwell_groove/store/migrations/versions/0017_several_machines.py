"""Who runs jobs on which machine, and news that all servers of a house tell

Revision ID: 0017
Revises: 0016
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


# What only the machine with the drive can do; asked for by an earlier release it would be any worker's.
_AT_THE_DRIVE = ("read disc", "make take of disc")
_JOB = sa.table("job", sa.column("kind", sa.String), sa.column("lane", sa.String))


def upgrade() -> None:
    op.execute(sa.update(_JOB).where(_JOB.c.kind.in_(_AT_THE_DRIVE)).values(lane="device"))
    op.create_index("ix_job_state_retry_at", "job", ["state", "retry_at"])
    op.create_table(
        "worker",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("host", sa.String(80), nullable=False),
        sa.Column("cores", sa.Integer, nullable=False),
        sa.Column("processes", sa.Integer, nullable=False),
        sa.Column("lanes", sa.String(80), nullable=False),
        sa.Column("version", sa.String(40), nullable=False),
        sa.Column("is_server", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("is_draining", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("started_at", DATETIME(fsp=6), nullable=False),
        sa.Column("seen_at", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "news",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("at", DATETIME(fsp=6), nullable=False, index=True),
        sa.Column("item", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("news")
    op.drop_table("worker")
    op.drop_index("ix_job_state_retry_at", "job")
    op.execute(sa.update(_JOB).where(_JOB.c.lane == "device").values(lane="steady"))
