"""Prints and archives are jobs that survive a restart."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "job",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("asked", sa.JSON, nullable=False),
        sa.Column("share", sa.Float, nullable=False, server_default="0"),
        sa.Column("wanted", sa.Boolean, nullable=False, server_default=sa.true()),
        sa.Column("said", sa.JSON),
        sa.Column("problem", sa.JSON),
        sa.Column("file", sa.Text),
        sa.Column("begun", sa.DateTime(timezone=True), server_default=sa.func.now()),
    )


def downgrade() -> None:
    op.drop_table("job")
