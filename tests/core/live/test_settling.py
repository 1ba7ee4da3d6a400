"""Strengths told once more when the body of a stroke has come."""

from __future__ import annotations

import numpy as np

from nubrak.core.decide import FindSettings, State
from nubrak.core.live import Listener, LivePart, Settled
from tests.core.live.made import PARTS, PLAYED, RATE_HZ, calibrated, two_microphones


def settled(audio: np.ndarray, size: int) -> list[Settled]:
    listener, out = Listener(PARTS, calibrated(), RATE_HZ, 0.0), []
    for at in range(0, len(audio), size):
        listener.hear(audio[at : at + size])
        out += listener.settled
    return out


def test_a_strength_is_told_once_more_when_the_body_of_the_stroke_has_come() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    found = settled(audio, 128)
    strokes = Listener(PARTS, calibrated(), RATE_HZ, 0.0).hear(audio)
    hits = [one for one in strokes if one.state is State.HIT]
    assert sorted((one.channel, one.time_s) for one in found) == sorted(
        (one.channel, one.time_s) for one in hits
    )
    for channel, (_, levels) in enumerate(PLAYED):
        told_db = np.array([one.strength_db for one in found if one.channel == channel])
        # Struck half as hard it is 6 dB softer: what is played is one sound at other levels.
        played_db = 20 * np.log10(np.array(levels))
        assert np.ptp(told_db - played_db) < 1.0
    by_block = {size: settled(audio, size) for size in (31, 1000, len(audio))}
    assert all(sorted(one, key=repr) == sorted(found, key=repr) for one in by_block.values())


def test_a_stroke_that_follows_at_once_is_no_part_of_the_one_before() -> None:
    alone = two_microphones(([0.5], [0.3]), ([], []), 1.0)
    soon = two_microphones(([0.5, 0.520], [0.3, 0.9]), ([], []), 1.0)
    parts = [LivePart("kick", FindSettings(hold_off_ms=5.0)), PARTS[1]]

    def first_db(audio: np.ndarray) -> float:
        listener = Listener(parts, calibrated(), RATE_HZ, 0.0)
        listener.hear(audio)
        return min(listener.settled, key=lambda one: one.time_s).strength_db

    assert abs(first_db(soon) - first_db(alone)) < 2.0, "the second is 10 dB louder"
