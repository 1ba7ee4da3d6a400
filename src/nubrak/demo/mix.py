"""How the demo's score is mixed: something to look at in Mix, and to switch off."""

from __future__ import annotations

from nubrak.core.mix import PartsBus, Room, starting_points
from nubrak.core.session import Document

# Of each piece: the level of its recording and of its layers in dB, its place, and the starting point that
# its stages are.
_STANDS: dict[str, tuple[float, float, float, str | None]] = {
    "kick": (0.0, -6.0, 0.0, "Beater and weight"),
    "snare": (-1.5, -10.0, 0.12, "Crack and body"),
    "hi-hat": (-8.0, 0.0, 0.45, None),
    "floor-tom": (-3.0, 0.0, -0.5, "Round"),
    "crash": (-14.0, 0.0, 0.0, "Air without mud"),
}
_IN_ROOM_DB = {"snare": 0.0, "floor-tom": 3.0}


def mix_demo(document: Document) -> None:
    """Give the parts their places, a few of them stages, and put a group and a room behind them."""
    by_piece = {part.piece: key for key, part in document.parts.items() if part.sorted_from is None}
    for piece, (level_db, layers_db, pan, start) in _STANDS.items():
        if piece not in by_piece:
            continue
        part = document.parts[by_piece[piece]]
        stands = {"recording_db": level_db, "recording_pan": pan, "layers_db": layers_db, "layers_pan": pan}
        part.blend = part.blend.model_copy(update=stands)
        part.chain = next((one.chain for one in starting_points(piece) if one.name == start), [])
    held = next(one for one in starting_points("bus") if one.name == "Held together")
    document.buses["drums"] = PartsBus(
        name="Drums",
        kind="group",
        place=0,
        level_db=-2.0,
        parts=dict.fromkeys(by_piece.values(), 0.0),
        chain=held.chain,
    )
    sent = {by_piece[piece]: db for piece, db in _IN_ROOM_DB.items() if piece in by_piece}
    document.buses["room"] = PartsBus(
        name="Theatre", kind="room", place=1, level_db=-20.0, parts=sent, room=Room(size="live room")
    )
