"""Names that match to the letter, tokens for scripts, the access log, people who sign in elsewhere

Revision ID: 0016
Revises: 0015
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

from inkwell_groove.core.accounts import name_key

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

_EXACT = "utf8mb4_bin"
_ACCOUNT = sa.table("account", sa.column("id", sa.Integer), sa.column("name", sa.String), sa.column("name_key"))


def upgrade() -> None:
    op.add_column("account", sa.Column("name_key", sa.String(200, collation=_EXACT)))
    op.add_column("account", sa.Column("issuer", sa.String(255, collation=_EXACT)))
    op.add_column("account", sa.Column("subject", sa.String(255, collation=_EXACT)))
    connection = op.get_bind()
    for number, name in connection.execute(sa.select(_ACCOUNT.c.id, _ACCOUNT.c.name)).all():
        connection.execute(sa.update(_ACCOUNT).where(_ACCOUNT.c.id == number).values(name_key=name_key(name)))
    op.alter_column("account", "name_key", existing_type=sa.String(200, collation=_EXACT), nullable=False)
    op.drop_constraint("uq_account_name", "account", type_="unique")
    op.create_unique_constraint("uq_account_name_key", "account", ["name_key"])
    op.create_unique_constraint("uq_account_issuer_subject", "account", ["issuer", "subject"])
    op.create_table(
        "script_token",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("token_sha256", sa.String(64, collation=_EXACT), nullable=False),
        sa.Column("account_id", sa.Integer(), nullable=False),
        sa.Column("purpose", sa.String(100), nullable=False),
        sa.Column("role", sa.String(12), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("ends_at", DATETIME(fsp=6), nullable=False),
        sa.Column("used_at", DATETIME(fsp=6)),
        sa.Column("revoked_at", DATETIME(fsp=6)),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name="fk_script_token_account_id_account"),
        sa.PrimaryKeyConstraint("id", name="pk_script_token"),
        sa.UniqueConstraint("token_sha256", name="uq_script_token_token_sha256"),
    )
    op.create_index("ix_script_token_account_id", "script_token", ["account_id"])
    op.create_table(
        "access_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("who", sa.String(100), nullable=False),
        sa.Column("address", sa.String(64), nullable=False),
        sa.Column("what", sa.String(300), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_access_entry"),
    )
    op.create_index("ix_access_entry_at", "access_entry", ["at"])


def downgrade() -> None:
    op.drop_table("access_entry")
    op.drop_table("script_token")
    op.drop_constraint("uq_account_issuer_subject", "account", type_="unique")
    op.drop_constraint("uq_account_name_key", "account", type_="unique")
    op.create_unique_constraint("uq_account_name", "account", ["name"])
    for column in ("subject", "issuer", "name_key"):
        op.drop_column("account", column)
