"""Which note each part of a session is written as where nothing was set: each has one of its own."""

from __future__ import annotations

from nubrak.core.pieces import ARTICULATIONS, PIECES, free_note
from nubrak.core.session.document import Document


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
        found = free_note(part.piece, taken)
        out[key] = note_map.number_of(part.piece) if found is None else found
        taken.add(out[key])
    return out
