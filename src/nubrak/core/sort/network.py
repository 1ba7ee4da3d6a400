"""The network that tells the sounds of moments, run in plain arrays.

Each moment becomes a token: one-dimensional convolutions over log frequency, with the windows of time as
channels, so that a drum tuned otherwise looks the same a little to the side. Self-attention (Vaswani et al.,
"Attention is all you need", 2017) then lets every moment of a stretch see the others: what stands alone
explains what is struck together, and what is not in the loop at all is known from all of it. Taught by
``benchmarks/sorting/learn.py``.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from nubrak.core.sort.moment_spectra import MomentSpectra
from nubrak.core.sort.sounds import SOUNDS

TAUGHT = Path(__file__).parent / "network.npz"
SCALE_DB, CENTRE_DB = 20.0, -40.0
HEADS = 6
_AT_ONCE = 96  # moments through the convolutions at a time: what fits the cache
# Moments that see each other, and by how much stretches overlap: several bars, as was taught.
_STRETCH, _OVERLAP = 160, 40
_NEAREST_S = 0.005
_EPSILON = 1e-5
Weights = dict[str, NDArray[np.float32]]


@lru_cache(maxsize=1)
def taught() -> Weights:
    """What was taught; a ``RuntimeError`` where it tells other sounds."""
    return weights_of(TAUGHT)


def weights_of(path: Path) -> Weights:
    """The weights in a file; a ``RuntimeError`` where they tell other sounds."""
    with np.load(path, allow_pickle=False) as stored:
        if stored["sounds"].tolist() != list(SOUNDS):
            raise RuntimeError(
                f"{path.name} tells other sounds; teach it again with python -m benchmarks.sorting.learn"
            )
        return {name: stored[name].astype(np.float32) for name in stored.files if name != "sounds"}


def tell(
    spectra: MomentSpectra, time_s: NDArray[np.float64], rise_db: NDArray[np.float64], weights: Weights
) -> NDArray[np.float32]:
    """The log odds of each sound, (n, sounds), at moments at ``time_s`` (n,), in order, that rise by
    ``rise_db`` (n,).
    """
    count = len(time_s)
    if not count:
        return np.zeros((0, len(SOUNDS)), np.float32)
    blocks = [slice(at, at + _AT_ONCE) for at in range(0, count, _AT_ONCE)]
    tokens = np.concatenate(
        [_tokens(spectra.long[b], spectra.short[b], spectra.low[b], weights) for b in blocks]
    )
    tokens = _linear(np.concatenate([tokens, more_of(time_s, rise_db)], axis=1), weights, "join")
    seen = np.concatenate(
        [_attended(tokens[begin:end], weights)[a:b] for begin, end, a, b in stretches(count)]
    )
    return _linear(seen, weights, "sounds")


def more_of(time_s: NDArray[np.float64], rise_db: NDArray[np.floating]) -> NDArray[np.float32]:
    """What else is known of moments (n,): their rise, and how near their neighbours are, (n, 3)."""
    gap = np.diff(time_s) if len(time_s) else np.zeros(0)
    columns = [np.asarray(rise_db) / SCALE_DB]
    for near in (np.append(1.0, gap), np.append(gap, 1.0)):
        columns.append(np.log10(np.clip(near[: len(time_s)], _NEAREST_S, 1.0)) + 1.0)
    return np.stack(columns, axis=1).astype(np.float32)


def stretches(count: int) -> list[tuple[int, int, int, int]]:
    """Overlapping stretches over ``count`` moments: begin, end, and which of its rows each answers for."""
    if count <= _STRETCH + _OVERLAP:
        return [(0, count, 0, count)]
    out, at = [], 0
    while at < count:
        begin = min(max(at - _OVERLAP, 0), count - _STRETCH)
        end = begin + _STRETCH
        last = count if end == count else end - _OVERLAP
        out.append((begin, end, at - begin, last - begin))
        at = last
    return out


def _tokens(
    long: NDArray[np.float32], short: NDArray[np.float32], low: NDArray[np.float32], weights: Weights
) -> NDArray[np.float32]:
    """What the convolutions make of moments, (n, width)."""
    x, y, z = ((one - CENTRE_DB) / SCALE_DB for one in (long, short, low))
    for number in range(2):
        x = _convolved(x, weights, f"long.{number}")
    y = _convolved(y, weights, "short.0")
    flat = (x.reshape(len(x), -1), y.reshape(len(y), -1), z.reshape(len(z), -1))
    parts = [
        _linear(one, weights, name)
        for one, name in zip(flat, ("from_long", "from_short", "from_low"), strict=True)
    ]
    return np.maximum(np.concatenate(parts, axis=1), 0.0)


def _convolved(x: NDArray[np.float32], weights: Weights, name: str) -> NDArray[np.float32]:
    """(n, channels, places) through a convolution of which every second place stays; what is negative
    becomes 0.
    """
    kernel, bias = weights[f"{name}.weight"], weights[f"{name}.bias"]
    out_channels, channels, size = kernel.shape
    padded = np.pad(x, ((0, 0), (0, 0), (size // 2, size // 2)))
    windows = sliding_window_view(padded, size, axis=2)[:, :, ::2].transpose(0, 2, 1, 3)
    count, places = windows.shape[:2]
    flat = np.ascontiguousarray(windows).reshape(count * places, channels * size)
    out = flat @ kernel.reshape(out_channels, -1).T + bias
    return np.maximum(out, 0.0).reshape(count, places, out_channels).transpose(0, 2, 1)


def _linear(x: NDArray[np.float32], weights: Weights, name: str) -> NDArray[np.float32]:
    return np.asarray(x @ weights[f"{name}.weight"].T + weights[f"{name}.bias"])


def _normed(x: NDArray[np.float32], weights: Weights, name: str) -> NDArray[np.float32]:
    """Layer normalisation (Ba, Kiros and Hinton, 2016)."""
    centred = x - x.mean(axis=1, keepdims=True)
    scale = np.sqrt((centred**2).mean(axis=1, keepdims=True) + np.float32(_EPSILON))
    return np.asarray(centred / scale * weights[f"{name}.weight"] + weights[f"{name}.bias"])


def _attended(x: NDArray[np.float32], weights: Weights) -> NDArray[np.float32]:
    """Tokens (n, width) of one stretch after all layers of self-attention."""
    layer = 0
    while f"layers.{layer}.qkv.weight" in weights:
        at = f"layers.{layer}"
        q, k, v = np.split(_linear(_normed(x, weights, f"{at}.norm1"), weights, f"{at}.qkv"), 3, axis=1)
        q, k, v = (one.reshape(len(x), HEADS, -1).transpose(1, 0, 2) for one in (q, k, v))
        near = q @ k.transpose(0, 2, 1) / np.float32(np.sqrt(q.shape[2]))
        near = np.exp(near - near.max(axis=2, keepdims=True))
        mixed = (near / near.sum(axis=2, keepdims=True)) @ v
        x = x + _linear(mixed.transpose(1, 0, 2).reshape(x.shape), weights, f"{at}.out")
        up = np.maximum(_linear(_normed(x, weights, f"{at}.norm2"), weights, f"{at}.up"), 0.0)
        x = x + _linear(up, weights, f"{at}.down")
        layer += 1
    return _normed(x, weights, "norm")
