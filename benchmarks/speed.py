"""Speed, as ratios to general-purpose libraries on the same material in the same run."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import scipy.fft
import soundfile
from numpy.lib.stride_tricks import sliding_window_view
from scipy.signal import get_window

from nubrak.core.decide import Evidence, FindSettings, Mark, decide
from nubrak.core.document import Layer
from nubrak.core.find import find_candidates
from nubrak.core.kit import Instrument, Sample
from nubrak.core.layer import render_layer
from nubrak.core.pieces import PIECES
from nubrak.core.shape import Notes
from nubrak.demo.score import act_one
from nubrak.demo.strokes import STROKES

RATE_HZ = 44100


def best_of(work: Callable[[], object], times: int = 5) -> float:
    """The shortest of several runs, in seconds."""
    spent = []
    for _ in range(times):
        begin = time.perf_counter()
        work()
        spent.append(time.perf_counter() - begin)
    return min(spent)


def four_minutes() -> np.ndarray:
    """A snare track of four minutes, 44.1 kHz mono, with hi-hat spill."""
    out = np.random.default_rng(1).standard_normal(240 * RATE_HZ) * 1e-4
    for repeat in range(4):
        for number, stroke in enumerate(act_one()):
            begin = round((stroke.time_s + 60 * repeat) * RATE_HZ)
            if stroke.time_s < 58 and stroke.sound in ("snare", "hat-closed"):
                audio = STROKES[stroke.sound](np.random.default_rng(number % 20), stroke.strength, RATE_HZ) * (1 if stroke.sound == "snare" else 0.08)
                out[begin : begin + len(audio)] += audio
    return out.astype(np.float32)


def stft(mono: np.ndarray) -> np.ndarray:
    """The comparison of the design: one STFT of 1024 / 256 by scipy.fft."""
    return scipy.fft.rfft(sliding_window_view(mono, 1024)[::256] * get_window("hann", 1024).astype(np.float32), axis=1)


def candidates() -> tuple[str, float, float]:
    """Finding against reading the file with soundfile plus one STFT."""
    audio = four_minutes()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.wav"
        soundfile.write(str(path), audio, RATE_HZ, subtype="PCM_24")
        reference = best_of(lambda: stft(soundfile.read(str(path), dtype="float32")[0]))
        ours = best_of(lambda: find_candidates(soundfile.read(str(path), dtype="float32")[0], RATE_HZ))
    return "candidates of 4 min (read + find) / (read + STFT), wanted < 2", ours, reference


def decision() -> tuple[str, float, float]:
    """Deciding 5,000 candidates, 50 marks among them, against 5 ms."""
    rng = np.random.default_rng(2)
    evidence = Evidence(np.sort(rng.uniform(0, 240, 5000)), rng.uniform(-60, 0, 5000), rng.uniform(3, 40, 5000))
    marks = [Mark(kind="drop", time_s=float(t)) for t in evidence.time_s[::100]]
    return "decide 5,000 candidates / 5 ms, wanted < 1", best_of(lambda: decide(evidence, FindSettings(), marks, PIECES["snare"]), 20), 0.005


def layer_window() -> tuple[str, float, float]:
    """A five-second window of a layer with twelve strokes a second, against 30 ms."""
    audio = np.random.default_rng(3).standard_normal((RATE_HZ, 2)).astype(np.float32)
    layer = Layer(instrument=Instrument(name="x", piece="snare", samples=[Sample(audio="x")]))
    notes = Notes(np.arange(0, 240, 1 / 12), np.full(2880, 100), 38, 10, 0.5)
    return "5 s window of a layer / 30 ms, wanted < 1", best_of(lambda: render_layer(layer, notes, lambda _: audio, RATE_HZ, 100 * RATE_HZ, 5 * RATE_HZ), 10), 0.030


def run() -> None:
    """Print every ratio."""
    print("Speed (ours / reference, seconds behind it)")
    for measure in (candidates, decision, layer_window):
        name, ours, reference = measure()
        print(f"  {name}: {ours / reference:.2f}   ({ours:.4f} s / {reference:.4f} s)")
