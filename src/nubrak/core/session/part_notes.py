"""Which note each part of a session is written as where nothing was set: each has one of its own."""

from __future__ import annotations

from nubrak.core.pieces import ARTICULATIONS, PIECES
from nubrak.core.session.document import Document

# What General MIDI Level 1 (MMA) has for a further drum or cymbal of the same kind, the nearest first.
_NEIGHBOURS: dict[str, tuple[int, ...]] = {
    "kick": (36, 35),
    "snare": (38, 40),
    "rack-tom": (48, 50, 47, 45),
    "mid-tom": (47, 45, 48, 50),
    "floor-tom": (43, 41, 45),
    "crash": (49, 57, 52, 55),
    "ride": (51, 59),
    "conga": (63, 64, 62, 61, 60),
    "cowbell": (56, 67, 68),
    "woodblock": (76, 77, 75),
    "shaker": (70, 69),
}
# Drums of the same map that no piece of ours is: what is left for more of a kind.
_FREE = (65, 66, 67, 68, 58, 78, 79, 73, 74, 80, 81, 71, 72, *range(88, 128), *range(27, 35))


def part_notes(document: Document) -> dict[str, int]:
    """The note of each part that has notes, by its id. The first part of a piece has the piece's own; a
    further one, such as a second floor tom or ghosts that were divided, has a neighbour that no other part
    and no way of striking has.
    """
    note_map = document.note_map
    told = {
        one.sorted_from
        for one in document.parts.values()
        if one.sorted_from is not None and one.divided_from != one.sorted_from
    }
    noted = [
        (key, one) for key, one in document.ordered_parts() if PIECES[one.piece].noted and key not in told
    ]
    # What was divided from a part comes after all that were recorded or told.
    noted.sort(key=lambda item: item[1].divided_from is not None)
    pieces = {part.piece for _, part in noted}
    taken = {note_map.number_of(piece, way.id) for piece in pieces for way in ARTICULATIONS.get(piece, ())}
    out: dict[str, int] = {}
    first = set[str]()
    for key, part in noted:
        own = note_map.number_of(part.piece)
        if part.piece not in first and (own not in taken or part.piece in ARTICULATIONS):
            first.add(part.piece)
            taken.add(own)
            out[key] = own
    for key, part in noted:
        if key in out:
            continue
        # A map of one's own may have moved the piece: its usual note is no neighbour then.
        near = [note for note in _NEIGHBOURS.get(part.piece, ()) if note != PIECES[part.piece].note]
        found = next((note for note in (*near, *_FREE) if note not in taken), None)
        out[key] = note_map.number_of(part.piece) if found is None else found
        taken.add(out[key])
    return out
