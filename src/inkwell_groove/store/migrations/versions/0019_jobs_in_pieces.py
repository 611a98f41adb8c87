"""Jobs in pieces: a piece is a job of its own, with a parent

Revision ID: 0019
Revises: 0018
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("job", sa.Column("parent_id", sa.Integer, sa.ForeignKey("job.id", name="fk_job_parent_id")))
    op.add_column("job", sa.Column("weight", sa.Double(), nullable=False, server_default="1"))
    op.create_index("ix_job_parent_id_state", "job", ["parent_id", "state"])
    op.create_index("ix_job_state_asked_at", "job", ["state", "asked_at"])


def downgrade() -> None:
    op.drop_index("ix_job_state_asked_at", "job")
    op.drop_constraint("fk_job_parent_id", "job", type_="foreignkey")
    op.drop_index("ix_job_parent_id_state", "job")
    op.drop_column("job", "weight")
    op.drop_column("job", "parent_id")
