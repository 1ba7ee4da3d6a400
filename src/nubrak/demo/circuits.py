"""The electronic kit: what circuits of oscillators, squares and noise give."""

from __future__ import annotations

from dataclasses import replace

from nubrak.demo.drums import Circuit
from nubrak.demo.made import HAT_KEYS, THREE, MadeInstrument


def circuits() -> tuple[MadeInstrument, ...]:
    """All its instruments."""
    off = -90.0
    hat = Circuit(
        tone_db=off, squares_db=0, noise_db=-8, noise_hz=10000, click_db=off, peak=0.5, length_s=0.3
    )
    rows: tuple[tuple[str, str, str, Circuit, int | None, tuple[int, ...]], ...] = (
        ("kick", "Long kick", "kick", Circuit(tone_s=0.3, hz=48, from_hz=140, length_s=1.4), None, ()),
        (
            "kick-short",
            "Short kick",
            "kick",
            Circuit(tone_s=0.11, hz=58, from_hz=420, sweep_ms=14, click_db=-10, drive=1.5, length_s=0.7),
            None,
            (),
        ),
        (
            "kick-driven",
            "Driven kick",
            "kick",
            Circuit(tone_s=0.16, hz=52, from_hz=300, sweep_ms=20, drive=4, length_s=0.9),
            None,
            (),
        ),
        (
            "snare",
            "Noise snare",
            "snare",
            Circuit(hz=185, from_hz=240, tone_s=0.07, second_db=-6, noise_db=-2, noise_hz=4500, noise_s=0.07),
            38,
            (),
        ),
        (
            "snare-long",
            "Long snare",
            "snare",
            Circuit(
                hz=165, from_hz=330, tone_s=0.06, noise_db=0, noise_hz=3200, noise_octaves=1.8, noise_s=0.12
            ),
            None,
            (),
        ),
        (
            "rim",
            "Rim click",
            "snare",
            Circuit(
                hz=500, from_hz=560, tone_s=0.008, second_db=-2, second_hz=1720, second_s=0.007, length_s=0.2
            ),
            37,
            (),
        ),
        (
            "rack-tom",
            "High sweep",
            "rack-tom",
            Circuit(hz=165, from_hz=240, tone_s=0.14, noise_db=-26),
            None,
            (),
        ),
        (
            "mid-tom",
            "Middle sweep",
            "mid-tom",
            Circuit(hz=120, from_hz=180, tone_s=0.17, noise_db=-26),
            None,
            (),
        ),
        (
            "floor-tom",
            "Low sweep",
            "floor-tom",
            Circuit(hz=82, from_hz=130, tone_s=0.22, noise_db=-26, length_s=1.2),
            None,
            (),
        ),
        ("hat-closed", "Square hat, closed", "hi-hat", replace(hat, squares_s=0.03, noise_s=0.02), 42, ()),
        (
            "hat-open",
            "Square hat, open",
            "hi-hat",
            replace(hat, squares_s=0.22, noise_s=0.18, length_s=1.2),
            46,
            HAT_KEYS,
        ),
        ("hat-pedal", "Square hat, pedal", "hi-hat", replace(hat, squares_s=0.018, noise_s=0.03), 44, ()),
        (
            "crash",
            "Square crash",
            "crash",
            replace(hat, squares_s=0.5, noise_s=0.45, noise_hz=7000, noise_db=-2, length_s=2.5),
            None,
            (),
        ),
        (
            "ride",
            "Square ride",
            "ride",
            replace(hat, squares_s=0.3, noise_s=0.2, noise_db=-12, click_db=-4, click_hz=8000, length_s=1.8),
            51,
            (),
        ),
        (
            "clap",
            "Machine clap",
            "clap",
            Circuit(
                tone_db=off,
                noise_db=0,
                noise_hz=1300,
                noise_octaves=0.9,
                noise_s=0.06,
                repeats=4,
                click_db=off,
            ),
            None,
            (),
        ),
        (
            "cowbell",
            "Two squares",
            "cowbell",
            Circuit(tone_db=off, squares_db=0, squares_hz=540, squares_centre_hz=1600, squares_octaves=1.4),
            None,
            (),
        ),
        ("conga", "Short sweep", "conga", Circuit(hz=240, from_hz=270, tone_s=0.05, length_s=0.5), None, ()),
        (
            "shaker",
            "Noise shaker",
            "shaker",
            Circuit(
                tone_db=off, noise_db=0, noise_hz=9000, noise_s=0.02, noise_rise_ms=12, click_db=off, peak=0.5
            ),
            None,
            (),
        ),
        (
            "fall",
            "Falling tone",
            "else",
            Circuit(hz=70, from_hz=2400, sweep_ms=70, tone_s=0.14, length_s=0.9, peak=0.6),
            None,
            (),
        ),
    )
    return tuple(MadeInstrument(i, n, piece, drum, THREE, 1, key, by) for i, n, piece, drum, key, by in rows)
