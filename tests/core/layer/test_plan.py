"""The sample player, mixes, prints and pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from nubrak.core.layer.plan import render_layer
from nubrak.core.layer.settings import Layer
from nubrak.core.layer.voice import Voice, made_ready
from nubrak.core.mix.blend import Blend
from nubrak.core.mix.render import Mix, render
from nubrak.core.prints.files import PrintSettings, print_file
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.shape.notes import Notes

RATE_HZ = 44100
RNG = np.random.default_rng(11)
AUDIO = {
    key: (RNG.standard_normal((3000, channels)) * 0.1).astype(np.float32)
    for key, channels in (("a", 1), ("b", 2), ("c", 1))
}
INSTRUMENT = Instrument(
    name="T",
    piece="snare",
    samples=[
        Sample(audio="a", low_velocity=1, high_velocity=80, velocity=70, attack_s=0.001),
        Sample(audio="b", low_velocity=81, high_velocity=127, velocity=120),
        Sample(audio="c", low_velocity=81, high_velocity=127, velocity=120),
    ],
)
NOTES = Notes(np.sort(RNG.uniform(0, 3, 60)), RNG.integers(20, 127, 60), 38, 10, 0.5)


def audio_of(sample: Sample, voice: Voice) -> tuple[np.ndarray, int]:
    return made_ready(AUDIO[sample.audio], sample.attack_s, RATE_HZ, voice)


@settings(max_examples=40, deadline=None)
@given(start=st.integers(0, 3 * RATE_HZ), frames=st.integers(1, 20000))
def test_a_window_equals_that_stretch_of_the_whole_bit_for_bit(start: int, frames: int) -> None:
    layer = Layer(instrument=INSTRUMENT)
    whole = render_layer(layer, NOTES, audio_of, RATE_HZ, 0, 3 * RATE_HZ + 20000)
    window = render_layer(layer, NOTES, audio_of, RATE_HZ, start, frames)
    assert np.array_equal(window, whole[start : start + frames])


def test_a_sample_tuned_far_down_sounds_to_its_end_in_every_window() -> None:
    long = (0.1 * RNG.standard_normal((19 * RATE_HZ, 1))).astype(np.float32)
    layer = Layer(
        instrument=Instrument(name="L", piece="crash", samples=[Sample(audio="l")]), tune_semitones=-12
    )
    ready = made_ready(long, 0.0, RATE_HZ, layer)
    out = render_layer(
        layer,
        Notes(np.array([0.5]), np.array([100]), 49, 10, 0.5),
        lambda *_: ready,
        RATE_HZ,
        37 * RATE_HZ,
        1000,
    )
    assert np.abs(out).max() > 0.01


def test_the_samples_attack_stands_on_the_hit() -> None:
    click = np.zeros((500, 1), np.float32)
    click[44] = 1.0
    instrument = Instrument(
        name="C", piece="kick", samples=[Sample(audio="x", attack_s=44 / RATE_HZ, velocity=100)]
    )
    layer = Layer(instrument=instrument, level_db=0)
    out = render_layer(
        layer,
        Notes(np.array([0.5]), np.array([100]), 36, 10, 0.5),
        lambda _, voice: (click, 44),
        RATE_HZ,
        0,
        RATE_HZ,
    )
    assert np.nonzero(out[:, 0])[0].tolist() == [round(0.5 * RATE_HZ)] and out[round(0.5 * RATE_HZ), 0] == 1.0


def test_velocity_chooses_the_sample_and_round_robin_takes_turns() -> None:
    assert [s.audio for s in INSTRUMENT.round_robin(40)] == ["a"]
    assert [s.audio for s in INSTRUMENT.round_robin(100)] == ["b", "c"]
    gap = Instrument(name="G", piece="kick", samples=[Sample(audio="a", low_velocity=100, high_velocity=127)])
    assert [s.audio for s in gap.round_robin(10)] == ["a"]


def test_levels_follow_velocity_by_the_amount() -> None:
    ones = np.ones((10, 1), np.float32)
    instrument = Instrument(name="O", piece="kick", samples=[Sample(audio="x", velocity=127)])
    two = Notes(np.array([0.0, 0.5]), np.array([127, 64]), 36, 10, 0.5)
    for amount, wanted_db in ((1.0, -11.9), (0.5, -5.95), (0.0, 0.0)):
        out = render_layer(
            Layer(instrument=instrument, level_db=0, velocity_amount=amount),
            two,
            lambda _, voice: (ones, 0),
            RATE_HZ,
            0,
            RATE_HZ,
        )
        assert 20 * np.log10(out[round(0.5 * RATE_HZ), 0] / out[0, 0]) == pytest.approx(wanted_db, abs=0.02)


def session() -> tuple[Document, dict[str, Notes]]:
    clip = Clip(audio="r", start_s=0.1, length_s=1.0, channels=1, rate_hz=RATE_HZ)
    document = Document(
        name="T",
        rate_hz=RATE_HZ,
        sources={"s": Source(name="s", place=0, clips=[clip])},
        parts={
            "p": Part(
                piece="snare",
                place=0,
                sources=["s"],
                layers={"l": Layer(instrument=INSTRUMENT)},
                blend=Blend(recording_db=-6.0206),
            ),
            "q": Part(piece="kick", place=1, sources=["s"]),
        },
    )
    return document, {"p": NOTES, "q": NOTES}


RECORDING = (RNG.standard_normal((RATE_HZ, 1)) * 0.2).astype(np.float32)


def test_both_is_recording_plus_layers_and_a_shared_source_sounds_once() -> None:
    document, notes = session()
    heard = {
        bus: render(Mix(document, notes, lambda _: RECORDING, audio_of), bus, ["p", "q"], 1000, 30000)
        for bus in ("recording", "layers", "both")
    }
    assert np.allclose(heard["both"], heard["recording"] + heard["layers"], atol=1e-6)
    begin = round(0.1 * RATE_HZ)
    assert np.allclose(heard["recording"][begin - 1000 : begin - 900, 0], RECORDING[:100, 0] * 0.5, atol=1e-4)


def test_a_print_is_the_windows_joined_and_libsndfile_reads_it_back(tmp_path: Path) -> None:
    document, notes = session()

    def window(start: int, frames: int) -> np.ndarray:
        return render(Mix(document, notes, lambda _: RECORDING, audio_of), "both", ["p"], start, frames)

    frames = 3 * RATE_HZ + 777
    peak = print_file(tmp_path / "p.wav", window, frames, RATE_HZ, PrintSettings(depth="float")).peak_db
    read, rate = soundfile.read(str(tmp_path / "p.wav"), dtype="float32")
    assert rate == RATE_HZ and read.shape == (frames, 2) and np.array_equal(read, window(0, frames))
    assert 10 ** (peak / 20) == pytest.approx(np.abs(read).max())
    print_file(tmp_path / "q.wav", window, frames, RATE_HZ)
    assert soundfile.info(str(tmp_path / "q.wav")).subtype == "PCM_24"
