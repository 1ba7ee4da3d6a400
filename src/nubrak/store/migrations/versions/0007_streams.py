"""What is being recorded is kept while it comes in; what live playing gave is kept as well."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "stream",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column(
            "session_id", sa.String(32), sa.ForeignKey("session.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("frames", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("touched", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "stream_chunk",
        sa.Column(
            "stream_id", sa.String(32), sa.ForeignKey("stream.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("first_frame", sa.BigInteger, primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "live_take",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column(
            "session_id", sa.String(32), sa.ForeignKey("session.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("made", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )


def downgrade() -> None:
    for table in ("live_take", "stream_chunk", "stream"):
        op.drop_table(table)
