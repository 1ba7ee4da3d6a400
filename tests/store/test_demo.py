"""The starter kit and the demo: made from code, the same every time, complete, and like drums."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import Engine

from nubrak.core.decide.settings import FindSettings
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.mix import active, group_of
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.samples.kit import STARTER
from nubrak.core.session import Document, Part
from nubrak.demo.kit import INSTRUMENTS, RATE_HZ, made_samples
from nubrak.demo.load import load_demo
from nubrak.demo.mix import mix_demo
from nubrak.demo.score import BARS, BPM, LEAD_S, TITLE, act_one, claps_of_the_audience, loop_of_the_moth
from nubrak.demo.strokes import STROKES
from nubrak.store.kits import all_kits
from nubrak.store.sessions import Sessions


def centroid_hz(audio: np.ndarray) -> float:
    power = np.abs(np.fft.rfft(audio)) ** 2
    return float((power * np.fft.rfftfreq(len(audio), 1 / RATE_HZ)).sum() / power.sum())


def test_the_starter_kit_has_every_promised_piece_with_strengths_and_turns() -> None:
    ids = {made.id for made in INSTRUMENTS}
    assert ids >= {
        "kick",
        "snare",
        "rack-tom",
        "floor-tom",
        "hat-closed",
        "hat-open",
        "hat-pedal",
        "crash",
        "ride",
        "clap",
        "tambourine",
        "shaker",
    }
    for made in INSTRUMENTS:
        assert made.piece in PIECES and made.turns >= 2 and len(made.layers) >= 2
        assert made.layers[0][0] == 1 and made.layers[-1][1] == 127
        assert all(low == high + 1 for (_, high, _), (low, _, _) in pairwise(made.layers))


@pytest.mark.parametrize("made", INSTRUMENTS, ids=lambda made: made.id)
def test_samples_are_the_same_every_time_and_no_two_are_alike(made) -> None:  # type: ignore[no-untyped-def]
    first, again = list(made_samples(made)), list(made_samples(made))
    for (_, _, _, one), (_, _, _, two) in zip(first, again, strict=True):
        assert np.array_equal(one, two)
    sounds = [audio for _, _, _, audio in first]
    for one, two in pairwise(sounds):
        short = min(len(one), len(two))
        likeness = np.corrcoef(one[:short], two[:short])[0, 1]
        assert likeness < 0.9999
    assert all(0.01 < np.abs(audio).max() <= 1.0 and np.isfinite(audio).all() for audio in sounds)


def test_a_harder_stroke_is_louder_and_brighter_and_pieces_lie_where_they_do_on_a_kit() -> None:
    for sound in ("kick", "snare", "floor-tom"):
        soft, hard = (STROKES[sound](np.random.default_rng(1), strength, RATE_HZ) for strength in (0.4, 1.0))
        assert np.abs(hard).max() > 3 * np.abs(soft).max() and centroid_hz(hard) > centroid_hz(soft)
    bright = {
        sound: centroid_hz(make(np.random.default_rng(2), 0.9, RATE_HZ)) for sound, make in STROKES.items()
    }
    assert (
        bright["kick"] < bright["floor-tom"] * 3 < 600
        and bright["floor-tom"] < bright["rack-tom"] < bright["snare"] < bright["hat-closed"]
    )


def test_one_stroke_never_gives_two_hits() -> None:
    for sound, make in STROKES.items():
        audio = np.concatenate(
            [
                np.zeros(4410, np.float32),
                make(np.random.default_rng(3), 0.9, RATE_HZ),
                np.zeros(4410, np.float32),
            ]
        )
        piece = next(made.piece for made in INSTRUMENTS if made.stroke == sound)
        decided = decide_alone(PartInput(sound, piece, find_candidates(audio, RATE_HZ), FindSettings(), []))
        assert np.count_nonzero(decided.counts) == 1, sound


def test_the_performance_is_human_and_as_long_as_promised() -> None:
    strokes = act_one()
    assert strokes == act_one()
    assert 60 <= LEAD_S + BARS * 4 * 60 / BPM <= 90
    off_grid = [((s.time_s - LEAD_S) * BPM / 60 * 4 + 0.5) % 1 - 0.5 for s in strokes if s.sound == "kick"]
    assert 0.002 < np.std(off_grid) < 0.2
    snare = [s.strength for s in strokes if s.sound == "snare"]
    assert min(snare) < 0.5 and max(snare) > 0.9
    assert len(loop_of_the_moth()) > 20 and len(claps_of_the_audience()) >= 16


def test_a_new_installation_brings_the_sessions_analysed_and_a_second_start_changes_nothing(
    engine: Engine, database_url: str, tmp_path: Path
) -> None:
    load_demo(database_url, tmp_path)
    sessions = Sessions(engine)
    made = {line.name: line.id for line in sessions.all()}
    state = sessions.get(made[TITLE])
    assert [part.piece for _, part in state.document.ordered_parts()] == [
        "kick",
        "snare",
        "hi-hat",
        "floor-tom",
        "crash",
    ]
    assert made.keys() >= {f"{TITLE}: claps", f"{TITLE}: the moth's dance"}
    (claps,) = sessions.get(made[f"{TITLE}: claps"]).document.sources.values()
    assert len(claps.passes) == 2 and claps.clips == [claps.passes[1]]
    assert claps.passes[0].audio != claps.passes[1].audio
    assert all(len(one) >= 12 for one in made.values()), "an id is nobody's to guess"
    kit = all_kits(engine)[STARTER]
    assert len(kit.instruments) == len(INSTRUMENTS)
    count = len(sessions.all())
    load_demo(database_url, tmp_path)
    assert sessions.get(made[TITLE]) == state
    assert len(sessions.all()) == count


def test_the_demos_mix_goes_where_it_says_and_every_stage_does_something() -> None:
    document = Document(name="T")
    for place, piece in enumerate(("kick", "snare", "hi-hat", "floor-tom", "crash")):
        document.parts[f"part-{place}"] = Part(piece=piece, place=place, sources=[f"source-{place}"])
    mix_demo(document)
    drums, room = document.buses["drums"], document.buses["room"]
    assert set(drums.parts) == set(document.parts) and set(room.parts) < set(document.parts)
    assert all(group_of(document.buses, one) == "drums" for one in document.parts)
    chains = [drums.chain, *(part.chain for part in document.parts.values() if part.chain)]
    assert len(chains) == 5 and all(active(chain) == chain for chain in chains)
    assert Document.model_validate_json(document.model_dump_json()) == document
    mix_demo(Document(name="without parts"))
