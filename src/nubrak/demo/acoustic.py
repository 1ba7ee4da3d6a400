"""Acoustic kits: drums in a room, tuned and damped, darker and brighter."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from nubrak.demo.drums import Bar, Head, Metal
from nubrak.demo.made import FOUR, HAT_KEYS, THREE, TWO, Drum, Layers, MadeInstrument


def acoustic(
    number: int, called: str, room_db: float, room_s: float, low: float, high: float, long: float
) -> tuple[MadeInstrument, ...]:
    """An acoustic kit: drums tuned and rings made long against a middle one, cymbals brighter or darker."""
    room: dict[str, Any] = {"room_db": room_db, "room_s": room_s}
    metal: dict[str, Any] = {"room_db": room_db - 6, "room_s": room_s}
    hat = Metal(plate=10 * number + 1, peak_hz=9500.0 * high, below_db=9.0, lowest_hz=500.0, **metal)

    def tom(pitch_hz: float, decay_s: float) -> Head:
        return Head(
            pitch_hz=pitch_hz * low,
            decay_s=decay_s * long,
            stick_hz=1800,
            skin_hz=4 * pitch_hz,
            skin_db=-18,
            bend=0.12,
            length_s=1.4 + 0.5 * long,
            **room,
        )

    snare = Head(
        pitch_hz=188 * low,
        decay_s=0.09 * long,
        contact_ms=1.2,
        wires_db=-5,
        wires_s=0.07 * long,
        skin_db=-12,
        skin_hz=700,
        stick_db=-10,
        stick_hz=3000,
        length_s=0.9,
        **room,
    )
    side_stick = Bar(
        pitch_hz=510 * low,
        ratios=(1.0, 1.83, 2.9, 4.4, 6.1, 8.3),
        softer_db=1,
        decay_s=0.022,
        stick_db=-2,
        stick_hz=3200,
        hollow_hz=900,
        hollow_db=-6,
        length_s=0.5,
        **room,
    )
    kick = Head(
        pitch_hz=56 * low,
        decay_s=0.1 * long,
        contact_ms=1.8,
        stick_db=-16,
        stick_hz=2200,
        skin_hz=180,
        skin_db=-10,
        bend=1.3,
        bend_s=0.018,
        shell_hz=160,
        length_s=0.7 + 0.4 * long,
        peak=0.9,
        **room,
    )
    crash = Metal(
        peak_hz=4200 * high,
        decay_s=0.6 * long,
        build_ms=8,
        stick_db=-8,
        plate=10 * number + 3,
        length_s=3.0,
        **metal,
    )
    ride = Metal(
        peak_hz=8500 * high,
        below_db=5,
        decay_s=0.45 * long,
        stick_db=2,
        stick_hz=9500,
        stick_ms=8,
        bell_db=-22,
        plate=10 * number + 4,
        length_s=2.4,
        **metal,
    )
    bell = replace(ride, bell_db=0.0, bell_hz=900 * high, bell_s=0.4, stick_hz=6000.0, peak_hz=7000.0)
    splash = Metal(
        peak_hz=6000 * high,
        decay_s=0.3 * long,
        build_ms=4,
        stick_db=-8,
        plate=10 * number + 5,
        length_s=1.6,
        **metal,
    )
    china = Metal(
        peak_hz=3000 * high,
        decay_s=0.35 * long,
        build_ms=3,
        above_db=6,
        stick_db=-12,
        touch=0.3,
        plate=10 * number + 6,
        length_s=2.0,
        **metal,
    )
    closed = replace(hat, damped_s=0.03, decay_s=0.3, stick_db=-3, length_s=0.45)
    half = replace(hat, damped_s=0.14, decay_s=0.5, stick_db=-5, touch=0.6, length_s=1.0)
    opened = replace(hat, damped_s=0.6, decay_s=0.6 * long, stick_db=-6, touch=0.35, length_s=2.2)
    pedal = replace(hat, damped_s=0.025, decay_s=0.3, stick_db=-14, build_ms=2.5, clamp_db=-10, length_s=0.4)
    rows: tuple[tuple[str, str, str, Drum, Layers, int, int | None, tuple[int, ...]], ...] = (
        ("kick", "kick", "kick", kick, THREE, 3, None, ()),
        ("snare", "snare", "snare", snare, FOUR, 4, 38, ()),
        ("snare-side", "snare, side stick", "snare", side_stick, TWO, 3, 37, ()),
        ("rack-tom", "rack tom", "rack-tom", tom(135, 0.15), THREE, 2, None, ()),
        ("mid-tom", "mid tom", "mid-tom", tom(108, 0.17), THREE, 2, None, ()),
        ("floor-tom", "floor tom", "floor-tom", tom(78, 0.21), THREE, 2, None, ()),
        ("hat-closed", "hi-hat, closed", "hi-hat", closed, THREE, 4, 42, ()),
        ("hat-half", "hi-hat, half open", "hi-hat", half, TWO, 2, None, HAT_KEYS),
        ("hat-open", "hi-hat, open", "hi-hat", opened, TWO, 2, 46, HAT_KEYS),
        ("hat-pedal", "hi-hat, pedal", "hi-hat", pedal, TWO, 2, 44, ()),
        ("crash", "crash", "crash", crash, TWO, 2, None, ()),
        ("splash", "splash", "crash", splash, TWO, 2, None, ()),
        ("china", "upturned crash", "crash", china, TWO, 2, None, ()),
        ("ride", "ride", "ride", ride, THREE, 2, 51, ()),
        ("ride-bell", "ride, bell", "ride", bell, TWO, 2, 53, ()),
    )
    return tuple(MadeInstrument(one[0], f"{called} {one[1]}".strip().capitalize(), *one[2:]) for one in rows)
