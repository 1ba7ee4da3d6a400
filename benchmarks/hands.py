"""Claps, hand drums and mouth percussion: one microphone in a room, everything at its starting point, beside
librosa; scores by mir_eval.
"""

from __future__ import annotations

from collections.abc import Callable

import mir_eval
import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfilt

from benchmarks.loops import onsets_by_librosa
from benchmarks.sounds import FONTS, RATE_HZ, Kit, available, struck
from nubrak.core.decide import FindSettings
from nubrak.core.find import find_candidates
from nubrak.core.flow import PartInput, decide_alone

SIXTEENTH_S = 0.144
STEPS = 160
HEARD_AS = {
    "clap": ("clap",),
    "tambourine": ("tambourine",),
    "shaker": ("maracas", "cabasa"),
    "conga": ("conga", "mute-conga", "low-conga", "bongo", "low-bongo"),
    "cowbell": ("cowbell",),
}
Sound = tuple[NDArray[np.floating], int]


def syllable(rng: np.random.Generator) -> Sound:
    """A stroke by mouth: a consonant alone, or one that goes over into a voice; and the sample of its
    attack.
    """
    t = np.arange(round(0.22 * RATE_HZ)) / RATE_HZ
    low_hz, high_hz, rise_s, falls_s = (
        (5000, 16000, 0.012, 0.05),
        (400, 5000, 0.008, 0.06),
        (1200, 9000, 0.002, 0.03),
        (60, 600, 0.004, 0.05),
    )[rng.integers(4)]
    noise = sosfilt(
        butter(2, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos"), rng.standard_normal(len(t))
    )
    noise *= np.minimum(t / rise_s, 1.0) * np.exp(-np.maximum(t - rise_s, 0) / falls_s)
    out = noise / np.abs(noise).max()
    if rng.random() < 0.5:
        begins_s, hz = rng.uniform(0.015, 0.05), rng.uniform(80, 220)
        voice = np.where(
            t > begins_s,
            np.minimum((t - begins_s) / 0.01, 1.0) * np.exp(-np.maximum(t - begins_s, 0) / 0.05),
            0.0,
        )
        out = 0.25 * out + voice * np.tanh(3 * np.sin(2 * np.pi * hz * t))
    out *= rng.uniform(0.2, 1.0) / np.abs(out).max()
    return out, int(np.argmax(np.abs(out) > 0.01 * np.abs(out).max()))


def take(
    stroke: Callable[[np.random.Generator], Sound], seed: int
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Sixteenths with human timing, some left out, in a room with hiss, (frames,); and the attacks, (n,) in
    s. ``stroke(rng)`` gives one.
    """
    rng = np.random.default_rng(seed)
    out, attacks_s = np.zeros(round((STEPS * SIXTEENTH_S + 4) * RATE_HZ)), []
    for step in range(STEPS):
        if rng.random() < 0.45:
            continue
        audio, attack = stroke(rng)
        begin = round((0.5 + step * SIXTEENTH_S + rng.normal(0, 0.006)) * RATE_HZ)
        out[begin : begin + len(audio)] += audio
        attacks_s.append((begin + attack) / RATE_HZ)
    out /= 1.5 * np.abs(out).max()
    t = np.arange(round(0.25 * RATE_HZ)) / RATE_HZ
    room = rng.standard_normal(len(t)) * np.exp(-t / 0.06)
    room[: round(0.008 * RATE_HZ)] = 0
    out += 0.08 * oaconvolve(out, room / np.sqrt(room @ room))[: len(out)] + rng.standard_normal(
        len(out)
    ) * 10 ** (-68 / 20)
    return out.astype(np.float32), np.sort(attacks_s)


def hand(kit: Kit, sounds: tuple[str, ...], rng: np.random.Generator) -> Sound:
    """A stroke on one of some instruments, soft or hard."""
    return struck(
        kit,
        sounds[rng.integers(len(sounds))],
        int(np.clip(rng.choice([105, 105, 80, 45]) + rng.normal(0, 8), 12, 127)),
        rng,
    )


def line(name: str, piece: str, audio: NDArray[np.float32], attacks_s: NDArray[np.float64]) -> str:
    """One row of the table."""
    decided = decide_alone(PartInput(name, piece, find_candidates(audio, RATE_HZ), FindSettings(), []))
    found_s = decided.time_s[decided.counts]
    scores = [mir_eval.onset.f_measure(attacks_s, found_s, window=window_s) for window_s in (0.010, 0.050)]
    theirs = [
        max(
            mir_eval.onset.f_measure(attacks_s, times, window=window_s)[0]
            for times in onsets_by_librosa(audio)
        )
        for window_s in (0.010, 0.050)
    ]
    pairs = mir_eval.util.match_events(attacks_s, found_s, 0.010)
    median_ms = (
        1000 * float(np.median([abs(found_s[j] - attacks_s[i]) for i, j in pairs])) if pairs else np.nan
    )
    cells = " ".join(
        f"{f:6.3f} {precision:6.3f} {recall:6.3f} {lib:6.3f}"
        for (f, precision, recall), lib in zip(scores, theirs, strict=True)
    )
    return f"  {name:34} {len(attacks_s):5} {cells} {median_ms:7.2f}"


def run() -> None:
    """Print every score."""
    print(
        "Claps, hand drums and mouth percussion at their starting points, beside librosa's best of four "
        "settings for each take"
    )
    print(
        f"  {'':34} {'true':>5} {'F 10ms':>6} {'prec':>6} {'recall':>6} {'lib':>6} {'F 50ms':>6} "
        f"{'prec':>6} {'recall':>6} {'lib':>6} {'med ms':>7}"
    )
    for font in FONTS:
        if available(font):
            for piece, sounds in HEARD_AS.items():
                print(
                    line(
                        f"{piece} ({font} font)",
                        piece,
                        *take(lambda rng, of=sounds, kit=Kit(font, font, 0): hand(kit, of, rng), 5),
                    )
                )
    print(line("by mouth (made)", "mouth", *take(syllable, 5)))
