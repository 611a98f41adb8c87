"""Jobs are claimed under a lease, in a lane

Revision ID: 0014
Revises: 0013
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("job", sa.Column("lane", sa.String(12), nullable=False, server_default="steady"))
    op.add_column("job", sa.Column("owner", sa.String(80)))
    op.add_column("job", sa.Column("token", sa.String(16)))
    op.add_column("job", sa.Column("lease_until", DATETIME(fsp=6)))
    op.add_column("job", sa.Column("retry_at", DATETIME(fsp=6)))
    op.add_column("job", sa.Column("is_cancelled", sa.Boolean, nullable=False, server_default=sa.false()))


def downgrade() -> None:
    for name in ("is_cancelled", "retry_at", "lease_until", "token", "owner", "lane"):
        op.drop_column("job", name)
