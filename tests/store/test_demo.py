"""The kits that ship and the demo: made from code, the same every time, complete, and like drums."""

from __future__ import annotations

from dataclasses import replace
from io import BytesIO
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
from sqlalchemy import Engine

from nubrak.core.decide.settings import FindSettings
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.core.mix import active, group_of
from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.samples.kit import SHIPPED, STARTER
from nubrak.core.session import Document, Part
from nubrak.demo import load
from nubrak.demo.drums.sound import pressed
from nubrak.demo.kit import made_kits, made_samples
from nubrak.demo.load import load_demo, load_kits
from nubrak.demo.made import RATE_HZ, MadeInstrument, MadeKit
from nubrak.demo.mix import mix_demo
from nubrak.demo.score import BARS, BPM, LEAD_S, TITLE, act_one, claps_of_the_audience, loop_of_the_moth
from nubrak.demo.strokes import STROKES
from nubrak.store.kits import all_kits, put_kit, remove_kit
from nubrak.store.sessions import Sessions


def centroid_hz(audio: np.ndarray) -> float:
    power = np.abs(np.fft.rfft(audio)) ** 2
    return float((power * np.fft.rfftfreq(len(audio), 1 / RATE_HZ)).sum() / power.sum())


KITS = made_kits()
EVERY = [(kit, made) for kit in KITS for made in kit.instruments]


def test_there_is_something_to_choose_from_with_strengths_and_turns() -> None:
    assert {kit.id for kit in KITS} == SHIPPED and len(KITS) >= 5 and KITS[0].id == STARTER
    assert len(EVERY) >= 60
    starter = {made.id for made in KITS[0].instruments}
    assert starter >= {stroke.sound for stroke in [*act_one(), *loop_of_the_moth(), *claps_of_the_audience()]}
    for kit in KITS:
        assert len({made.id for made in kit.instruments}) == len(kit.instruments)
        for made in kit.instruments:
            assert made.piece in PIECES and len(made.layers) >= 2
            # What a machine makes is the same every time; whatever is struck by hand takes turns.
            assert made.turns >= 2 or kit.id == "circuits"
            assert made.layers[0][0] == 1 and made.layers[-1][1] == 127
            assert all(low == high + 1 for (_, high, _), (low, _, _) in pairwise(made.layers))


@pytest.mark.parametrize(("kit", "made"), EVERY, ids=lambda one: one.id)
def test_samples_are_the_same_every_time_and_no_two_are_alike(kit: MadeKit, made: MadeInstrument) -> None:
    sounds = [audio for _, _, _, audio in made_samples(kit, made)]
    again = next(audio for _, _, _, audio in made_samples(kit, made))
    assert np.array_equal(sounds[0], again)
    for one, two in pairwise(sounds):
        short = min(len(one), len(two))
        assert np.corrcoef(one[:short], two[:short])[0, 1] < 0.9999
    assert all(0.005 < np.abs(audio).max() <= 1.0 and np.isfinite(audio).all() for audio in sounds)
    # A harder layer is louder, and its stroke is over when its file is.
    loudest = [np.abs(audio).max() for audio in sounds[:: made.turns]]
    assert loudest == sorted(loudest)
    assert all(np.abs(audio[-100:]).max() < 0.02 * np.abs(audio).max() for audio in sounds)


def test_a_harder_stroke_is_louder_and_brighter_and_pieces_lie_where_they_do_on_a_kit() -> None:
    for kit in KITS[:3]:
        by_id = {made.id: made.drum for made in kit.instruments}
        for drum in ("kick", "snare", "floor-tom", "rack-tom"):
            soft, hard = (
                by_id[drum].strike(np.random.default_rng(1), strength, RATE_HZ, kit.room)
                for strength in (0.4, 1.0)
            )
            assert np.abs(hard).max() > 3 * np.abs(soft).max(), (kit.id, drum)
            assert centroid_hz(hard) > centroid_hz(soft), (kit.id, drum)
        bright = {
            name: centroid_hz(drum.strike(np.random.default_rng(2), 0.9, RATE_HZ, kit.room))
            for name, drum in by_id.items()
        }
        assert (
            bright["kick"] < bright["floor-tom"] < bright["rack-tom"] < bright["snare"] < bright["hat-closed"]
        )
        assert bright["crash"] < bright["hat-closed"]


@pytest.mark.parametrize("by_db", [0.0, 1.0, 6.0])
def test_pressing_lifts_what_is_soft_and_leaves_the_peak(by_db: float) -> None:
    sound = np.random.default_rng(3).standard_normal(4000) * np.exp(-np.arange(4000) / 900)
    sound /= np.abs(sound).max()
    out = pressed(sound, by_db)
    order = np.argsort(sound)
    assert np.abs(out).max() == pytest.approx(1.0) and (np.diff(out[order]) >= 0).all()
    soft = np.abs(sound) < 0.02
    lifted_db = 20 * np.log10(np.abs(out[soft]) / np.abs(sound[soft]))
    assert np.abs(lifted_db - by_db).max() < 0.05


def test_kits_are_small_enough_to_be_made_on_every_first_start() -> None:
    """As FLAC, of a third of them, against a third of 40 MB."""
    size = 0
    for kit, made in EVERY[::3]:
        for _, _, _, audio in made_samples(kit, made):
            file = BytesIO()
            soundfile.write(file, audio, RATE_HZ, subtype="PCM_24", format="FLAC")
            size += len(file.getvalue())
    assert size < 40e6 / 3


def test_one_stroke_never_gives_two_hits() -> None:
    for made in KITS[0].instruments:
        stroke = STROKES[made.id](np.random.default_rng(3), 0.9, RATE_HZ)
        silence = np.zeros(4410, np.float32)
        audio = np.concatenate([silence, stroke, silence])
        decided = decide_alone(
            PartInput(made.id, made.piece, find_candidates(audio, RATE_HZ), FindSettings(), [])
        )
        assert np.count_nonzero(decided.counts) == 1, made.id


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
    assert len(kit.instruments) == len(KITS[0].instruments)
    count = len(sessions.all())
    load_demo(database_url, tmp_path)
    assert sessions.get(made[TITLE]) == state
    assert len(sessions.all()) == count


def test_the_other_kits_are_made_once_and_what_a_hand_did_to_one_stays(
    engine: Engine, database_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    few = tuple(replace(kit, id=f"few-{kit.id}", instruments=kit.instruments[:2]) for kit in KITS[2:4])
    monkeypatch.setattr(load, "made_kits", lambda: few)
    load_kits(database_url)
    made = {key: kit for key, kit in all_kits(engine).items() if key.startswith("few-")}
    assert [len(kit.instruments) for kit in made.values()] == [2, 2]
    for kit in made.values():
        for instrument in kit.instruments.values():
            assert instrument.words and all(sample.measured for sample in instrument.samples)
            assert all(sample.attack_s < 0.003 for sample in instrument.samples)
    liked = made["few-booth"].model_copy(update={"favourites": ["kick"]})
    put_kit(engine, "few-booth", liked)
    load_kits(database_url)
    assert all_kits(engine)["few-booth"] == liked
    there = list(all_kits(engine))
    assert there[0] == STARTER and there.index("few-circuits") < there.index("few-booth"), "then by name"
    for key in made:
        remove_kit(engine, key)


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
