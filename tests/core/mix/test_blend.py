"""Recording against layers: pan, cuts and the room a recording makes around its hits; every window equals
that stretch of the whole.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, sosfilt

from nubrak.core.layer.settings import Layer
from nubrak.core.mix.blend import Blend, cut, ducking_gain, pan_gains
from nubrak.core.mix.render import Mix, render
from nubrak.core.prints import files as prints
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.shape.notes import Notes
from nubrak.core.signal.meters import EARLY_S, metered

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


def test_cuts_are_scipys_filters_over_the_whole() -> None:
    blend = Blend(low_cut_hz=20.0, low_cut_slope=24, high_cut_hz=2000.0)
    stereo = np.repeat(NOISE, 2, axis=1)

    def plain(start: int, frames: int) -> np.ndarray:
        out = np.zeros((frames, 2), np.float32)
        low, high = max(start, 0), min(start + frames, len(stereo))
        out[low - start : high - start] = stereo[low:high]
        return out

    sections = np.concatenate(
        [
            butter(4, 20.0, "highpass", fs=RATE, output="sos"),
            butter(2, 2000.0, "lowpass", fs=RATE, output="sos"),
        ]
    )
    assert (
        np.abs(
            cut(blend, plain, RATE, 0, len(stereo)) - sosfilt(sections, stereo.astype(float), axis=0)
        ).max()
        < 1e-7
    )


def test_room_is_made_around_hits_and_nowhere_else() -> None:
    blend = Blend(duck_db=-60.0, duck_in_ms=5.0, duck_hold_ms=50.0, duck_out_ms=30.0)
    room = ducking_gain(blend, HITS, RATE, 0, 4 * RATE)
    assert room is not None
    ms = RATE / 1000
    for hit in HITS.tolist():
        assert np.all(room[hit : hit + round(50 * ms)] == 0.0), (
            "silent from the hit on, as long as it is held"
        )
    first = HITS[0]
    assert room[first - round(5 * ms) - 1] == 1.0 and room[first + round(80 * ms) + 3] == 1.0
    assert np.abs(np.diff(room)).max() < np.pi / 2 / 220 + 1e-6, (
        "no step: the steepest is that of the raised cosine"
    )
    assert ducking_gain(Blend(), HITS, RATE, 0, RATE) is None
    shallow = ducking_gain(Blend(duck_db=-6.0), HITS, RATE, 0, RATE)
    assert shallow is not None and shallow.min() == pytest.approx(10 ** (-6 / 20))


def test_pan_keeps_the_power_and_the_middle_is_left_alone() -> None:
    for pan in np.linspace(-1, 1, 21):
        assert float(np.sum(pan_gains(float(pan)) ** 2)) == pytest.approx(2.0, rel=1e-6)
    assert pan_gains(0.0).tolist() == [1.0, 1.0] and pan_gains(-1.0)[1] == pytest.approx(0.0, abs=1e-6)


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


def test_meters_read_the_published_tones() -> None:
    # EBU Tech 3341, test 1: a stereo sine of 1000 Hz at -23 dBFS (peak) reads -23 LUFS momentary.
    t = np.arange(3 * 48000) / 48000
    tone = (10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * t))[:, None].repeat(2, 1).astype(np.float32)
    early = round(EARLY_S * 48000)
    peak, loud = metered(tone, 48000, early)
    assert len(peak) == len(loud) == 22
    assert np.allclose(loud, -23.0, atol=0.1) and np.allclose(peak, -23.0, atol=0.05)
    silent = metered(np.zeros((48000, 2), np.float32), 48000, 0)
    assert silent[0].max() <= -119 and silent[1].max() <= -119 and len(silent[0]) == len(silent[1]) == 10
