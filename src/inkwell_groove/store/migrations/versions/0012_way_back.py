"""What an entry of the ledger is taken back by

Revision ID: 0012
Revises: 0011
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

# Until now an entry of work on files said in `after` what it is taken back by, among what people read.
_MOVED = (
    ("file step", "file_step_id", "JSON_VALUE"),
    ("merge", "merge_id", "JSON_VALUE"),
    ("held files", "held_ids", "JSON_QUERY"),
)


def upgrade() -> None:
    op.add_column("ledger", sa.Column("way_back", sa.JSON(), nullable=True))
    for kind, name, read in _MOVED:
        # Only what was done, not its taking back, which names the same step as what was before.
        op.execute(
            f"""UPDATE ledger SET way_back = CONCAT('{{"kind": "{kind}", "to": ', {read}(after, '$.{name}'), '}}'),
                after = NULLIF(JSON_REMOVE(after, '$.{name}'), '{{}}') WHERE JSON_EXISTS(after, '$.{name}')"""
        )


def downgrade() -> None:
    for kind, name, _ in _MOVED:
        op.execute(
            f"""UPDATE ledger SET after = JSON_INSERT(COALESCE(NULLIF(after, 'null'), '{{}}'), '$.{name}',
                JSON_EXTRACT(way_back, '$.to')) WHERE JSON_VALUE(way_back, '$.kind') = '{kind}'"""
        )
    op.drop_column("ledger", "way_back")
