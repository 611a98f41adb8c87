"""Requests that are done once, however often they are sent, and what they were answered

Revision ID: 0022
Revises: 0021
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMTEXT, VARCHAR

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "answered_request",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("who", sa.String(100), nullable=False),
        sa.Column("key_sha256", VARCHAR(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("request_sha256", VARCHAR(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("status", sa.Integer),
        sa.Column("location", sa.String(300), nullable=False),
        sa.Column("body", MEDIUMTEXT),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("who", "key_sha256", name="uq_answered_request_who_key_sha256"),
    )
    op.create_index("ix_answered_request_at", "answered_request", ["at"])


def downgrade() -> None:
    op.drop_table("answered_request")
