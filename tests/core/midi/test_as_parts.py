"""A MIDI file from elsewhere as parts."""

from __future__ import annotations

from io import BytesIO

import mido

from nubrak.core.midi.as_parts import parts_of, piece_of
from nubrak.core.midi.read import read_midi
from nubrak.core.pieces.note_map import NoteMap


def test_a_file_from_elsewhere_becomes_a_part_for_each_piece() -> None:
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    for note in (36, 38, 42, 46, 99):
        track.append(
            mido.Message("note_on", channel=9, note=note, velocity=90, time=0 if note == 36 else 480)
        )
        track.append(mido.Message("note_off", channel=9, note=note, time=0))
    file.tracks.append(track)
    buffer = BytesIO()
    file.save(file=buffer)
    found = {one.piece: one.notes for one in parts_of(read_midi(buffer.getvalue()), NoteMap())}
    assert list(found) == ["kick", "snare", "hi-hat", "else"]
    assert [note.time_s for note in found["hi-hat"]] == [1.0, 1.5] and [
        note.note for note in found["hi-hat"]
    ] == [None, 46]
    assert found["else"][0].note == 99


def test_the_own_map_says_which_piece_a_note_is() -> None:
    own = NoteMap(name="Own", notes={"crash": 24})
    assert piece_of(24, own) == "crash" and piece_of(40, own) == "snare" and piece_of(1, own) == "else"
