"""The compiled inside: levels against scipy's filters, candidates whatever the size of the blocks."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import sosfilt

from nubrak.core.live.bands import BANDS, hop_samples, sections
from nubrak.core.live.hearing import hear, levels_of, memory, room_for_heard
from nubrak.core.live.listener import kit_of
from tests.core.live.made import PARTS, PLAYED, RATE_HZ, calibrated, two_microphones


def test_levels_are_those_of_scipys_filters() -> None:
    rng = np.random.default_rng(2)
    audio = rng.standard_normal((6000, 2)).astype(np.float32)
    hop = hop_samples(RATE_HZ)
    out = np.zeros((len(audio) // hop, 2, BANDS))
    assert levels_of(audio, memory(2, RATE_HZ), out) == len(out)
    for band in range(BANDS):
        sos = np.stack([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in sections(RATE_HZ)[band]])
        filtered = sosfilt(sos, audio.astype(np.float64), axis=0)[: len(out) * hop]
        expected = np.square(filtered).reshape(len(out), hop, 2).mean(axis=1)
        assert np.allclose(out[:, :, band], expected, rtol=1e-6, atol=1e-12)


def candidates(audio: np.ndarray, sizes: list[int], look_ahead_ms: float) -> list[tuple[float, ...]]:
    kit = kit_of(calibrated(), PARTS, look_ahead_ms)
    heard, out, found = memory(2, RATE_HZ), room_for_heard(), []
    at, turn = 0, 0
    while at < len(audio):
        size = sizes[turn % len(sizes)]
        block, done = np.ascontiguousarray(audio[at : at + size]), 0
        while done < len(block):
            count, done = hear(block, done, kit, heard, out)
            found += [
                (float(out.channel[k]), float(out.attack[k]), *out.features[k].tolist()) for k in range(count)
            ]
        at, turn = at + size, turn + 1
    return found


@pytest.mark.parametrize("look_ahead_ms", [0.0, 5.0])
def test_any_size_of_blocks_gives_the_same_candidates(look_ahead_ms: float) -> None:
    audio = two_microphones(*PLAYED, 4.0)
    whole = candidates(audio, [len(audio)], look_ahead_ms)
    assert len(whole) > 9
    rng = np.random.default_rng(3)
    for sizes in ([1, 2, 3], [31], [128], [4096], rng.integers(1, 700, 50).tolist()):
        assert candidates(audio[: len(audio)], sizes, look_ahead_ms) == whole


def test_what_is_no_number_is_silence() -> None:
    audio = two_microphones(*PLAYED, 4.0)
    broken = audio.copy()
    broken[100:120] = np.nan
    broken[200] = np.inf
    clean = audio.copy()
    clean[100:120], clean[200] = 0.0, 0.0
    assert candidates(broken, [512], 5.0) == candidates(clean, [512], 5.0)
