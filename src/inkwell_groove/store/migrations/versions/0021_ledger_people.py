"""Who did something is found without reading the whole ledger

Revision ID: 0021
Revises: 0020
"""

from __future__ import annotations

from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_ledger_who", "ledger", ["who"])


def downgrade() -> None:
    op.drop_index("ix_ledger_who", "ledger")
