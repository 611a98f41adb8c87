"""The survey of the collection

Revision ID: 0008
Revises: 0007
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

# Set by the database on every change of a row, whoever makes it.
_CHANGED_AT = "DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6)"


def upgrade() -> None:
    op.execute(f"ALTER TABLE bundle ADD COLUMN changed_at {_CHANGED_AT}")
    op.execute(f"ALTER TABLE bundle_file ADD COLUMN changed_at {_CHANGED_AT}")
    op.create_index(op.f("ix_bundle_file_changed_at"), "bundle_file", ["changed_at"])
    op.create_index(op.f("ix_bundle_file_audio_digest"), "bundle_file", ["audio_digest"])
    op.create_index("ix_bundle_file_place", "bundle_file", ["bundle_id", "path"], mysql_length={"path": 191})
    op.create_table(
        "survey_run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("house", sa.String(length=64), nullable=False),
        sa.Column("seen_until", DATETIME(fsp=6), nullable=False),
        sa.Column("ended_at", DATETIME(fsp=6), nullable=True),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(length=100), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_survey_run")),
    )
    op.create_table(
        "survey_finding",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("place", sa.String(length=1000, collation="utf8mb4_bin"), nullable=False),
        sa.Column("about", sa.String(length=64), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_survey_finding")),
    )
    op.create_index(op.f("ix_survey_finding_name"), "survey_finding", ["name"])
    op.create_index(op.f("ix_survey_finding_about"), "survey_finding", ["about"])
    op.create_index("ix_survey_finding_place", "survey_finding", ["place"], mysql_length={"place": 191})
    op.create_table(
        "dismissal",
        sa.Column("about", sa.String(length=64), nullable=False),
        sa.Column("reason", sa.String(length=500), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("by", sa.String(length=100), nullable=False),
        sa.PrimaryKeyConstraint("about", name=op.f("pk_dismissal")),
    )
    op.create_table(
        "name_use",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("file_id", sa.Integer(), nullable=False),
        sa.Column("field", sa.String(length=20), nullable=False),
        sa.Column("value", sa.String(length=700, collation="utf8mb4_bin"), nullable=False),
        sa.ForeignKeyConstraint(
            ["file_id"],
            ["bundle_file.id"],
            name=op.f("fk_name_use_file_id_bundle_file"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_name_use")),
    )
    op.create_index(op.f("ix_name_use_file_id"), "name_use", ["file_id"])
    op.create_index("ix_name_use_value", "name_use", ["field", "value"])
