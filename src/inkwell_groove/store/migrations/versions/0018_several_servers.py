"""Several servers: what each of them has and does, and what all of them must know

Revision ID: 0018
Revises: 0017
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, VARCHAR

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

_NODE = sa.String(24)


def upgrade() -> None:
    op.create_table(
        "lease",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("owner", sa.String(80), nullable=False),
        sa.Column("until", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "failed_attempts",
        sa.Column("key_sha256", VARCHAR(length=64, collation="utf8mb4_bin"), primary_key=True),
        sa.Column("failures", sa.Integer, nullable=False),
        sa.Column("last_at", DATETIME(fsp=6), nullable=False, index=True),
    )
    op.create_table(
        "connection",
        sa.Column("transfer_key", VARCHAR(length=32, collation="utf8mb4_bin"), primary_key=True),
        sa.Column("docket_id", sa.Integer, sa.ForeignKey("docket.id"), nullable=False, index=True),
        sa.Column("node", _NODE, nullable=False),
    )
    for table in ("job", "recording", "look_up"):
        op.add_column(table, sa.Column("node", _NODE, nullable=True))
    op.add_column("worker", sa.Column("node", _NODE, nullable=True, index=True))
    op.add_column("worker", sa.Column("address", sa.String(200), nullable=False, server_default=""))
    op.add_column("worker", sa.Column("devices", sa.JSON, nullable=True))


def downgrade() -> None:
    op.drop_column("worker", "devices")
    op.drop_column("worker", "address")
    op.drop_index("ix_worker_node", "worker")
    op.drop_column("worker", "node")
    for table in ("look_up", "recording", "job"):
        op.drop_column(table, "node")
    for table in ("connection", "failed_attempts", "lease"):
        op.drop_table(table)
