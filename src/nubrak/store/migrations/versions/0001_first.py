"""Sessions, edits, audio in chunks, derived arrays, kits, progress."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    now = sa.func.now()
    op.create_table(
        "session",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), server_default=now, nullable=False),
        sa.Column("touched", sa.DateTime(timezone=True), server_default=now, nullable=False),
    )
    op.create_table(
        "edit",
        sa.Column(
            "session_id", sa.String(32), sa.ForeignKey("session.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("label", sa.Text, nullable=False),
        sa.Column("forward", sa.JSON, nullable=False),
        sa.Column("backward", sa.JSON, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
        sa.Column("made", sa.DateTime(timezone=True), server_default=now, nullable=False),
    )
    op.create_table(
        "audio",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("facts", sa.JSON, nullable=False),
        sa.Column("stored", sa.DateTime(timezone=True), server_default=now, nullable=False),
    )
    op.create_table(
        "audio_chunk",
        sa.Column("hash", sa.String(64), sa.ForeignKey("audio.hash", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    # Audio does not compress; EXTERNAL keeps PostgreSQL from trying.
    op.execute("ALTER TABLE audio_chunk ALTER COLUMN data SET STORAGE EXTERNAL")
    op.create_table(
        "derived",
        sa.Column("key", sa.String(120), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.execute("ALTER TABLE derived ALTER COLUMN data SET STORAGE EXTERNAL")
    op.create_table(
        "kit",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("document", sa.JSON, nullable=False),
    )
    op.create_table(
        "progress",
        sa.Column("audio", sa.String(64), primary_key=True),
        sa.Column("share", sa.Float, nullable=False),
        sa.Column("problem", sa.Text),
    )


def downgrade() -> None:
    for table in ("progress", "kit", "derived", "audio_chunk", "audio", "edit", "session"):
        op.drop_table(table)
