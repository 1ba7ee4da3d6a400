"""Shape at full size: 16 parts of 2,000 hits through every kind of step, their MIDI written, and that file
matched when it comes back.

Beside each stands what a general-purpose reference needs for the same file: mido's own writing and
pretty_midi's own reading.
"""

from __future__ import annotations

from io import BytesIO

import librosa
import mido
import numpy as np
import pretty_midi
from jsonpatch import make_patch
from scipy.signal import correlate

from benchmarks.speed import best_of
from nubrak.core.decide import FEATURES, Decisions, Evidence, FindSettings, decide
from nubrak.core.midi import Track, midi_difference, midi_file, read_midi
from nubrak.core.pieces import PIECES, material_of
from nubrak.core.session import Document, Part, apply
from nubrak.core.session.shape_edits import NoteByHand, SetNotes
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
from nubrak.core.sort import same_sounds
from nubrak.core.tempo import Grid, Tempo, TempoChange, tempo_told_by

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
    _many_at_once()


def _many_at_once() -> None:
    """What once took seconds: the tempo of an hour, the null test of a loop, thousands of notes by hand."""
    rng = np.random.default_rng(3)
    hits_s = np.sort(np.arange(20_000) * 0.18 + rng.normal(0, 0.006, 20_000))
    hats = {"hi-hat": (hits_s, np.ones(len(hits_s)))}
    took = best_of(lambda: tempo_told_by(hats), 3)
    onsets = np.bincount((hits_s * 86.13).astype(int)).astype(np.float32)
    twentieth = onsets[: len(onsets) // 20]
    reference = 20 * best_of(
        lambda: librosa.feature.tempo(onset_envelope=twentieth, sr=22050, hop_length=256), 2
    )
    said = f"{took:.2f} s; librosa's tempo over a twentieth of it, times 20, {reference:.2f} s"
    print(f"  tempo of 20,000 hits / 300 ms, wanted < 1: {took / 0.3:.2f}   ({said})")
    rate = 44100
    stroke = rng.standard_normal(5000) * np.exp(-np.arange(5000) / 900)
    mono, at_s = np.zeros(rate * 18, np.float32), 0.2 + 0.25 * np.arange(68)
    for time_s in at_s:
        begin = round(time_s * rate)
        mono[begin : begin + 5000] += (rng.uniform(0.2, 1) * stroke).astype(np.float32)
    took = best_of(lambda: same_sounds(mono, at_s, rate), 3)
    windows = [mono[round(time_s * rate) :][:5292] for time_s in at_s]
    reference = best_of(lambda: [correlate(windows[0], one, "full", "fft") for one in windows], 3) * len(at_s)
    said = f"{took:.2f} s; scipy's correlation of every pair {reference:.2f} s"
    print(f"  null test of 68 hits / 500 ms, wanted < 1: {took / 0.5:.2f}   ({said})")
    document = Document(name="T", parts={"p": Part(piece="snare", place=0, sources=[])})
    notes = {f"n{n}": NoteByHand(time_s=0.1 * n, velocity=1 + n % 127) for n in range(8000)}
    action = SetNotes(kind="set_notes", part_id="p", notes=notes)
    took = best_of(lambda: apply(document, action), 3)
    filled, _ = apply(document, action)
    reference = best_of(lambda: make_patch(document.model_dump(), filled.model_dump()), 1)
    said = f"{took:.2f} s; jsonpatch telling the difference {reference:.2f} s"
    print(f"  8,000 notes set by hand / 1 s, wanted < 1: {took:.2f}   ({said})")
