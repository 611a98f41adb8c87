"""What is in object storage: takes and packages that were read back there

Revision ID: 0020
Revises: 0019
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, VARCHAR

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "stored_object",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("take_sha256", VARCHAR(length=64, collation="utf8mb4_bin")),
        sa.Column("package_id", sa.Integer, sa.ForeignKey("package.id", name="fk_stored_object_package_id_package")),
        sa.Column("size_bytes", sa.BigInteger, nullable=False),
        sa.Column("stored_at", DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("take_sha256", name="uq_stored_object_take_sha256"),
        sa.UniqueConstraint("package_id", name="uq_stored_object_package_id"),
    )


def downgrade() -> None:
    op.drop_table("stored_object")
