"""Sounds tried in place, suggested and locked, over the desk."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from nubrak.core.gather import inspect
from nubrak.core.layer import Layer
from nubrak.core.problem import Problem
from nubrak.core.samples import Instrument, Kit, Sample
from nubrak.core.session import SetLayer
from nubrak.core.session.layer_edits import SetBlend
from nubrak.desk.desk import Desk
from nubrak.desk.locking import LockFound, edit, found_lock, lock_again, overlaid
from nubrak.desk.suggesting import suggestions
from nubrak.desk.trying import TRIED, NewLayer, put_sound, sounding_hits, with_tried
from nubrak.store.audio import put_audio
from nubrak.store.kits import all_kits, put_kit, remove_kit
from tests.conftest import RATE_HZ, decaying_strokes, write_wav
from tests.desk.conftest import STRUCK_S, Drop

Kick = tuple[str, str]
LATE = 30  # samples by which the sound's attack is told too early


@pytest.fixture
def kit(desk: Desk, tmp_path: Path) -> Iterator[str]:
    """The same drum turned round, and one that is much brighter."""
    sounds = {"same": (-decaying_strokes([0.05], [0.4], 0.6, hz=60), "Felt kick")}
    noise = np.random.default_rng(2).standard_normal(20000) * np.exp(-np.arange(20000) / 1500)
    sounds["bright"] = (np.concatenate([np.zeros(2205), 0.3 * noise]).astype(np.float32), "Paper clap")
    instruments = {}
    for key, (audio, name) in sounds.items():
        path = write_wav(tmp_path / f"{key}.wav", audio)
        stored = put_audio(desk.engine, path, path.name, inspect(path))
        sample = Sample(audio=stored, name=path.name, attack_s=0.05 - LATE / RATE_HZ)
        instruments[key] = Instrument(name=name, piece="kick", samples=[sample])
    put_kit(desk.engine, "attic", Kit(name="Attic", instruments=instruments))
    yield "attic"
    remove_kit(desk.engine, "attic")


def test_what_is_like_the_recording_is_suggested_first_and_what_adds_to_it_otherwise(
    desk: Desk, kick: Kick, kit: str
) -> None:
    standing = desk.standing(kick[0])
    for way, order in (("likeness", ["same", "bright"]), ("adds", ["bright", "same"])):
        sounds = suggestions(desk, standing, kick[1], way).sounds  # type: ignore[arg-type]
        mine = [one for one in sounds if one.kit_id == kit]
        assert [one.instrument_id for one in mine] == order and all(one.said for one in mine)


def test_a_sound_is_tried_locked_and_nothing_is_changed(desk: Desk, kick: Kick, kit: str) -> None:
    session, part_id = kick
    revision = desk.sessions.revision(session)
    standing = desk.standing(session)
    tried = with_tried(desk, standing, part_id, None, kit, "same")
    layer = tried.document.parts[part_id].layers[TRIED]
    assert layer.polarity == -1 and abs(layer.offset_samples) <= 0.0003 * RATE_HZ
    assert with_tried(desk, standing, part_id, None, kit, "same") is tried
    assert not desk.sessions.get(session).document.parts[part_id].layers
    assert desk.sessions.revision(session) == revision


def test_a_sound_put_in_place_of_another_is_as_loud_as_that_was(desk: Desk, kick: Kick, kit: str) -> None:
    session, part_id = kick

    def put(instrument_id: str, instead: bool, revision: int) -> int:
        new = NewLayer(
            revision=revision, layer_id="one", instead=instead, kit_id=kit, instrument_id=instrument_id
        )
        return put_sound(desk, session, part_id, new).revision

    revision = put("same", False, desk.sessions.revision(session))
    loud = found_lock(desk, desk.standing(session), part_id, "one")
    assert loud.in_place and not loud.stale and loud.over_wrong_db > 3
    drawn = overlaid(desk, desk.standing(session), part_id, "one")
    assert drawn.hits == 4 and np.corrcoef(drawn.median, drawn.layer)[0, 1] > 0.7
    put("bright", True, revision)
    (layer,) = desk.sessions.get(session).document.parts[part_id].layers.values()
    assert layer.instrument.name == "Paper clap"


def test_a_layer_is_locked_again_when_its_sound_changes_unless_a_hand_has_placed_it(
    desk: Desk, kick: Kick, kit: str
) -> None:
    session, part_id = kick
    sound = {"layer_id": "one", "kit_id": kit, "instrument_id": "same"}
    put_sound(desk, session, part_id, NewLayer(revision=desk.sessions.revision(session), **sound))

    def act(**changes: object) -> Layer:
        action = SetLayer(kind="set_layer", part_id=part_id, layer_id="one", changes=changes)
        state = edit(desk, session, desk.sessions.revision(session), action)
        return state.document.parts[part_id].layers["one"]

    def told() -> LockFound:
        return found_lock(desk, desk.standing(session), part_id, "one")

    locked = desk.sessions.get(session).document.parts[part_id].layers["one"]
    assert (locked.polarity, locked.placed_by_hand, locked.lock_is_stale) == (-1, False, False)
    # Half a period of 60 Hz later the layer would take from the low end what it gave it before.
    later = act(start_ms=8.3)
    assert (later.polarity, later.placed_by_hand) == (1, False) and told().in_place
    assert act(start_ms=0.0).offset_samples == locked.offset_samples
    by_hand = act(offset_samples=100)
    assert by_hand.placed_by_hand and not told().stale
    kept = act(high_velocity=90)
    assert (kept.offset_samples, kept.polarity) == (100, -1)
    assert told().stale and "Placed by hand" in told().said
    taken = lock_again(desk, session, desk.sessions.revision(session), part_id, "one", each=True)
    layer = taken.document.parts[part_id].layers["one"]
    assert layer.offset_samples == told().offset_samples and len(layer.each) and not layer.placed_by_hand


def test_a_layer_may_be_locked_to_the_overheads_that_stay(
    desk: Desk, kick: Kick, kit: str, drop: Drop
) -> None:
    session, part_id = kick
    # The overheads hear the kick the other way round.
    drop(session, "overheads.wav", -decaying_strokes([s + 0.002 for s in STRUCK_S], [0.3] * 4, 2.2, hz=60))
    sound = {"layer_id": "one", "kit_id": kit, "instrument_id": "same"}
    put_sound(desk, session, part_id, NewLayer(revision=desk.sessions.revision(session), **sound))

    def placed(**changes: object) -> tuple[int, int]:
        action = SetLayer(kind="set_layer", part_id=part_id, layer_id="one", changes=changes)
        layer = (
            edit(desk, session, desk.sessions.revision(session), action).document.parts[part_id].layers["one"]
        )
        return layer.polarity, layer.offset_samples

    own = placed(lock_against="own", polarity_only=False)
    over = placed(lock_against="overheads")
    assert over[0] == -own[0] and abs(over[1]) <= 0.0003 * RATE_HZ
    assert placed(polarity_only=True) == (over[0], 0)
    # With the recording muted, what is heard is the overheads alone.
    mute = SetBlend(kind="set_blend", part_id=part_id, changes={"recording_on": False})
    desk.sessions.edit(session, desk.sessions.revision(session), mute)
    assert placed(lock_against="heard", polarity_only=False) == over


def test_what_is_not_there_is_a_sentence(desk: Desk, kick: Kick, kit: str) -> None:
    session, part_id = kick
    standing = desk.standing(session)
    with pytest.raises(Problem):
        with_tried(desk, standing, part_id, None, kit, "gone")
    with pytest.raises(Problem):
        found_lock(desk, standing, part_id, "gone")
    with pytest.raises(Problem):
        put_sound(desk, session, part_id, NewLayer(revision=standing.state.revision, layer_id="x"))


def test_a_sound_of_the_library_is_heard_on_the_hits_while_settings_move(
    desk: Desk, kick: Kick, kit: str
) -> None:
    session, part_id = kick
    standing = desk.standing(session)
    sounding = sounding_hits(desk, standing, part_id, kit, "bright")
    settings = standing.document.parts[part_id].find
    heard = desk.window(sounding, "layers", [part_id], 0, 3 * RATE_HZ, settings)
    hits = standing.decisions(part_id)
    sample = desk.audio.sample(all_kits(desk.engine)[kit].instruments["bright"].samples[0], RATE_HZ)
    first = round(float(hits.time_s[hits.counts][0]) * RATE_HZ) - round(0.05 * RATE_HZ) + LATE
    around = heard[first + 2300 : first + 2500, 0]
    assert np.corrcoef(around, sample[2300:2500, 0])[0, 1] > 0.999
    # With a threshold over everything nothing is left to sound.
    silent = settings.model_copy(update={"threshold_db": 0.0, "weighs": False})
    assert not desk.window(sounding, "layers", [part_id], 0, 3 * RATE_HZ, silent).any()
    assert desk.standing(session).document.parts[part_id].layers == {}
