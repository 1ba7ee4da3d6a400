"""The list of sessions reads a summary of each, not its document."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

_RINGS_S = 1.0  # what a note beside the recorded ones was given to ring when this was written


def upgrade() -> None:
    op.add_column("session", sa.Column("about", sa.Text, nullable=False, server_default=""))
    op.add_column("session", sa.Column("sources", sa.Integer, nullable=False, server_default="0"))
    op.add_column("session", sa.Column("length_s", sa.Float, nullable=False, server_default="0"))
    session = sa.table(
        "session",
        *(sa.column(name) for name in ("id", "about", "sources", "length_s")),
        sa.column("document", sa.JSON),
    )
    connection = op.get_bind()
    for session_id, document in connection.execute(sa.select(session.c.id, session.c.document)).all():
        connection.execute(session.update().where(session.c.id == session_id).values(**_summary(document)))


def _summary(document: dict[str, Any]) -> dict[str, Any]:
    sources = document.get("sources", {})
    ends = [clip["start_s"] + clip["length_s"] for source in sources.values() for clip in source["clips"]]
    notes = [
        note["time_s"] + _RINGS_S
        for part in document.get("parts", {}).values()
        for note in part.get("pattern", {}).values()
    ]
    return {
        "about": document.get("about", ""),
        "sources": len(sources),
        "length_s": max((*ends, *notes), default=0.0),
    }


def downgrade() -> None:
    for name in ("about", "sources", "length_s"):
        op.drop_column("session", name)
