"""Articulations: how a piece was struck, each with its own note."""

from __future__ import annotations

from pydantic import BaseModel, Field


class Articulation(BaseModel):
    """One way of striking a piece."""

    id: str
    name: str = Field(description="as it stands behind the piece's name")
    key: str | None = Field(
        default=None, description="the key that gives strokes to it; the plain one has its piece's"
    )
    note: int = Field(ge=0, le=127, description="note number of the General MIDI Level 1 percussion key map")
    falls_to: str | None = Field(
        default=None, description="whose note it takes where the map has none of its own"
    )


# The first is the plain one. Note numbers: General MIDI Level 1 percussion key map (MMA), which has no
# half-open hat.
ARTICULATIONS: dict[str, tuple[Articulation, ...]] = {
    "hi-hat": (
        Articulation(id="closed", name="closed", note=42),
        Articulation(id="half", name="half open", key="j", note=46, falls_to="open"),
        Articulation(id="open", name="open", key="p", note=46),
        Articulation(id="pedal", name="pedal", key="v", note=44),
    ),
    "ride": (
        Articulation(id="bow", name="bow", note=51),
        Articulation(id="bell", name="bell", key="x", note=53),
    ),
    "snare": (
        Articulation(id="centre", name="centre", note=38),
        Articulation(id="side", name="side stick", key="i", note=37),
    ),
}


def articulation_of(piece: str, articulation: str) -> Articulation | None:
    """An articulation of a piece by its id, where there is one."""
    return next((one for one in ARTICULATIONS.get(piece, ()) if one.id == articulation), None)


def plain_of(piece: str) -> str | None:
    """How a piece is struck where nothing else is said."""
    of = ARTICULATIONS.get(piece)
    return of[0].id if of else None
