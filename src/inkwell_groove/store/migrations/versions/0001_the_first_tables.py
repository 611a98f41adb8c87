"""The first tables

Revision ID: 0001
Revises:
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "docket",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shelfmark", sa.String(length=100, collation="utf8mb4_bin"), nullable=False),
        sa.Column("folder_pattern", sa.String(length=300), nullable=False),
        sa.Column("file_pattern", sa.String(length=300), nullable=False),
        sa.Column("created_at", DATETIME(fsp=6), nullable=False),
        sa.Column("changed_at", DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_docket")),
        sa.UniqueConstraint("shelfmark", name=op.f("uq_docket_shelfmark")),
    )
    op.create_table(
        "artwork",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("mime", sa.String(length=40), nullable=False),
        sa.Column("width_px", sa.Integer(), nullable=False),
        sa.Column("height_px", sa.Integer(), nullable=False),
        sa.Column("bits_per_pixel", sa.Integer(), nullable=False),
        sa.Column("size_bytes", sa.Integer(), nullable=False),
        sa.Column("origin", sa.String(length=60), nullable=False),
        sa.Column("added_at", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_artwork_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_artwork")),
    )
    op.create_index(op.f("ix_artwork_docket_id"), "artwork", ["docket_id"], unique=False)
    op.create_table(
        "carrier",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("format", sa.String(length=40), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_carrier_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_carrier")),
        sa.UniqueConstraint("docket_id", "number", name=op.f("uq_carrier_docket_id_number")),
    )
    op.create_table(
        "described_value",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("track_key", sa.String(length=32, collation="utf8mb4_bin"), nullable=False),
        sa.Column("field", sa.String(length=40), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.Column("origin", sa.String(length=60), nullable=False),
        sa.Column("changed_at", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_described_value_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_described_value")),
        sa.UniqueConstraint(
            "docket_id", "track_key", "field", name=op.f("uq_described_value_docket_id_track_key_field")
        ),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=True),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("arguments", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("progress", sa.Double(), nullable=False),
        sa.Column("message", sa.String(length=300), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("failure", sa.JSON(), nullable=True),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("asked_at", DATETIME(fsp=6), nullable=False),
        sa.Column("started_at", DATETIME(fsp=6), nullable=True),
        sa.Column("ended_at", DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_job_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
    )
    op.create_index(op.f("ix_job_docket_id"), "job", ["docket_id"], unique=False)
    op.create_index(op.f("ix_job_state"), "job", ["state"], unique=False)
    op.create_table(
        "ledger",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("who", sa.String(length=100), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=True),
        sa.Column("action", sa.String(length=300), nullable=False),
        sa.Column("before", sa.JSON(), nullable=True),
        sa.Column("after", sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_ledger_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_ledger")),
    )
    op.create_index(op.f("ix_ledger_at"), "ledger", ["at"], unique=False)
    op.create_index(op.f("ix_ledger_docket_id"), "ledger", ["docket_id"], unique=False)
    op.create_table(
        "package",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(length=700), nullable=False),
        sa.Column("basis", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("album", sa.JSON(), nullable=False),
        sa.Column("sealed_at", DATETIME(fsp=6), nullable=False),
        sa.Column("sealed_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_package_docket_id_docket")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_package")),
    )
    op.create_index(op.f("ix_package_docket_id"), "package", ["docket_id"], unique=False)
    op.create_table(
        "side",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("carrier_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.String(length=2), nullable=False),
        sa.Column("chosen_take_id", sa.Integer(), nullable=True),
        sa.Column("plan_version_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["carrier_id"], ["carrier.id"], name=op.f("fk_side_carrier_id_carrier")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_side")),
        sa.UniqueConstraint("carrier_id", "letter", name=op.f("uq_side_carrier_id_letter")),
    )
    op.create_table(
        "plan_version",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("side_id", sa.Integer(), nullable=False),
        sa.Column("parent_id", sa.Integer(), nullable=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("action", sa.String(length=200), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("made_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(
            ["parent_id"], ["plan_version.id"], name=op.f("fk_plan_version_parent_id_plan_version")
        ),
        sa.ForeignKeyConstraint(["side_id"], ["side.id"], name=op.f("fk_plan_version_side_id_side")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_version")),
    )
    op.create_index(op.f("ix_plan_version_parent_id"), "plan_version", ["parent_id"], unique=False)
    op.create_index(op.f("ix_plan_version_side_id"), "plan_version", ["side_id"], unique=False)
    op.create_table(
        "take",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("side_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("container", sa.String(length=20), nullable=False),
        sa.Column("word", sa.String(length=4), nullable=False),
        sa.Column("rate_hz", sa.Integer(), nullable=False),
        sa.Column("channels", sa.Integer(), nullable=False),
        sa.Column("samples", sa.BigInteger(), nullable=False),
        sa.Column("lossless", sa.Boolean(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("sample_peak_dbfs", sa.Double(), nullable=True),
        sa.Column("clipped_runs", sa.Integer(), nullable=True),
        sa.Column("taken_in_at", DATETIME(fsp=6), nullable=False),
        sa.Column("taken_in_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["side_id"], ["side.id"], name=op.f("fk_take_side_id_side")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_take")),
    )
    op.create_index(op.f("ix_take_sha256"), "take", ["sha256"], unique=False)
    op.create_table(
        "upload",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("side_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("refusal", sa.JSON(), nullable=True),
        sa.Column("started_at", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_upload_docket_id_docket")),
        sa.ForeignKeyConstraint(["side_id"], ["side.id"], name=op.f("fk_upload_side_id_side")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_upload")),
    )
    op.create_index(op.f("ix_upload_docket_id"), "upload", ["docket_id"], unique=False)
    # A side points at its takes and versions, and they at it: these two can only come last.
    op.create_foreign_key(op.f("fk_side_chosen_take_id_take"), "side", "take", ["chosen_take_id"], ["id"])
    op.create_foreign_key(
        op.f("fk_side_plan_version_id_plan_version"), "side", "plan_version", ["plan_version_id"], ["id"]
    )
