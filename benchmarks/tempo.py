"""`./nubrak benchmark tempo`: tempo, bar and beats told of performances by hits, beside librosa's beat
tracker on the same hits and on the same playing as sound.

Every groove is told by what the others taught, with human timing, a tempo that wanders, strokes missed, false
and taken for another piece; and by what ships, which knows the grooves but not the playing. Right is a tempo
within 4 % (accuracy 1 of the tempo scores; Gouyon et al., IEEE TASLP 14(5), 2006); beats are scored by
mir_eval. With ``--proof DIR`` also the recordings of a folder that has its truth beside it, from what Find
finds in them.
"""

from __future__ import annotations

import json
import os
import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import librosa
import mir_eval
import numpy as np
from numpy.typing import NDArray

from benchmarks.beat_reference import beats_by_librosa
from benchmarks.grooves import CELLS_OF_BEAT, GROOVES, Played, as_found, play
from benchmarks.learn_tempo import hits_of, teach
from benchmarks.performances import Stroke as SoundedStroke
from benchmarks.performances import available, render
from nubrak.command.kit_files import found_in, gather_files
from nubrak.core.flow import decide_all
from nubrak.core.tempo import SURE, Hits, Tempo, TempoTold, beats_at, seconds_at, tempo_told_by

_SEEDS = (11, 12, 13, 14)
_SOUNDED = 1  # of them are heard as well: rendering takes its time
_RIGHT = 0.04
_HOP, _RATE_HZ = 512, 44100
_AS = {"ride-bell": "ride", "pedal-hat": "hi-hat", "half-hat": "hi-hat"}
Row = dict[str, float]


@dataclass(frozen=True)
class Scored:
    groove: int
    rows: dict[str, Row]
    sure: float
    known_sure: float


def beats_of(told: TempoTold, dotted: bool, until_s: float) -> NDArray[np.float64]:
    """The beats of a told tempo up to a moment, in s; dotted ones where the bar has them."""
    tempo = Tempo(known="told", bpm=told.bpm, bar_one_s=told.bar_one_s, changes=told.changes)
    step = 1.5 if dotted else 1.0
    from_beat, to_beat = beats_at(tempo, np.array([0.0, until_s])) / step
    return seconds_at(tempo, np.arange(np.ceil(from_beat), np.floor(to_beat) + 1.0) * step)


def _beat_bpm(told: TempoTold) -> float:
    """Beats per minute on the whole: dotted ones in six-eight."""
    every = [told.bpm, *(one.bpm for one in told.changes)]
    return float(np.median(every)) / (1.5 if told.beat_unit == 8 else 1.0)


def _row(bpm: float, true_bpm: float, beats: NDArray[np.float64], true: NDArray[np.float64]) -> Row:
    ratio = bpm / true_bpm
    trim = mir_eval.beat.trim_beats
    _, cmlt, _, amlt = mir_eval.beat.continuity(trim(true), trim(beats)) if len(beats) else (0.0,) * 4
    return {
        "right": float(abs(ratio - 1.0) < _RIGHT),
        "right or an octave": float(
            min(abs(ratio / one - 1.0) for one in (1 / 3, 0.5, 1.0, 2.0, 3.0)) < _RIGHT
        ),
        "F": float(mir_eval.beat.f_measure(trim(true), trim(beats))) if len(beats) else 0.0,
        "CMLt": float(cmlt),
        "AMLt": float(amlt),
    }


def _ours(told: TempoTold | None, played: Played) -> Row:
    if told is None:
        return _row(1.0, played.bpm, np.zeros(0), played.beats_s)
    beats = beats_of(told, told.beat_unit == 8, float(played.beats_s[-1]))
    row = _row(_beat_bpm(told), _true_bpm(played), beats, played.beats_s)
    compound = CELLS_OF_BEAT[played.groove.meter] % 3 == 0 and played.groove.family in ("six", "triplets")
    wide = told.beats_per_bar / (3 if told.beat_unit == 8 else 1)
    row["bar"] = float(
        (told.beat_unit == 8) == compound
        and (compound or wide == played.groove.beats_per_bar)
        and row["right"] > 0
    )
    bar_s = float(np.median(np.diff(played.beats_s))) * played.groove.beats_per_bar
    apart = (told.bar_one_s - played.bar_one_s + bar_s / 2) % bar_s - bar_s / 2
    row["bar one"] = float(abs(apart) < 0.07 and row["right"] > 0)
    return row


def _true_bpm(played: Played) -> float:
    return 60.0 / float(np.median(np.diff(played.beats_s)))


def _theirs(envelope: NDArray[np.float32], played: Played) -> Row:
    bpm, beats = beats_by_librosa(envelope, _RATE_HZ, _HOP)
    return _row(bpm or 1.0, _true_bpm(played), beats, played.beats_s)


def _envelope(hits: Hits, until_s: float) -> NDArray[np.float32]:
    out = np.zeros(int(until_s * _RATE_HZ / _HOP) + 2, np.float32)
    for time_s, weight in hits.values():
        np.add.at(out, np.round(time_s * _RATE_HZ / _HOP).astype(int).clip(0, len(out) - 1), weight)
    return out


def _sounded(played: Played) -> NDArray[np.float32]:
    strokes = [
        SoundedStroke(one.time_s, _AS.get(one.piece, one.piece), one.velocity) for one in played.strokes
    ]
    audio = render(strokes, 0, float(played.beats_s[-1]) + 1.0)
    return np.asarray(librosa.onset.onset_strength(y=audio, sr=_RATE_HZ, hop_length=_HOP))


def scored(number: int) -> list[Scored]:
    """One groove, played some times."""
    groove, out = GROOVES[number], []
    by = teach([one for one in GROOVES if one.name != groove.name])
    for seed in _SEEDS:
        rng = np.random.default_rng([seed, 5, *groove.name.encode()])
        bpm = float(np.exp(rng.uniform(np.log(groove.slow_bpm), np.log(groove.fast_bpm))))
        played = play(groove, bpm, seed, 24.0 + 24.0 * (seed % 2))
        hits = hits_of(as_found(played, seed))
        left_out, known = tempo_told_by(hits, None, by), tempo_told_by(hits)
        rows = {
            "ours, groove left out": _ours(left_out, played),
            "ours, as it ships": _ours(known, played),
            "librosa on the hits": _theirs(_envelope(hits, float(played.beats_s[-1]) + 1.0), played),
        }
        if seed < _SEEDS[0] + _SOUNDED and available():
            rows["librosa on the sound"] = _theirs(_sounded(played), played)
        out.append(
            Scored(number, rows, left_out.confidence if left_out else 0.0, known.confidence if known else 0.0)
        )
    return out


def run() -> None:
    """Print every figure."""
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    with ProcessPoolExecutor(2) as workers:
        every = [one for of in workers.map(scored, range(len(GROOVES))) for one in of]
    print(f"tempo: {len(GROOVES)} grooves, {len(every)} performances, 40 to 190 beats per minute")
    names = ["right", "right or an octave", "bar", "bar one", "F", "CMLt", "AMLt"]
    print(f"  {'':24}" + "".join(f"{name:>20}" for name in names))
    for reader in dict.fromkeys(name for one in every for name in one.rows):
        rows = [one.rows[reader] for one in every if reader in one.rows]
        means = [np.mean([row[name] for row in rows]) if name in rows[0] else np.nan for name in names]
        print(f"  {reader:24}" + "".join(f"{'-' if np.isnan(one) else f'{one:.3f}':>20}" for one in means))
    for reader in ("ours, groove left out", "ours, as it ships"):
        by_meter, by_groove = defaultdict(list), defaultdict(list)
        for one in every:
            by_meter[GROOVES[one.groove].meter].append(one.rows[reader]["right"])
            by_groove[GROOVES[one.groove].name].append(one.rows[reader]["right"])
        print(
            f"  {reader}, right by meter: " + ", ".join(f"{m} {np.mean(v):.3f}" for m, v in by_meter.items())
        )
        worst = sorted(by_groove, key=lambda name: float(np.mean(by_groove[name])))[:6]
        print("    worst: " + ", ".join(f"{name} {np.mean(by_groove[name]):.2f}" for name in worst))
    for reader, sure in (("ours, groove left out", "sure"), ("ours, as it ships", "known_sure")):
        taken = [one for one in every if getattr(one, sure) >= SURE]
        right = np.mean([one.rows[reader]["right"] for one in taken])
        print(f"  {reader}: taken by itself {len(taken) / len(every):.3f}, of these right {right:.3f}")
    if "--proof" in sys.argv:
        _proof(Path(sys.argv[sys.argv.index("--proof") + 1]))


def _found(files: list[Path], source_is: str) -> Hits:
    """What Find finds in recordings, by piece."""
    kit = gather_files(files, {}, source_is)
    decided = decide_all(found_in(kit))
    out: dict[str, list[NDArray[np.float64]]] = defaultdict(list)
    for part_id, part in kit.document.parts.items():
        if kit.document.is_noted(part_id) and part_id in decided:
            one = decided[part_id]
            rows = np.stack([one.time_s[one.counts], np.sqrt(10 ** (one.level_db[one.counts] / 20))])
            out[part.piece].append(rows)
    merged = {piece: np.concatenate(rows, axis=1) for piece, rows in out.items()}
    return {
        piece: (rows[0], rows[1] / max(rows[1].max(initial=1e-9), 1e-9)) for piece, rows in merged.items()
    }


def _proof(folder: Path) -> None:
    right = []
    for truth in sorted(folder.glob("**/*.json")):
        known = json.loads(truth.read_text(encoding="utf-8"))
        one_file = truth.parent / f"{truth.stem}.flac"
        files = (
            [truth.parent / name for name in known["microphones"]]
            if known["kind"] == "session"
            else [one_file]
        )
        hits = _found(files, {"session": "kit", "loop": "loop"}.get(known["kind"], "hand"))
        loop_s = float(librosa.get_duration(path=one_file)) if known["kind"] == "loop" else None
        told = tempo_told_by(hits, loop_s)
        bpm = _beat_bpm(told) if told else 0.0
        right.append(abs(bpm / known["bpm"] - 1.0) < _RIGHT)
        audio, rate = librosa.load(files[0] if known["kind"] != "session" else files[-1], sr=None)
        strength = librosa.onset.onset_strength(y=audio, sr=rate, hop_length=_HOP)
        theirs, _ = beats_by_librosa(strength, int(rate), _HOP)
        said = "nothing told"
        if told:
            said = f"{bpm:.2f} in {told.beats_per_bar}/{told.beat_unit}, {told.confidence:.2f} sure"
        name = f"{truth.parent.name}/{truth.stem}"
        print(f"  {name:16} {known['bpm']:6} in {known['beats_per_bar']}: {said}; librosa {theirs:.1f}")
    print(f"  proof, right: {np.mean(right):.2f} of {len(right)}")
