"""Accounts

Revision ID: 0009
Revises: 0008
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("role", sa.String(length=12), nullable=False),
        sa.Column("password_hash", sa.String(length=200, collation="utf8mb4_bin"), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("made_by", sa.String(length=100), nullable=False),
        sa.Column("closed_at", DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_account")),
        sa.UniqueConstraint("name", name=op.f("uq_account_name")),
    )
    op.create_table(
        "sign_in",
        sa.Column("token_sha256", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("account_id", sa.Integer(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("seen_at", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_sign_in_account_id_account")),
        sa.PrimaryKeyConstraint("token_sha256", name=op.f("pk_sign_in")),
    )
    op.create_index(op.f("ix_sign_in_account_id"), "sign_in", ["account_id"])
