"""Sources: what they answered, what was looked up, chosen and learnt

Revision ID: 0005
Revises: 0004
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMBLOB, VARCHAR

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def _exact(length: int) -> VARCHAR:
    return VARCHAR(length=length, collation="utf8mb4_bin")


def upgrade() -> None:
    op.create_table(
        "source_answer",
        sa.Column("source", _exact(60), nullable=False),
        sa.Column("key", _exact(64), nullable=False),
        sa.Column("body", MEDIUMBLOB(), nullable=False),
        sa.Column("fetched_at", DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("source", "key", name=op.f("pk_source_answer")),
    )
    op.create_table(
        "look_up",
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("asks", sa.JSON(), nullable=False),
        sa.Column("answers", sa.JSON(), nullable=False),
        sa.Column("releases", sa.JSON(), nullable=False),
        sa.Column("heard", sa.JSON(), nullable=False),
        sa.Column("outcome", sa.JSON(), nullable=True),
        sa.Column("began_at", DATETIME(fsp=6), nullable=False),
        sa.Column("began_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_look_up_docket_id_docket")),
        sa.PrimaryKeyConstraint("docket_id", name=op.f("pk_look_up")),
    )
    op.create_table(
        "source_choice",
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("entries", sa.JSON(), nullable=False),
        sa.Column("pairs", sa.JSON(), nullable=False),
        sa.Column("taken_back", sa.JSON(), nullable=True),
        sa.Column("chosen_at", DATETIME(fsp=6), nullable=False),
        sa.Column("chosen_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_source_choice_docket_id_docket")),
        sa.PrimaryKeyConstraint("docket_id", name=op.f("pk_source_choice")),
    )
    op.create_table(
        "source_rule",
        sa.Column("field", sa.String(length=40), nullable=False),
        sa.Column("source", _exact(60), nullable=False),
        sa.Column("taken", sa.Integer(), nullable=False),
        sa.Column("passed_over", sa.Integer(), nullable=False),
        sa.Column("fixed", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("field", "source", name=op.f("pk_source_rule")),
    )
    op.create_table(
        "own_release",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("made_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_own_release_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_own_release")),
        sa.UniqueConstraint("docket_id", name=op.f("uq_own_release_docket_id")),
    )
