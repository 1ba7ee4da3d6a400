"""The mix in windows: bit for bit what the whole is."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.layer.settings import Layer
from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.blend import Blend
from nubrak.core.mix.chain import Played, Stage, WidthStage, through
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import EqBand, EqualiserStage
from nubrak.core.mix.render import Mix, render
from nubrak.core.prints import files as prints
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.shape.notes import Notes

RATE = 44100


NOISE = (0.1 * np.random.default_rng(3).standard_normal((4 * RATE, 1))).astype(np.float32)


CLICK = np.ones((1, 1), np.float32)


HITS = np.array([RATE // 2, RATE, RATE + 300, 3 * RATE])


def mix(blend: Blend, hits: np.ndarray = HITS) -> Mix:
    document = Document(name="T", rate_hz=RATE)
    document.sources["s"] = Source(
        name="s", place=0, clips=[Clip(audio="n", length_s=4.0, channels=1, rate_hz=RATE)]
    )
    layer = Layer(instrument=Instrument(name="c", piece="snare", samples=[Sample(audio="c")]), level_db=0.0)
    document.parts["p"] = Part(piece="snare", place=0, sources=["s"], blend=blend, layers={"l": layer})
    document.parts["q"] = Part(piece="kick", place=1, sources=["s"])
    notes = {
        "p": Notes(hits / RATE, np.full(len(hits), 127), 38, 10, 0.5),
        "q": Notes(np.zeros(0), np.zeros(0, np.int64), 36, 10, 0.5),
    }
    return Mix(document, notes, lambda _: NOISE, lambda *_: (CLICK, 0), {"p": hits})


@settings(max_examples=30, deadline=None)
@given(
    start=st.integers(0, 3 * RATE),
    frames=st.integers(1, 60000),
    duck=st.sampled_from([0.0, -12.0, -60.0]),
    low=st.sampled_from([None, 20.0, 300.0]),
    slope=st.sampled_from([6, 24]),
)
def test_a_window_equals_that_stretch_of_the_whole(
    start: int, frames: int, duck: float, low: float | None, slope: int
) -> None:
    made = mix(
        Blend(
            duck_db=duck,
            low_cut_hz=low,
            low_cut_slope=slope,
            high_cut_hz=5000.0,
            recording_pan=0.3,
            layers_pan=-0.5,
        )
    )
    whole = render(made, "both", ["p"], 0, 4 * RATE)
    assert np.array_equal(
        render(made, "both", ["p"], start, frames)[: max(4 * RATE - start, 0)], whole[start : start + frames]
    )


def test_a_print_is_its_windows_one_after_the_other_and_those_are_the_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = mix(Blend(duck_db=-12.0, low_cut_hz=80.0, recording_pan=0.4))
    monkeypatch.setattr(prints, "WINDOW_FRAMES", 20_011)
    frames = 4 * RATE
    prints.print_file(
        tmp_path / "p.wav",
        lambda start, count: render(made, "both", ["p", "q"], start, count),
        frames,
        RATE,
        prints.PrintSettings(depth="float"),
    )
    read, _ = soundfile.read(str(tmp_path / "p.wav"), dtype="float32")
    assert np.array_equal(read, render(made, "both", ["p", "q"], 0, frames)), "bit for bit"
    joined = np.concatenate(
        [
            render(made, "both", ["p", "q"], start, min(7919, frames - start))
            for start in range(0, frames, 7919)
        ]
    )
    assert np.array_equal(joined, read)


def test_mute_and_solo_of_recording_and_layers_apart() -> None:
    def power(blend: Blend, bus: str, solo: bool = False) -> float:
        return float(np.sum(render(mix(blend), bus, ["p"], 0, RATE, solo=solo) ** 2))  # type: ignore[arg-type]

    layers, both, recording = power(Blend(), "layers"), power(Blend(), "both"), power(Blend(), "recording")
    assert layers > 0 and recording > 0 and both > recording
    assert power(Blend(layers_on=False), "both") == pytest.approx(recording)
    assert power(Blend(recording_on=False), "both") == pytest.approx(layers)
    assert power(Blend(layers_solo=True), "both", solo=True) == pytest.approx(layers)
    assert power(Blend(layers_solo=True), "both") == pytest.approx(both), "prints have everything"


def test_a_source_of_two_parts_sounds_once_and_makes_room_for_both() -> None:
    made = mix(Blend(duck_db=-60.0))
    once = render(mix(Blend()), "recording", ["q", "p"], 0, 2 * RATE)
    assert np.allclose(once[:, 0], NOISE[: 2 * RATE, 0])
    ducked = render(made, "recording", ["q", "p"], 0, 2 * RATE)
    assert np.all(ducked[HITS[0] : HITS[0] + 100] == 0.0)


CHAIN: list[Stage] = [
    EqualiserStage(bands=[EqBand(at_hz=120, by_db=6)]),
    DynamicsStage(threshold_db=-24, release_ms=60),
    AttackBodyStage(attack_db=4, body_db=-8),
]


def test_a_part_in_a_chain_is_its_sum_through_it_and_windows_still_join() -> None:
    made, plain = mix(Blend(recording_pan=0.3)), mix(Blend(recording_pan=0.3))
    made.document.parts["p"].chain = list(CHAIN)
    whole = render(made, "both", ["p", "q"], 0, 4 * RATE)
    sums = through(CHAIN, lambda a, n: before_zero(plain, a, n), Played(RATE, HITS), 0, 4 * RATE)
    assert np.array_equal(whole, sums), "the source that q shares sounds in p, once"
    edges = [0, 11, 70_000, 131_072, 150_001, 4 * RATE]
    joined = [render(made, "both", ["p", "q"], a, b - a) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(joined), whole)


def before_zero(made: Mix, start: int, frames: int) -> np.ndarray:
    """Recording and layers of p, silence before the session."""
    ahead = min(max(-start, 0), frames)
    return np.concatenate(
        [np.zeros((ahead, 2), np.float32), render(made, "both", ["p"], start + ahead, frames - ahead)]
    )


def test_stages_that_are_off_or_not_wanted_change_no_sample() -> None:
    plain = render(mix(Blend(duck_db=-12.0)), "both", ["p", "q"], 0, 2 * RATE)
    made = mix(Blend(duck_db=-12.0))
    made.document.parts["p"].chain = [one.model_copy(update={"on": False}) for one in CHAIN]
    assert np.array_equal(render(made, "both", ["p", "q"], 0, 2 * RATE), plain)
    made.document.parts["p"].chain = list(CHAIN)
    assert not np.array_equal(render(made, "both", ["p", "q"], 0, 2 * RATE), plain)
    assert np.array_equal(render(replace(made, staged=False), "both", ["p", "q"], 0, 2 * RATE), plain)


def test_a_piece_told_from_a_loop_goes_through_its_own_stages_and_the_whole_through_the_loops() -> None:
    def told(**chains: list[Stage]) -> np.ndarray:
        document = Document(name="T", rate_hz=RATE)
        document.sources["s"] = Source(
            name="s", place=0, clips=[Clip(audio="n", length_s=4.0, channels=1, rate_hz=RATE)]
        )
        document.parts["loop"] = Part(piece="loop", place=0, sources=["s"])
        for piece in ("kick", "snare"):
            document.parts[piece] = Part(
                piece=piece, place=0, sources=["s"], sorted_from="loop", sounds=[piece]
            )
        for part_id, chain in chains.items():
            document.parts[part_id].chain = chain
        none = Notes(np.zeros(0), np.zeros(0, np.int64), 36, 10, 0.5)
        made = Mix(document, dict.fromkeys(document.parts, none), lambda _: NOISE, lambda *_: (CLICK, 0))

        def share(part_id: str, _: str, start: int, frames: int) -> np.ndarray:
            of = np.float32({"kick": 0.25, "snare": 0.75}[part_id])
            ahead = min(max(-start, 0), frames)
            out = np.zeros((frames, 2), np.float32)
            there = NOISE[start + ahead : start + frames]
            out[ahead : ahead + len(there)] = of * there
            return out

        return render(replace(made, share=share), "both", list(document.parts), 0, RATE)

    wide = [
        WidthStage(width_percent=0),
        EqualiserStage(bands=[EqBand(shape="low shelf", at_hz=20000, by_db=6)]),
    ]
    plain = told()
    for which, of in (("kick", 0.25), ("snare", 0.75), ("loop", 1.0)):
        louder = told(**{which: wide}) - plain
        assert np.std(louder) == pytest.approx(of * np.std(told(loop=wide) - plain), rel=0.02), which
