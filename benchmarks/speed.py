"""Speed, as ratios to general-purpose libraries on the same material in the same run."""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import scipy.fft
import soundfile
from numpy.lib.stride_tricks import sliding_window_view
from scipy.signal import get_window

from benchmarks import microphones, styles
from benchmarks.sounds import Kit
from nubrak.core.decide import FEATURES, Evidence, FindSettings, Mark, decide
from nubrak.core.find import Candidates, find_candidates
from nubrak.core.flow import PartInput, decide_all, weigh_all, weigh_part
from nubrak.core.gather import read_mono
from nubrak.core.layer import Layer, Sounding, find_lock, plan_layer, render_layer
from nubrak.core.pieces import PIECES, material_of
from nubrak.core.prints import Print, PrintSettings, print_all
from nubrak.core.samples import Instrument, Sample
from nubrak.core.shape import Notes
from nubrak.core.spill import find_together
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
                audio = STROKES[stroke.sound](
                    np.random.default_rng(number % 20), stroke.strength, RATE_HZ
                ) * (1 if stroke.sound == "snare" else 0.08)
                out[begin : begin + len(audio)] += audio
    return out.astype(np.float32)


def stft(mono: np.ndarray) -> np.ndarray:
    """The comparison of the design: one STFT of 1024 / 256 by scipy.fft."""
    return scipy.fft.rfft(
        sliding_window_view(mono, 1024)[::256] * get_window("hann", 1024).astype(np.float32), axis=1
    )


def candidates() -> tuple[str, float, float]:
    """Finding against reading the file with soundfile plus one STFT."""
    audio = four_minutes()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.wav"
        soundfile.write(str(path), audio, RATE_HZ, subtype="PCM_24")
        reference = best_of(lambda: stft(soundfile.read(str(path), dtype="float32")[0]))
        ours = best_of(lambda: find_candidates(soundfile.read(str(path), dtype="float32")[0], RATE_HZ))
    return "candidates of 4 min (read + find) / (read + STFT), wanted < 2", ours, reference


def most_memory_gb() -> float:
    """The most memory this process has held. Linux keeps it per program; ``getrusage`` would count the parent
    it was forked from.
    """
    return int(re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())[1]) / 1e6  # type: ignore[index]


def _listen(paths: dict[str, Path], wanted: list[str]) -> tuple[dict[str, Candidates], float]:
    """Some microphones looked through beside all of them, as the command line does it."""
    signals = {name: soundfile.read(str(path), dtype="float32")[0] for name, path in paths.items()}
    return find_together(signals, RATE_HZ, wanted=wanted), most_memory_gb()


def _part(name: str, found: Candidates) -> PartInput:
    return PartInput(
        name, "crash" if name.startswith("overhead") else name, found, FindSettings(), [], frozenset([name])
    )


def analyse(folder: Path) -> None:
    """Look through every file of a folder on two cores, learn the spill and decide; print the seconds and the
    gigabytes it took.
    """
    begin = time.perf_counter()
    paths = {path.stem: path for path in sorted(folder.glob("*.wav"))}
    with ProcessPoolExecutor(2) as pool:
        sides = list(pool.map(_listen, [paths] * 2, [list(paths)[side::2] for side in range(2)]))
    found = {name: candidates for side, _ in sides for name, candidates in side.items()}
    decide_all({name: _part(name, candidates) for name, candidates in found.items()})
    print(time.perf_counter() - begin, most_memory_gb() + 2 * max(memory for _, memory in sides))


def whole_kit() -> tuple[str, float, float]:
    """Eight microphones of four minutes, read, looked through on two cores, spill learnt and decided; against
    reading and one STFT of each. Also says how much memory the largest process took.
    """
    recording = microphones.record(
        Kit("standard kit", "general", 0), styles.perform("straight rock", 60, 5), 5
    )
    with tempfile.TemporaryDirectory() as folder:
        paths = {}
        for name, audio in recording.audio.items():
            paths[name] = Path(folder) / f"{name}.wav"
            soundfile.write(str(paths[name]), np.tile(audio, 5)[: 240 * RATE_HZ], RATE_HZ, subtype="PCM_24")
        reference = best_of(
            lambda: [stft(soundfile.read(str(path), dtype="float32")[0]) for path in paths.values()], 2
        )

        # In a process of its own, so that its memory is the analysis' and not the benchmark's.
        code = (
            "import sys; from pathlib import Path; from benchmarks import speed; "
            "speed.analyse(Path(sys.argv[1]))"
        )
        runs = [
            subprocess.run(
                [sys.executable, "-c", code, folder], check=True, capture_output=True, text=True
            ).stdout.split()
            for _ in range(2)
        ]
        spent, most = min(float(run[0]) for run in runs), max(float(run[1]) for run in runs)
    print(f"  (its processes together {most:.2f} GB at most, wanted under 1.5)")
    return (
        f"{len(paths)} microphones of 4 min, whole analysis with spill / (read + STFT), wanted < 2",
        spent,
        reference,
    )


def found_in(path: str) -> tuple[int, float]:
    """How many candidates a file has, and the most memory in GB that this process took by then."""
    return len(find_candidates(*read_mono(Path(path)))), most_memory_gb()


def an_hour() -> tuple[str, float, float]:
    """One source of an hour, found in a process of its own; memory against 2 GB."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.wav"
        minute = four_minutes()[: 60 * RATE_HZ]
        with soundfile.SoundFile(str(path), "w", samplerate=RATE_HZ, channels=1, subtype="PCM_24") as file:
            for _ in range(60):
                file.write(minute)
        code = "import sys; from benchmarks.speed import found_in; print(*found_in(sys.argv[1]))"
        said = subprocess.run(
            [sys.executable, "-c", code, str(path)], check=True, capture_output=True, text=True
        ).stdout.split()
    return f"an hour in one file, {said[0]} candidates: peak memory / 2 GB, wanted < 1", float(said[1]), 2.0


def decision() -> tuple[str, float, float]:
    """Deciding 5,000 candidates, 50 marks among them, against 5 ms."""
    found, stroke_probabilities = _evidence(5000, 2)
    marks = [Mark(kind="drop", time_s=float(t)) for t in found.time_s[::100]]
    piece = PIECES["snare"]
    return (
        "decide 5,000 candidates / 5 ms, wanted < 1",
        best_of(
            lambda: decide(
                found, stroke_probabilities, FindSettings(), marks, piece, material_of(piece, None)
            ),
            20,
        ),
        0.005,
    )


def _evidence(count: int, seed: int) -> tuple[Evidence, np.ndarray]:
    rng = np.random.default_rng(seed)
    time_s, level = np.sort(rng.uniform(0, 600, count)), rng.uniform(-60, 0, count)
    found = Evidence(
        time_s,
        time_s,
        level,
        rng.uniform(3, 40, count),
        level - 20,
        rng.uniform(-80, -20, count),
        rng.integers(-1, 8, count),
        time_s,
        np.zeros((count, len(FEATURES)), np.float32),
        tuple("abcdefgh"),
    )
    return found, rng.beta(0.3, 0.3, count)


def sixteen() -> tuple[str, float, float]:
    """A setting changed: all of 16 parts with 2,000 candidates each decided again, against 20 ms."""
    parts = [_evidence(2000, seed) for seed in range(16)]
    piece = PIECES["snare"]
    settings = FindSettings(threshold_db=-41.0, spill_margin_db=6.0)
    return (
        "decide 16 parts of 2,000 / 20 ms, wanted < 1",
        best_of(lambda: [decide(e, c, settings, [], piece, material_of(piece, None)) for e, c in parts], 10),
        0.020,
    )


def band_moved() -> tuple[str, float, float]:
    """The detector's band of one of eight parts moved: its evidence weighed again, against 50 ms."""
    recording = microphones.record(
        Kit("standard kit", "general", 0), styles.perform("straight rock", 120, 5), 5
    )
    parts = {name: _part(name, find_candidates(audio, RATE_HZ)) for name, audio in recording.audio.items()}
    weighed = weigh_all(parts)
    moved = replace(parts["snare"], find=FindSettings(low_hz=200.0))
    return (
        f"band of one part moved ({len(moved.candidates)} candidates) / 50 ms, wanted < 1",
        best_of(lambda: weigh_part(weighed, "snare", moved), 5),
        0.050,
    )


def layer_window() -> tuple[str, float, float]:
    """A five-second window of a part's three layers with twelve strokes a second, against 30 ms."""
    audio = np.random.default_rng(3).standard_normal((RATE_HZ, 2)).astype(np.float32)
    layer = Layer(instrument=Instrument(name="x", piece="snare", samples=[Sample(audio="x")]))
    notes = Notes(np.arange(0, 240, 1 / 12), np.full(2880, 100), 38, 10, 0.5)

    def window() -> list[np.ndarray]:
        return [
            render_layer(layer, notes, lambda *_: (audio, 0), RATE_HZ, 100 * RATE_HZ, 5 * RATE_HZ)
            for _ in range(3)
        ]

    return "5 s window of three layers / 30 ms, wanted < 1", best_of(window, 10), 0.030


def locked() -> tuple[str, float, float]:
    """The lock of one layer with 500 hits in four minutes, against a second."""
    rng = np.random.default_rng(4)
    recording = (0.1 * rng.standard_normal(240 * RATE_HZ)).astype(np.float32)
    hits = np.sort(rng.choice(np.arange(RATE_HZ, 239 * RATE_HZ, 5000), 500, replace=False))
    sounds = [
        Sounding(rng.standard_normal(RATE_HZ // 2).astype(np.float32), 40, np.arange(500), np.ones(500))
    ]
    return (
        "lock of a layer with 500 hits / 1 s, wanted < 1",
        best_of(lambda: find_lock(recording, hits, sounds, RATE_HZ), 3),
        1.0,
    )


def print_of_eight() -> tuple[str, float, float]:
    """Eight parts of two layers each over four minutes, as stems and sum of 24 bit with dither and loudness,
    against 10 s.
    """
    rng = np.random.default_rng(6)
    audio = (0.05 * rng.standard_normal((RATE_HZ // 2, 2))).astype(np.float32)
    layers = [
        Layer(instrument=Instrument(name="x", piece="snare", samples=[Sample(audio="x")])) for _ in range(2)
    ]
    parts = [
        Notes(np.sort(rng.uniform(0, 239, 500)), rng.integers(20, 127, 500), 38, 10, 0.5) for _ in range(8)
    ]
    frames = 240 * RATE_HZ
    plans = [[plan_layer(layer, one, RATE_HZ) for layer in layers] for one in parts]  # as the desk keeps them

    def window(chosen: list[int], start: int, count: int) -> np.ndarray:
        out = np.zeros((count, 2), np.float32)
        for part in chosen:
            for layer, plan in zip(layers, plans[part], strict=True):
                out += render_layer(
                    layer, parts[part], lambda *_: (audio, 0), RATE_HZ, start, count, plan=plan
                )
        return out

    def everything() -> None:
        with tempfile.TemporaryDirectory() as folder:
            prints = [
                Print(
                    Path(folder) / f"{number}.wav",
                    lambda start, count, chosen=chosen: window(chosen, start, count),
                    str(number),
                )
                for number, chosen in enumerate([*([part] for part in range(8)), list(range(8))])
            ]
            for _ in print_all(prints, frames, RATE_HZ, PrintSettings(), None):
                pass

    return "8 parts of 2 layers, 4 min, stems and sum / 10 s, wanted < 1", best_of(everything, 1), 10.0


def run() -> None:
    """Print every ratio."""
    print("Speed (ours / reference, seconds behind it)")
    for measure in (
        candidates,
        whole_kit,
        an_hour,
        decision,
        sixteen,
        band_moved,
        layer_window,
        locked,
        print_of_eight,
    ):
        name, ours, reference = measure()
        print(f"  {name}: {ours / reference:.2f}   ({ours:.4f} s / {reference:.4f} s)")
