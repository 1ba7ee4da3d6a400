"""Hands and small percussion."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from nubrak.demo.drums import Bar, Flesh, Grains, Head, Jingles
from nubrak.demo.made import TWO, Drum, MadeInstrument

_CLAP = Flesh()
_TAMBOURINE = Jingles()
_SHAKER = Grains()
BESIDE_A_KIT = (
    MadeInstrument("clap", "Two hands", "clap", _CLAP, TWO, 4),
    MadeInstrument("tambourine", "Tambourine", "tambourine", _TAMBOURINE, TWO, 3),
    MadeInstrument("shaker", "Egg shaker", "shaker", _SHAKER, TWO, 4),
)


def hands() -> tuple[MadeInstrument, ...]:
    """All that hands and small things do."""
    many = Flesh(people=8, impacts=2, apart_ms=14, tail_db=-16, room_db=-8, room_s=0.18, length_s=0.9)
    skin: dict[str, Any] = {"wires_db": -90.0, "room_db": -22.0, "length_s": 0.7}
    conga = Head(
        pitch_hz=215,
        decay_s=0.09,
        contact_ms=2.2,
        stick_db=-14,
        stick_hz=1500,
        skin_hz=600,
        bend=0.03,
        **skin,
    )
    bongo = Head(
        pitch_hz=400,
        decay_s=0.04,
        contact_ms=1.0,
        stick_db=-8,
        stick_hz=2500,
        skin_hz=1100,
        bend=0.03,
        **skin,
    )
    box = Head(
        pitch_hz=78, decay_s=0.07, contact_ms=3, stick_db=-16, skin_hz=300, skin_db=-8, shell_db=-12, **skin
    )
    cowbell = Bar()
    block = Bar(
        pitch_hz=900, ratios=(1.0, 1.62, 2.41, 3.3), decay_s=0.018, softer_db=5, stick_db=-10, length_s=0.4
    )
    triangle = Bar(
        pitch_hz=1350,
        ratios=(1.0, 2.71, 4.15, 5.32, 6.9, 8.2, 9.4, 11.1),
        softer_db=-5,
        decay_s=0.5,
        decay_per_octave=0.2,
        stick_hz=11000,
        hollow_db=-40,
        length_s=2.0,
        peak=0.5,
    )
    agogo = Bar(
        pitch_hz=870, ratios=(1.0, 2.32, 3.86, 5.1, 6.4, 7.7), softer_db=-1, decay_s=0.07, stick_hz=8000
    )
    rows: tuple[tuple[str, str, str, Drum, int | None], ...] = (
        ("clap", "Two hands", "clap", replace(_CLAP, hollow_hz=1250.0), None),
        (
            "clap-cupped",
            "Cupped hands",
            "clap",
            replace(_CLAP, hollow_hz=700.0, slap_db=-16.0, air_db=-8.0),
            None,
        ),
        ("clap-flat", "Flat hands", "clap", replace(_CLAP, hollow_hz=1700.0, slap_db=-2.0), None),
        ("claps", "Eight pairs of hands", "clap", many, None),
        (
            "snap",
            "Fingers",
            "clap",
            Flesh(impacts=1, hollow_hz=2300, hollow_ms=5, slap_db=-6, slap_hz=4500, air_db=-30),
            None,
        ),
        (
            "thigh",
            "Hand on thigh",
            "else",
            Flesh(impacts=1, hollow_hz=420, hollow_octaves=1.2, slap_hz=1800, air_db=-6),
            None,
        ),
        (
            "chest",
            "Hand on chest",
            "else",
            Flesh(impacts=1, hollow_hz=160, hollow_ms=22, slap_db=-20, air_hz=95, air_db=-3),
            None,
        ),
        (
            "stamp",
            "Foot on boards",
            "kick",
            replace(box, pitch_hz=64.0, decay_s=0.05, skin_s=0.05, shell_hz=130.0),
            None,
        ),
        ("conga", "Conga, open", "conga", conga, 63),
        ("conga-low", "Low conga", "conga", replace(conga, pitch_hz=160.0, decay_s=0.11), 64),
        (
            "conga-slap",
            "Conga, slap",
            "conga",
            replace(conga, decay_s=0.02, stick_db=2.0, stick_hz=2600.0),
            62,
        ),
        ("bongo", "High bongo", "conga", bongo, 60),
        ("bongo-low", "Low bongo", "conga", replace(bongo, pitch_hz=300.0), 61),
        ("box-low", "Wooden box, middle", "kick", box, None),
        (
            "box-edge",
            "Wooden box, edge",
            "snare",
            replace(box, pitch_hz=190.0, wires_db=-3.0, wires_s=0.05, stick_db=-6.0),
            None,
        ),
        ("tambourine", "Tambourine", "tambourine", _TAMBOURINE, 54),
        ("jingle-stick", "Jingle stick", "tambourine", replace(_TAMBOURINE, pairs=4, frame_db=-60.0), None),
        ("shaker", "Egg shaker", "shaker", _SHAKER, 82),
        ("cabasa", "Beads on a drum", "shaker", replace(_SHAKER, hz=10500.0, grain_ms=0.8, per_s=7000.0), 69),
        ("maracas", "Gourd with grains", "shaker", replace(_SHAKER, hz=8000.0, fall_ms=14.0), 70),
        (
            "scrape-short",
            "Notched gourd, short",
            "else",
            Grains(hz=4500, octaves=1.2, per_s=130, regular=0.8, swell_ms=12, hold_ms=20, grain_ms=3),
            73,
        ),
        (
            "scrape-long",
            "Notched gourd, long",
            "else",
            Grains(
                hz=4500,
                octaves=1.2,
                per_s=110,
                regular=0.8,
                swell_ms=120,
                hold_ms=90,
                grain_ms=3,
                length_s=0.7,
            ),
            74,
        ),
        ("cowbell", "Cowbell", "cowbell", cowbell, 56),
        ("cowbell-small", "Small cowbell", "cowbell", replace(cowbell, pitch_hz=820.0), None),
        ("bells-high", "Double bell, high", "cowbell", agogo, 67),
        ("bells-low", "Double bell, low", "cowbell", replace(agogo, pitch_hz=650.0), 68),
        ("block-high", "High block", "woodblock", block, 76),
        ("block-low", "Low block", "woodblock", replace(block, pitch_hz=640.0), 77),
        (
            "sticks",
            "Two sticks",
            "woodblock",
            Bar(
                pitch_hz=2300,
                ratios=(1.0, 2.7, 3.1),
                softer_db=16,
                decay_s=0.012,
                stick_db=-24,
                hollow_db=-30,
                length_s=0.3,
            ),
            75,
        ),
        ("triangle", "Triangle", "else", triangle, 81),
        ("triangle-held", "Triangle, held", "else", replace(triangle, damped_s=0.035, length_s=0.6), 80),
    )
    return tuple(MadeInstrument(i, n, piece, drum, TWO, 3, key) for i, n, piece, drum, key in rows)
