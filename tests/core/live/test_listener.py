"""A listener: strokes while they are played, by the settings of Find, from the past alone."""

from __future__ import annotations

import tracemalloc

import numpy as np
import pytest

from nubrak.core.decide import FindSettings, State
from nubrak.core.live import Listener, LivePart, LiveStroke, unheard
from nubrak.core.problem import Problem
from tests.core.live.made import PARTS, PLAYED, RATE_HZ, calibrated, two_microphones


def heard(
    audio: np.ndarray,
    look_ahead_ms: float = 5.0,
    parts: list[LivePart] | None = None,
    sizes: tuple[int, ...] = (128,),
) -> list[LiveStroke]:
    listener = Listener(parts or PARTS, calibrated(), RATE_HZ, look_ahead_ms)
    out, at, turn = [], 0, 0
    while at < len(audio):
        size = sizes[turn % len(sizes)]
        out += listener.hear(audio[at : at + size])
        at, turn = at + size, turn + 1
    return out


def hits_s(strokes: list[LiveStroke], channel: int) -> list[float]:
    return [one.time_s for one in strokes if one.channel == channel and one.state is State.HIT]


@pytest.mark.parametrize("look_ahead_ms", [0.0, 5.0])
def test_strokes_are_found_on_their_drum_and_not_on_the_other(look_ahead_ms: float) -> None:
    strokes = heard(two_microphones(*PLAYED, 4.0), look_ahead_ms)
    for channel, (struck, _) in enumerate(PLAYED):
        assert len(hits_s(strokes, channel)) == len(struck)
        assert np.allclose(hits_s(strokes, channel), struck, atol=0.004)


def test_nothing_is_decided_by_more_than_was_declared() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    for look_ahead_ms in (0.0, 3.5, 9.8):
        for one in heard(audio, look_ahead_ms):
            # From where it leapt; an attack may be put some milliseconds before that.
            assert one.decided_s - one.time_s <= look_ahead_ms / 1000 + 8 * 31 / RATE_HZ + 1e-9
    # What comes after a decision changes nothing of it.
    until = round(2.6 * RATE_HZ)
    changed = audio.copy()
    changed[until:] = 0.5
    before = [one for one in heard(audio) if one.decided_s < 2.6]
    assert [one for one in heard(changed) if one.decided_s < 2.6] == before


def test_any_size_of_blocks_gives_the_same_strokes() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    whole = heard(audio, sizes=(len(audio),))
    for sizes in ((1, 5, 31), (128,), (1000, 17)):
        assert heard(audio, sizes=sizes) == whole


def test_strengths_are_in_the_order_in_which_they_were_played() -> None:
    strokes = heard(two_microphones(*PLAYED, 4.0))
    for channel, (_, levels) in enumerate(PLAYED):
        strength = [one.strength_db for one in strokes if one.channel == channel and one.state is State.HIT]
        assert np.argsort(strength).tolist() == np.argsort(levels).tolist()


def test_settings_of_find_hold_from_when_they_are_set() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    listener = Listener(PARTS, calibrated(), RATE_HZ, 5.0)
    half = round(1.6 * RATE_HZ)
    first = listener.hear(audio[:half])
    silent = [LivePart(part.piece, FindSettings(threshold_db=0.0)) for part in PARTS]
    listener.set(silent, listener.learnt, 5.0)
    second = listener.hear(audio[half:])
    assert len(hits_s(first, 0)) == 2
    assert not hits_s(second, 0) and not hits_s(second, 1)
    assert {one.state for one in second} & {State.UNDER}


def test_a_hold_off_holds() -> None:
    audio = two_microphones(([0.5, 0.6, 0.7, 0.8], [0.7] * 4), ([], []), 1.5)
    parts = [LivePart("kick", FindSettings(hold_off_ms=150.0)), PARTS[1]]
    assert np.allclose(hits_s(heard(audio, parts=parts), 0), [0.5, 0.7], atol=0.004)


def test_a_surety_of_nothing_leaves_it_to_the_lines() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    parts = [LivePart("kick", FindSettings(surety_percent=0, spill_margin_db=None, rise_db=12.0)), PARTS[1]]
    found = hits_s(heard(audio, parts=parts), 0)
    assert len(found) > len(PLAYED[0][0]), "spill counts where nobody asks about it"


def test_an_hour_takes_no_more_room_than_a_minute() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    listener = Listener(PARTS, calibrated(), RATE_HZ, 5.0)
    listener.hear(audio)
    tracemalloc.start()
    for _ in range(5):
        listener.hear(audio)
    before = tracemalloc.get_traced_memory()[0]
    for _ in range(40):
        listener.hear(audio)
    grown = tracemalloc.get_traced_memory()[0] - before
    tracemalloc.stop()
    assert grown < 20_000, "bytes, over three minutes"


def test_a_kit_that_nothing_is_known_of_is_listened_to_all_the_same() -> None:
    audio = two_microphones(([0.5, 1.0], [0.8, 0.8]), ([], []), 1.5)
    listener = Listener(PARTS, unheard(2), RATE_HZ, 5.0)
    found = hits_s(listener.hear(audio), 0)
    assert np.allclose(found, [0.5, 1.0], atol=0.004)


def test_what_does_not_fit_is_refused() -> None:
    with pytest.raises(Problem, match="more than can be listened to"):
        Listener(PARTS * 40, unheard(80), RATE_HZ, 5.0)
    with pytest.raises(Problem, match="1 microphones came where 2"):
        Listener(PARTS, unheard(2), RATE_HZ, 5.0).hear(np.zeros((64, 1), np.float32))
