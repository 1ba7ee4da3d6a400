"""What written strokes sound with."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from nubrak.core.pieces import NoteMap
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Kit, Sample
from nubrak.core.session.shape_edits import SetNoteMap
from nubrak.desk.desk import Desk
from nubrak.desk.sounding import sound_with, stroke_sound
from nubrak.store.kits import new_kit
from tests.desk.test_writing import Kick, in_tempo, write


def kit_for(desk: Desk, session: str, *pieces: str) -> str:
    """A kit whose instruments all sound like the session's own recording."""
    source = next(iter(desk.sessions.get(session).document.sources.values()))
    sample = Sample(audio=source.clips[0].audio, attack_s=0.25, begin_s=0.2)
    ones = {f"i{k}": Instrument(name=piece, piece=piece, samples=[sample]) for k, piece in enumerate(pieces)}
    return new_kit(desk.engine, Kit(name="Workshop boxes", instruments=ones))


def test_a_kit_sounds_on_what_is_written_and_leaves_the_recording_alone(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    write(desk, session, bar=2, step=8, part_id=part_id)
    state = sound_with(desk, session, desk.sessions.revision(session), kit_for(desk, session, "kick", "ride"))
    (layer,) = state.document.parts[part_id].layers.values()
    assert layer.sounds_on == "written"
    rate, standing = state.document.rate_hz, desk.standing(session)
    heard = np.abs(desk.window(standing, "layers", [part_id], 0, 4 * rate)).max(axis=1)
    # Silence while the recording plays, and then one stroke where it was written, at 3.25 s.
    assert not heard[: round(3.2 * rate)].any() and heard[round(3.24 * rate) : round(3.35 * rate)].max() > 0.1
    # As loud as the part was recorded.
    recorded = np.abs(desk.window(standing, "recording", [part_id], 0, 4 * rate)).max()
    assert heard.max() == pytest.approx(recorded, rel=0.6)


def test_another_kit_takes_the_place_of_the_first(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    for _ in range(2):
        kit_id = kit_for(desk, session, "kick")
        state = sound_with(desk, session, desk.sessions.revision(session), kit_id)
    assert len(state.document.parts[part_id].layers) == 1
    with pytest.raises(Problem, match="no sound"):
        sound_with(desk, session, desk.sessions.revision(session), kit_for(desk, session, "cowbell"))


@pytest.mark.usefixtures("put_starter")
def test_one_stroke_is_heard_by_itself_with_layers_and_without(desk: Desk, kick: Kick) -> None:
    session, part_id = kick
    in_tempo(desk, session)
    loud, soft = (stroke_sound(desk, desk.standing(session), part_id, v, None) for v in (110, 30))
    assert np.abs(loud).max() > 2 * np.abs(soft).max() > 0
    sound_with(desk, session, desk.sessions.revision(session), kit_for(desk, session, "kick"))
    loud, soft = (stroke_sound(desk, desk.standing(session), part_id, v, None) for v in (110, 30))
    assert np.abs(loud).max() > 2 * np.abs(soft).max() > 0
    nobody = write(desk, session, bar=1, step=1, piece="crash").part_id
    assert not stroke_sound(desk, desk.standing(session), nobody, 100, None).any()


def test_a_new_hat_sounds_on_the_notes_that_the_session_writes_it_as(
    desk: Desk, kick: Kick, put_starter: Callable[[Kit], None]
) -> None:
    session, _ = kick
    in_tempo(desk, session)
    source = next(iter(desk.sessions.get(session).document.sources.values()))
    sample = Sample(audio=source.clips[0].audio, attack_s=0.25, begin_s=0.2)
    hats = {
        f"h{key}": Instrument(name=f"hat {key}", piece="hi-hat", samples=[sample], key=key, silenced_by=by)
        for key, by in ((42, []), (46, [42]))
    }
    put_starter(Kit(name="Workshop", instruments=hats))
    notes = NoteMap(name="Own", notes={"hi-hat": 8, "hi-hat/open": 9})
    desk.sessions.edit(session, None, SetNoteMap(kind="set_note_map", note_map=notes))
    wrote = write(desk, session, bar=1, step=0, piece="hi-hat")
    layers = {one.instrument.key: one for one in wrote.state.document.parts[wrote.part_id].layers.values()}
    assert wrote.note == 8 and 8 in layers[42].notes and 9 not in layers[42].notes
    assert layers[46].notes == [9] and layers[46].silenced_by == [8]
    for note in (8, 9):
        assert stroke_sound(desk, desk.standing(session), wrote.part_id, 100, note).any()
