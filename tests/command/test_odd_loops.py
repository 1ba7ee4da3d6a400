"""Loops that are none, or hardly any: what becomes of them on the command line."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from nubrak.command.kit_files import gather_files, look_through, tell_apart
from nubrak.core.flow import decide_all
from tests.core.sort.made import RATE_HZ, beat, mixture

Audio = NDArray[np.float32]


def pieces_of(tmp_path: Path, audio: Audio, name: str = "loop.wav", **how: object) -> Counter[str]:
    """How many strokes of each piece a file is told to hold."""
    soundfile.write(tmp_path / name, audio, RATE_HZ, **how)
    kit = gather_files([tmp_path / name], {}, "loop")
    inputs = dict(look_through(kit))
    tell_apart(kit, inputs)
    out: Counter[str] = Counter()
    for part_id, decisions in decide_all(inputs).items():
        if kit.document.is_noted(part_id):
            out[inputs[part_id].piece] += int(np.count_nonzero(decisions.counts))
    return +out


def sung(audio: Audio) -> Audio:
    """A voice with its vibrato over a loop."""
    t = np.arange(len(audio)) / RATE_HZ
    phase = 2 * np.pi * 220 * (t + 0.0006 * np.sin(2 * np.pi * 5 * t))
    voice = sum(level * np.sin(k * phase) for k, level in ((1, 0.3), (2, 0.2), (3, 0.1), (4, 0.08)))
    return (0.6 * audio + 0.2 * voice * (0.5 - 0.5 * np.cos(2 * np.pi * 0.5 * t))).astype(np.float32)


def test_one_stroke_is_one_stroke(tmp_path: Path) -> None:
    assert pieces_of(tmp_path, mixture([(0.0, "kick", 0.9)], 1.0)) == {"kick": 1}


def test_one_drum_called_a_loop_is_that_drum(tmp_path: Path) -> None:
    assert pieces_of(tmp_path, mixture([(0.5 * k, "kick", 0.9) for k in range(8)], 4.0)) == {"kick": 8}


def test_silence_holds_nothing(tmp_path: Path) -> None:
    assert not pieces_of(tmp_path, np.zeros(2 * RATE_HZ, np.float32))


@pytest.mark.parametrize(
    "change",
    [lambda x: np.stack([x, -x], axis=1), lambda x: np.stack([x, -0.9 * x], axis=1), sung],
    ids=["channels that cancel each other", "channels that nearly do", "with a voice"],
)
def test_the_drums_are_told_through_what_is_odd(tmp_path: Path, change: Callable[[Audio], Audio]) -> None:
    found = pieces_of(tmp_path, change(mixture(beat(), 4.0)))
    assert found["kick"] == 4 and found["snare"] in (4, 5) and found["hi-hat"] in (15, 16, 17)


def test_a_small_mp3_holds_what_it_was_made_from(tmp_path: Path) -> None:
    """At 64 kbit/s a layer III file ends near 11 kHz."""
    how = {"subtype": "MPEG_LAYER_III", "bitrate_mode": "CONSTANT", "compression_level": 0.9}
    found = pieces_of(tmp_path, mixture(beat(), 4.0), "loop.mp3", **how)
    assert found["kick"] == 4 and found["snare"] == 4 and found["hi-hat"] >= 14
