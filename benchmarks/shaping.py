"""Shape at full size: 16 parts of 2,000 hits through every kind of step, their MIDI written, and that file
matched when it comes back.

Beside each stands what a general-purpose reference needs for the same file: mido's own writing and
pretty_midi's own reading.
"""

from __future__ import annotations

from io import BytesIO

import mido
import numpy as np
import pretty_midi

from benchmarks.speed import best_of
from nubrak.core.decide import FEATURES, Decisions, Evidence, FindSettings, decide
from nubrak.core.midi import Track, midi_difference, midi_file, read_midi
from nubrak.core.pieces import PIECES, material_of
from nubrak.core.shape import (
    Accents,
    EvenOut,
    Feel,
    FeelStep,
    FeelUse,
    Ghosts,
    Limits,
    Line,
    LinePoint,
    Notes,
    Quantise,
    Raise,
    Randomise,
    Recovery,
    Scale,
    Scope,
    SetTo,
    ShapeSettings,
    Timing,
    shape,
)
from nubrak.core.tempo import Grid, Tempo, TempoChange

PARTS, HITS, LENGTH_S = 16, 2000, 240.0
TEMPO = Tempo(bpm=118, changes=[TempoChange(time_s=2.0 * bar, bpm=118 + bar % 5) for bar in range(1, 120)])


def _decisions(seed: int) -> Decisions:
    """A part of which every candidate counts."""
    rng = np.random.default_rng(seed)
    time_s = np.sort(rng.choice(np.arange(0.1, LENGTH_S, 0.06), HITS, replace=False)) + rng.normal(
        0, 0.004, HITS
    )
    time_s.sort()
    level = rng.uniform(-40, -6, HITS)
    found = Evidence(
        time_s,
        time_s,
        level,
        np.full(HITS, 30.0),
        level - 40,
        np.full(HITS, -90.0),
        np.full(HITS, -1),
        time_s,
        np.zeros((HITS, len(FEATURES)), np.float32),
        ("a",),
    )
    piece = PIECES["snare"]
    return decide(
        found, np.full(HITS, 0.99), FindSettings(threshold_db=-60.0), [], piece, material_of(piece, None)
    )


def _settings() -> ShapeSettings:
    """Every step, and grid, feel and shift after them."""
    half = Scope(start_s=30.0, end_s=150.0)
    steps = [
        Raise(kind="raise", by=4),
        Scale(kind="scale", percent=80),
        EvenOut(kind="even", percent=40),
        Accents(kind="accents", percent=30),
        Recovery(kind="recovery", depth_percent=30),
        Randomise(kind="random", amount=5),
        Ghosts(kind="ghosts", scope=Scope(start_s=60, end_s=70)),
        Line(
            kind="line",
            points=[LinePoint(time_s=30, percent=60), LinePoint(time_s=150, percent=110)],
            scope=half,
        ),
        SetTo(kind="set", velocity=90, scope=Scope(start_s=200, end_s=202)),
        Limits(kind="limits", floor=12, ceiling=122),
    ]
    feel = Feel(
        name="f",
        bar_beats=4.0,
        steps=[FeelStep(late_ms=(-1) ** i * 4.0, strength=1.0 - 0.3 * (i % 2), count=9) for i in range(16)],
    )
    return ShapeSettings(
        steps=steps,
        timing=Timing(
            quantise=Quantise(grid=Grid(swing_percent=58), strength_percent=60),
            feel=FeelUse(feel=feel, timing_percent=50),
            shift_ms=3,
        ),
    )


def run() -> None:
    """Print the three figures."""
    decisions, settings, piece = [_decisions(seed) for seed in range(PARTS)], _settings(), PIECES["snare"]
    hits = sum(int(np.count_nonzero(one.counts)) for one in decisions)
    shaped: list[Notes] = []

    def all_parts() -> None:
        shaped[:] = [shape(one, settings, [], piece, TEMPO) for one in decisions]

    took = best_of(all_parts)
    print(f"Shape, {PARTS} parts, {hits} hits, every step")
    print(f"  shape all of them / 50 ms, wanted < 1: {took / 0.05:.2f}   ({1000 * took:.1f} ms)")
    tracks = [Track(f"Snare {number}", notes) for number, notes in enumerate(shaped)]
    written = midi_file(tracks, TEMPO)
    took = best_of(lambda: midi_file(tracks, TEMPO))
    file = mido.MidiFile(file=BytesIO(written))
    reference = best_of(lambda: file.save(file=BytesIO()))
    print(
        f"  write their MIDI / 200 ms, wanted < 1: {took / 0.2:.2f}   ({1000 * took:.1f} ms; mido's own "
        f"saving alone {1000 * reference:.1f} ms)"
    )
    left = {f"p{number}": (track.name, track.notes) for number, track in enumerate(tracks)}
    took = best_of(lambda: midi_difference(left, read_midi(written)))
    reading = best_of(lambda: read_midi(written))
    reference = best_of(lambda: pretty_midi.PrettyMIDI(BytesIO(written)))
    found = midi_difference(left, read_midi(written))
    beside = f"of it reading {1000 * reading:.1f}; pretty_midi's own reading {1000 * reference:.1f} ms"
    print(
        f"  read it back and match it / 500 ms, wanted < 1: {took / 0.5:.2f}   ({1000 * took:.1f} ms, "
        f"{beside})"
    )
    print(
        f"  notes that came back as they left: {found.same} of {hits}, differences {len(found.differences)}"
    )
