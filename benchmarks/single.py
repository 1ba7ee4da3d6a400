"""Single drums and whole mixes, beside librosa's onset detector on the same audio in the same run; scores by
mir_eval.
"""

from __future__ import annotations

import warnings

import mir_eval
import numpy as np
from scipy.stats import spearmanr

from benchmarks.performances import RATE_HZ, available, moments, render, rock, truth
from nubrak.core.decide import FindSettings
from nubrak.core.find import find_candidates
from nubrak.core.flow import PartInput, decide_alone
from nubrak.demo.strokes import STROKES


def synthesised_attacks() -> None:
    """Attack times of our own synthesised strokes, whose position is known to the sample."""
    errors = []
    for sound, make in STROKES.items():
        for take in range(12):
            rng = np.random.default_rng([take, *sound.encode()])
            stroke = make(rng, rng.uniform(0.35, 1.0), RATE_HZ)
            # The attack of the sound itself: its first sample within 40 dB of its peak in the first 14 ms.
            head = np.abs(stroke[: round(0.014 * RATE_HZ)])
            own = int(np.nonzero(head > head.max() * 0.01)[0][0])
            place = round(0.4 * RATE_HZ) + int(rng.integers(0, 2000))
            audio = (rng.standard_normal(2 * RATE_HZ) * 1e-4).astype(np.float32)
            audio[place : place + len(stroke)] += stroke[: len(audio) - place]
            found = find_candidates(audio, RATE_HZ)
            errors.append(1000 * np.min(np.abs(found.time_s - (place + own) / RATE_HZ)))
    print(
        "Attack times on synthesised strokes of known position (wanted: half within 0.3 ms, 95 % within "
        "1.5 ms)"
    )
    print(
        f"  {len(errors)} strokes of {len(STROKES)} sounds: median {np.median(errors):.3f} ms, 95 % "
        f"within {np.percentile(errors, 95):.3f} ms"
    )


def whole_kit() -> None:
    """A performance on real recorded drums mixed to one signal."""
    print("Onsets of a whole kit on real recorded drums, F by mir_eval (wanted: ahead of librosa at ±10 ms)")
    for program, name in ((0, "standard kit"), (16, "power kit"), (40, "brush kit")):
        strokes = rock(bars=16, bpm=108 + program, seed=7 + program)
        reference = moments(truth(strokes, program))
        length_s = strokes[-1].time_s + 3
        audio = np.sum(
            [
                render([s for s in strokes if s.piece == piece], program, length_s)
                for piece in sorted({s.piece for s in strokes})
            ],
            axis=0,
        )
        decided = decide_alone(
            PartInput("mix", "loop", find_candidates(audio, RATE_HZ, closely=True), FindSettings(), [])
        )
        ours = decided.time_s[decided.counts]
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            import librosa

            theirs = {
                hop: librosa.onset.onset_detect(
                    y=audio, sr=RATE_HZ, hop_length=hop, backtrack=back, units="time"
                )
                for hop, back in ((128, False), (64, False), (256, True))
            }
        for window in (0.010, 0.050):
            own = mir_eval.onset.f_measure(reference, ours, window=window)
            best = max(
                mir_eval.onset.f_measure(reference, found, window=window)[0] for found in theirs.values()
            )
            print(
                f"  {name}, ±{1000 * window:.0f} ms: ours {own[0]:.3f} (precision {own[1]:.3f}, recall "
                f"{own[2]:.3f}), librosa's best of three settings {best:.3f}"
            )


def single_drums() -> None:
    """Each piece of the kit alone, as a close microphone without spill."""
    print("One drum at a time on real recorded drums, default settings")
    strokes = rock(bars=16, bpm=108, seed=7)
    for piece in ("kick", "snare", "rack-tom", "floor-tom", "hi-hat", "ride"):
        own = [stroke for stroke in strokes if stroke.piece == piece]
        reference = truth(own)
        decided = decide_alone(
            PartInput(piece, piece, find_candidates(render(own), RATE_HZ), FindSettings(), [])
        )
        found, level = decided.time_s[decided.counts], decided.level_db[decided.counts]
        pairs = mir_eval.util.match_events(reference, found, 0.010)
        errors = 1000 * np.array([found[j] - reference[i] for i, j in pairs])
        order = spearmanr([own[i].velocity for i, _ in pairs], [level[j] for _, j in pairs])[0]
        f, precision, recall = mir_eval.onset.f_measure(reference, found, window=0.010)
        print(
            f"  {piece:9}: F {f:.3f} (precision {precision:.3f}, recall {recall:.3f}), time median "
            f"{np.median(np.abs(errors)):.3f} ms,"
            f" 95 % {np.percentile(np.abs(errors), 95):.3f} ms, strength Spearman {order:.3f}"
        )


def run() -> None:
    """Print every score."""
    synthesised_attacks()
    if not available():
        print(
            "fluidsynth and fluid-soundfont-gm are not installed: run ./nubrak test once, or install "
            "them, for the rest"
        )
        return
    single_drums()
    whole_kit()
