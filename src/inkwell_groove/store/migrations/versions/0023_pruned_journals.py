"""Steps of work on files whose journals were deleted: they can no longer be undone

Revision ID: 0023
Revises: 0022
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("file_step", sa.Column("has_journal", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.alter_column("file_step", "has_journal", existing_type=sa.Boolean(), server_default=None)


def downgrade() -> None:
    op.drop_column("file_step", "has_journal")
