"""What can be struck, and what a recording of it is: pieces, materials, names of files, note maps.

Plain models and tables. Begin with ``catalogue``: every piece with its notes, staff place and bands.
"""

from nubrak.core.pieces.articulation import ARTICULATIONS, Articulation, articulation_of, plain_of
from nubrak.core.pieces.catalogue import ONLY_HEARD, PIECES, Piece, PieceId, kinds_apart
from nubrak.core.pieces.file_names import (
    OVERHEADS,
    Likely,
    PieceGuess,
    file_name,
    guess_from_name,
    hears_the_kit,
    pair_name,
    plain_name,
    position_of,
    session_name,
    side_of,
    takes_alike,
    titled_file,
)
from nubrak.core.pieces.material import MATERIALS, Material, MaterialId, material_of
from nubrak.core.pieces.neighbours import free_note
from nubrak.core.pieces.note_map import GENERAL_MIDI, MOST_MAP_BYTES, NoteMap, from_text, to_text
from nubrak.core.pieces.percussion_keys import piece_of_key

__all__ = [
    "ARTICULATIONS",
    "GENERAL_MIDI",
    "MATERIALS",
    "MOST_MAP_BYTES",
    "ONLY_HEARD",
    "OVERHEADS",
    "PIECES",
    "Articulation",
    "Likely",
    "Material",
    "MaterialId",
    "NoteMap",
    "Piece",
    "PieceGuess",
    "PieceId",
    "articulation_of",
    "file_name",
    "free_note",
    "from_text",
    "guess_from_name",
    "hears_the_kit",
    "kinds_apart",
    "material_of",
    "pair_name",
    "piece_of_key",
    "plain_name",
    "plain_of",
    "position_of",
    "session_name",
    "side_of",
    "takes_alike",
    "titled_file",
    "to_text",
]
