"""Onsets of a performance on real recorded drums, beside librosa's detector, scored by mir_eval.

The drums are Debian's fluid-soundfont-gm rendered by fluidsynth; the truth is read off each stroke rendered
alone. The score is that of the MIREX onset task (a detection is right within a window around an unused
reference) at ±10 ms.
"""

from __future__ import annotations

import warnings

import mir_eval
import numpy as np
import pytest

from benchmarks.performances import RATE_HZ, available, moments, render, rock, truth
from nubrak.core.decide.settings import FindSettings
from nubrak.core.find.search import find_candidates
from nubrak.core.flow import PartInput, decide_alone

pytestmark = pytest.mark.skipif(not available(), reason="fluidsynth and fluid-soundfont-gm are not installed")


def test_ahead_of_librosa_at_ten_milliseconds() -> None:
    strokes = rock(bars=8, bpm=112, seed=4)
    reference = moments(truth(strokes))
    length_s = strokes[-1].time_s + 3
    audio = np.sum(
        [
            render([s for s in strokes if s.piece == piece], length_s=length_s)
            for piece in sorted({s.piece for s in strokes})
        ],
        axis=0,
    )
    ours = decide_alone(
        PartInput("mix", "loop", find_candidates(audio, RATE_HZ, closely=True), FindSettings(), [])
    )
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import librosa

        theirs = librosa.onset.onset_detect(
            y=audio, sr=RATE_HZ, hop_length=128, backtrack=False, units="time"
        )
    our_f = mir_eval.onset.f_measure(reference, ours.time_s[ours.counts], window=0.01)[0]
    their_f = mir_eval.onset.f_measure(reference, theirs, window=0.01)[0]
    assert our_f > their_f
    assert our_f > 0.85


def test_a_drum_alone_is_found_without_a_correction_and_timed_within_a_millisecond() -> None:
    strokes = [stroke for stroke in rock(bars=8, bpm=112, seed=4) if stroke.piece == "kick"]
    decided = decide_alone(
        PartInput("kick", "kick", find_candidates(render(strokes), RATE_HZ), FindSettings(), [])
    )
    found, wanted = decided.time_s[decided.counts], truth(strokes)
    assert mir_eval.onset.f_measure(wanted, found, window=0.01)[0] == 1.0
    assert np.median(np.abs(found - wanted)) <= 0.0003
