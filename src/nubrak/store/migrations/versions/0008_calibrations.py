"""What a trigger learnt of a kit stays with its session."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.create_table(
        "calibration",
        sa.Column(
            "session_id", sa.String(32), sa.ForeignKey("session.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("of", sa.String(64), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("calibration")
