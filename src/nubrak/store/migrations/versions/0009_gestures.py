"""Edits that belong to one gesture of a hand are one edit."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("edit", sa.Column("gesture", sa.String(40), nullable=True))


def downgrade() -> None:
    op.drop_column("edit", "gesture")
