"""Which strokes follow a correction: likeness in the band where a piece speaks."""

from __future__ import annotations

import numpy as np

from nubrak.core.find import find_candidates
from nubrak.core.pieces import PIECES
from nubrak.core.sort.alike import REACHES_DB, USUAL_REACH, followers, unlike_db
from nubrak.core.sort.listening import Sounding, listen, sounding_of
from tests.core.sort.made import RATE_HZ, mixture


def heard(strokes: list[tuple[float, str, float]], length_s: float) -> tuple[Sounding, list[int]]:
    """What strokes sound like, and the candidate of each."""
    loop = mixture(strokes, length_s)
    found = listen(loop, find_candidates(loop, RATE_HZ, closely=True), RATE_HZ)
    told = sounding_of(found)
    assert told is not None
    return told, [int(np.abs(found.time_s - time_s).argmin()) for time_s, _, _ in strokes]


def test_strokes_of_one_drum_are_nearer_than_those_of_two() -> None:
    strokes = [(0.1 + 0.5 * n, ("snare", "hat-open")[n % 2], 0.5 + 0.1 * (n % 4)) for n in range(8)]
    told, rows = heard(strokes, 4.5)
    away = unlike_db(told, np.array(rows), np.array(rows), PIECES["snare"])
    same = [away[a, b] for a in range(8) for b in range(8) if a != b and (a - b) % 2 == 0]
    apart = [away[a, b] for a in range(8) for b in range(8) if (a - b) % 2]
    assert max(same) < min(apart)


def test_those_that_sound_alike_follow_and_others_stay() -> None:
    strokes = [(0.1 + 0.5 * n, ("rack-tom", "floor-tom")[n % 2], 0.8) for n in range(10)]
    told, rows = heard(strokes, 5.5)
    racks, floors = np.array(rows[::2]), np.array(rows[1::2])
    found, reach = followers(
        told, racks[:1], floors[:1], np.concatenate([racks[1:], floors[1:]]), PIECES["rack-tom"]
    )
    assert set(found) == set(racks[1:]) and reach.max() <= USUAL_REACH


def test_what_is_less_alike_follows_from_a_wider_reach_on() -> None:
    strokes = [(0.1 + 0.5 * n, "rack-tom" if n < 4 else "floor-tom", 0.8) for n in range(8)]
    told, rows = heard(strokes, 4.5)
    none = np.zeros(0, np.int64)
    found, reach = followers(told, np.array(rows[:1]), none, np.array(rows[1:]), PIECES["rack-tom"])
    away = unlike_db(told, found, np.array(rows[:1]), PIECES["rack-tom"])[:, 0]
    assert np.all(np.diff(away) >= 0) and np.all(np.diff(reach) >= 0)
    assert set(rows[1:4]) <= set(found[reach <= USUAL_REACH]), "the same drum"
    assert not set(rows[4:]) & set(found[reach <= USUAL_REACH]), "the other drum, if at all, further away"
    for step, most_db in enumerate(REACHES_DB):
        assert np.all(away[reach <= step] <= most_db) and np.all(away[reach > step] > most_db)


def test_nothing_follows_nothing() -> None:
    told, rows = heard([(0.1, "kick", 0.8), (0.6, "kick", 0.8)], 1.2)
    none = np.zeros(0, np.int64)
    assert not len(followers(told, none, none, np.array(rows), PIECES["kick"])[0])
    assert not len(followers(told, np.array(rows), none, none, PIECES["kick"])[0])
