"""Material: starting points for what a source carries, before anything is set."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from nubrak.core.pieces.catalogue import Piece

MaterialId = Literal["close", "cymbals", "loop", "mouth", "hand"]


class Material(BaseModel):
    """How a kind of recording is listened to."""

    id: MaterialId
    name: str
    about: str = Field(description="one sentence: for what it is meant")
    weighs: bool = Field(
        description="whether all evidence of the kit is weighed; else threshold, rise and spill decide alone"
    )
    rise_db: float = Field(description="the rise asked for; 0 leaves it to the evidence")
    hold_off_ms: float | None = Field(
        description="the shortest time between two hits; empty: the piece's own"
    )
    re_arm_db: float | None = Field(
        description="how far the level must fall before the next hit can count; empty: not asked for"
    )
    least_span_db: float = Field(
        description="strokes span at least this much, so no suggested threshold parts them closer"
    )
    mixed: bool = Field(
        default=False,
        description=(
            "whether it is many pieces in one signal, so that a stroke may rise in one band under another's "
            "ringing"
        ),
    )
    slow_onset_s: float = Field(
        default=0.0,
        description="how long before its loudest moment a stroke may begin; 0 where strokes begin with it",
    )
    closely: bool = Field(default=False, description="whether places that hardly rise are looked at as well")
    whole_band: bool = Field(
        default=False, description="whether all of the spectrum is heard whatever the piece"
    )


# Common practice: washes re-arm 2 to 4 dB under a stroke and want a longer hold-off; mouth and hands play
# softer attacks.
MATERIALS: dict[MaterialId, Material] = {
    material.id: material
    for material in (
        Material(
            id="close",
            name="Close microphone",
            about="One drum or cymbal through a microphone at it, with spill.",
            weighs=True,
            rise_db=0.0,
            hold_off_ms=None,
            re_arm_db=None,
            least_span_db=9.0,
        ),
        Material(
            id="cymbals",
            name="Cymbals, overheads",
            about="Long washes, and the whole kit through them.",
            weighs=True,
            rise_db=0.0,
            hold_off_ms=70.0,
            re_arm_db=None,
            least_span_db=9.0,
        ),
        Material(
            id="loop",
            name="Whole loop",
            about="Many pieces in one signal; every stroke is found, whichever it is.",
            weighs=True,
            rise_db=0.0,
            hold_off_ms=22.0,
            re_arm_db=None,
            least_span_db=28.0,
            mixed=True,
            closely=True,
            whole_band=True,
        ),
        Material(
            id="mouth",
            name="Mouth percussion",
            about="Consonants with slow, noisy attacks, one at a time.",
            weighs=False,
            rise_db=8.0,
            hold_off_ms=70.0,
            re_arm_db=3.0,
            least_span_db=14.0,
            mixed=True,
            slow_onset_s=0.1,
            closely=True,
            whole_band=True,
        ),
        Material(
            id="hand",
            name="Hand drums, claps",
            about="Claps, shakers and hand drums, close and dry.",
            weighs=False,
            rise_db=6.0,
            hold_off_ms=None,
            re_arm_db=None,
            least_span_db=9.0,
        ),
    )
}


def material_of(piece: Piece, chosen: MaterialId | None) -> Material:
    """The material chosen, or the one that fits the piece."""
    if chosen is not None:
        return MATERIALS[chosen]
    by_piece: dict[str, MaterialId] = {"else": "hand", "mouth": "mouth"}
    if piece.id in by_piece:
        return MATERIALS[by_piece[piece.id]]
    by_family: dict[str, MaterialId] = {"overall": "cymbals", "hand": "hand", "whole": "loop"}
    return MATERIALS[by_family.get(piece.family, "close")]
