"""Hats: the layers of one pair of cymbals, each on the notes of its own way of being struck, and silenced by
what closes them, in whatever order they were put there.
"""

from __future__ import annotations

from collections.abc import Mapping

from nubrak.core.layer.settings import Layer
from nubrak.core.pieces import ARTICULATIONS, NoteMap
from nubrak.core.samples import Instrument

_WORDS = {"half": "half", "open": "open", "pedal": "pedal", "foot": "pedal", "chick": "pedal"}
_OPEN = ("half", "open")  # they ring until they are closed
_EVERY = frozenset(range(128))


def way_of(instrument: Instrument) -> str:
    """How the hats of an instrument are struck: by the note it answers, else by what it is called."""
    by_note = {way.note: way.id for way in ARTICULATIONS["hi-hat"] if way.falls_to is None}
    if instrument.key in by_note:
        return by_note[instrument.key]
    said = f"{instrument.name} {' '.join(instrument.words)}".lower().replace("-", " ").split()
    return next((way for word, way in _WORDS.items() if word in said), "closed")


def fitted_hats(layers: Mapping[str, Layer], note_map: NoteMap) -> dict[str, Layer]:
    """The layers of a hi-hat on the notes of their ways: an open one on open notes only, silenced by closed
    and pedal ones; a closed one on all notes that no other layer has. What a hand has set stays as it is.
    """
    numbers = {way.id: note_map.number_of("hi-hat", way.id) for way in ARTICULATIONS["hi-hat"]}
    ways = {key: way_of(layer.instrument) for key, layer in layers.items()}
    open_notes = {numbers[way] for way in _OPEN}
    closing = {numbers["closed"], numbers["pedal"]} - open_notes
    out = {}
    for key, layer in layers.items():
        if layer.notes_by_hand:
            out[key] = layer
            continue
        way = ways[key]
        if way in _OPEN:
            # Where only one of both is there, it sounds for both.
            own = open_notes if len({ways[one] for one in layers} & set(_OPEN)) < 2 else {numbers[way]}
            changes = {"notes": sorted(own), "silenced_by": sorted(closing - own)}
        else:
            others = {one for other, one in numbers.items() if other != way and other in ways.values()}
            others |= open_notes if set(_OPEN) & set(ways.values()) else set()
            if way == "pedal":
                changes = {"notes": [numbers["pedal"]], "silenced_by": []}
            else:
                rest = others - {numbers["closed"]}
                changes = {"notes": sorted(_EVERY - rest) if rest else [], "silenced_by": []}
        out[key] = layer.model_copy(update=changes)
    return out
