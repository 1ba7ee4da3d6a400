"""Chains of stages may be kept for other sessions."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "chain",
        sa.Column("name", sa.String(80), primary_key=True),
        sa.Column("document", sa.JSON, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("chain")
