"""One drum of a loop by itself: all of them add up to the recording, and each is the one that was struck."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy.signal import fftconvolve

from nubrak.core.sort.apart import Struck, apart, by_itself, turned_down

RATE_HZ = 44100
Audio = NDArray[np.float32]


def stroke(kind: str, rate_hz: int, rng: np.random.Generator) -> Audio:
    """A low falling tone for a kick, a short bright noise for a hat, a middle one with noise for a snare."""
    t = np.arange(round(0.5 * rate_hz)) / rate_hz
    noise = rng.standard_normal(len(t))
    if kind == "kick":
        return (0.8 * np.sin(2 * np.pi * 55 * t + 3 * np.exp(-t / 0.02)) * np.exp(-t / 0.12)).astype(
            np.float32
        )
    if kind == "hi-hat":
        return (0.06 * np.diff(noise, prepend=0) * np.exp(-t / 0.03)).astype(np.float32)
    tone = np.sin(2 * np.pi * 190 * t) * np.exp(-t / 0.08)
    return (0.3 * tone + 0.12 * noise * np.exp(-t / 0.09)).astype(np.float32)


def beat(rate_hz: int = RATE_HZ, seed: int = 1) -> tuple[dict[str, Audio], dict[str, NDArray[np.float64]]]:
    """Four bars in which every kick and snare is struck with a hat."""
    rng = np.random.default_rng(seed)
    step_s = 0.18
    steps = {"kick": range(0, 64, 8), "snare": range(4, 64, 8), "hi-hat": range(0, 64, 2)}
    alone, time_s = {}, {}
    for piece, at in steps.items():
        line = np.zeros(round(64 * step_s * rate_hz) + rate_hz, np.float32)
        for step in at:
            begin = round(step * step_s * rate_hz)
            sound = rng.uniform(0.5, 1.0) * stroke(piece, rate_hz, rng)
            line[begin : begin + len(sound)] += sound
        alone[piece], time_s[piece] = line, np.array(at) * step_s
    return alone, time_s


def si_sdr_db(found: Audio, truth: Audio) -> float:
    """Le Roux, Wisdom, Erdogan and Hershey, "SDR – half-baked or well done?", ICASSP 2019, equation 5."""
    found_, truth_ = found.astype(np.float64), truth.astype(np.float64)
    scaled = (found_ @ truth_) / (truth_ @ truth_) * truth_
    return float(10 * np.log10((scaled @ scaled) / ((found_ - scaled) @ (found_ - scaled))))


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
def test_each_piece_stands_by_itself_though_always_struck_with_another(rate_hz: int) -> None:
    alone, time_s = beat(rate_hz)
    mix = np.sum(list(alone.values()), axis=0)[:, None]
    shares = apart(mix, rate_hz, [Struck(piece, times) for piece, times in time_s.items()])
    for k, piece in enumerate(time_s):
        found = by_itself(mix, shares, k, 0, len(mix))[:, 0]
        gained = si_sdr_db(found, alone[piece]) - si_sdr_db(mix[:, 0], alone[piece])
        assert gained > 9.0, f"{piece}: {gained:.1f} dB over the mix"


@settings(max_examples=15, deadline=None)
@given(
    seed=st.integers(0, 10_000),
    channels=st.integers(1, 2),
    frames=st.integers(1, 30_000),
    strokes=st.lists(st.lists(st.floats(0, 0.8), max_size=6), min_size=1, max_size=4),
    cut=st.integers(1, 9_000),
)
def test_all_pieces_add_up_to_the_recording_window_by_window(
    seed: int, channels: int, frames: int, strokes: list[list[float]], cut: int
) -> None:
    audio = np.random.default_rng(seed).uniform(-1, 1, (frames, channels)).astype(np.float32)
    names = ["kick", "snare", "hi-hat", "crash"]
    pieces = [Struck(names[k], np.array(sorted(times), float)) for k, times in enumerate(strokes)]
    shares = apart(audio, RATE_HZ, pieces)
    whole = [by_itself(audio, shares, k, 0, frames) for k in range(len(pieces))]
    assert np.abs(np.sum(whole, axis=0) - audio).max() < 10 ** (-100 / 20)
    for k, one in enumerate(whole):
        joined = [by_itself(audio, shares, k, at, min(cut, frames - at)) for at in range(0, frames, cut)]
        assert np.array_equal(np.concatenate(joined), one)


def test_what_is_never_struck_has_no_share() -> None:
    alone, time_s = beat()
    mix = (alone["kick"] + alone["snare"])[:, None]
    none = np.zeros(0)
    pieces = [Struck("crash", none), Struck("kick", time_s["kick"]), Struck("snare", time_s["snare"])]
    shares = apart(mix, RATE_HZ, pieces)
    assert not by_itself(mix, shares, 0, 0, len(mix)).any()
    silent = apart(mix, RATE_HZ, [Struck("kick", none), Struck("snare", none)])
    assert np.abs(by_itself(mix, silent, 0, 0, len(mix)) - mix).max() < 1e-5


def test_silence_and_odd_places_do_no_harm() -> None:
    silent = np.zeros((5000, 1), np.float32)
    shares = apart(
        silent, RATE_HZ, [Struck("kick", np.array([0.0, 0.05])), Struck("djembe", np.array([9.0]))]
    )
    assert not by_itself(silent, shares, 0, 0, 5000).any()
    assert by_itself(silent, shares, 1, 4990, 50).shape == (50, 1), "beyond the end is silence"


@pytest.mark.parametrize(
    ("start", "frames"), [(-9000, 12_000), (-9000, 100), (-1, 5), (4000, 9000), (9000, 10)]
)
def test_before_the_beginning_and_behind_the_end_is_silence(start: int, frames: int) -> None:
    audio = np.random.default_rng(3).uniform(-1, 1, (5000, 1)).astype(np.float32)
    shares = apart(audio, RATE_HZ, [Struck("kick", np.array([0.01])), Struck("snare", np.array([0.05]))])
    whole = by_itself(audio, shares, 0, 0, 5000)
    padded = np.concatenate([np.zeros((9000, 1)), whole, np.zeros((9000, 1))]).astype(np.float32)
    out = by_itself(audio, shares, 0, start, frames)
    assert np.abs(out - padded[9000 + start : 9000 + start + frames]).max() < 1e-6


def test_shares_hold_still_from_one_window_to_the_next() -> None:
    """No step is heard: between windows a quarter apart a share seldom moves by more than half."""
    alone, time_s = beat()
    mix = np.sum(list(alone.values()), axis=0)[:, None]
    shares = apart(mix, RATE_HZ, [Struck(piece, times) for piece, times in time_s.items()])
    share = shares.of(0, 0, shares.share.shape[1])
    assert np.mean(np.abs(np.diff(share, axis=0)) > 0.5) < 0.01


def test_a_piece_is_turned_down_where_it_sounds_and_the_others_stay() -> None:
    """A microphone in a room of one piece's strokes and the others', each known by itself."""
    alone, time_s = beat()
    room = np.random.default_rng(5).standard_normal(round(0.4 * RATE_HZ)) * 10 ** (
        -3 * np.arange(round(0.4 * RATE_HZ)) / (0.5 * RATE_HZ)
    )
    far = {
        piece: fftconvolve(sound, room / np.sqrt(np.sum(room**2)))[: len(sound)].astype(np.float32)
        for piece, sound in alone.items()
    }
    mix = np.sum(list(far.values()), axis=0)[:, None]
    shares = apart(mix, RATE_HZ, [Struck(piece, times) for piece, times in time_s.items()])
    names = list(time_s)
    for piece in ("kick", "snare"):
        gain = [10 ** (-12 / 20) if one == piece else 1.0 for one in names]
        made = by_itself(mix, turned_down(shares, gain), 0, 0, len(mix))[:, 0]
        wanted = np.sum([far[one] * g for one, g in zip(names, gain, strict=True)], axis=0)
        gone = si_sdr_db(made, wanted.astype(np.float32))
        assert gone > 12 > si_sdr_db(mix[:, 0], wanted.astype(np.float32)), piece
    neutral = by_itself(mix, turned_down(shares, [1.0] * 3), 0, 0, len(mix))
    assert np.abs(neutral - mix).max() < 2e-3 * np.abs(mix).max()
    silent = by_itself(mix, turned_down(shares, [0.0] * 3), 0, 0, len(mix))
    assert np.abs(silent).max() < 2e-3 * np.abs(mix).max()
