"""librosa's beat tracker, as it is written: compiled as plain functions, since its generalised ones fall over
with the numba that is pinned.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import librosa
import numba
import numpy as np
from numpy.typing import NDArray


@cache
def _tracker() -> Any:
    beat = librosa.beat

    def plain(name: str) -> Any:
        return numba.njit(getattr(beat, name).gufunc_builder.py_func)

    score, path, trim, last = (
        plain(f"__{name}")
        for name in ("beat_local_score", "beat_track_dp", "trim_beats", "last_beat_selector")
    )
    back = plain("__dp_backtrack")

    def beat_local_score(envelope: NDArray[Any], frames: NDArray[Any]) -> NDArray[Any]:
        out = np.zeros_like(envelope)
        score(envelope, np.asarray(frames, envelope.dtype), out)
        return out

    def beat_track_dp(
        local: NDArray[Any], frames: NDArray[Any], tightness: float
    ) -> tuple[NDArray[Any], ...]:
        links, sums = np.zeros(len(local), np.int32), np.zeros_like(local)
        path(local, np.asarray(frames, local.dtype), tightness, links, sums)
        return links, sums

    def trim_beats(local: NDArray[Any], beats: NDArray[Any], wanted: bool) -> NDArray[Any]:
        out = np.zeros_like(beats)
        trim(local, beats, wanted, out)
        return out

    def last_beat_selector(sums: NDArray[Any], mask: NDArray[Any], least: Any, tail: NDArray[Any]) -> None:
        out = np.zeros(1, np.int64)
        last(sums, mask, float(np.asarray(least).ravel()[0]), out)
        tail[...] = out[0]

    def dp_backtrack(links: NDArray[Any], tail: Any, beats: NDArray[Any]) -> None:
        back(links, int(np.asarray(tail).ravel()[0]), beats)

    for one in (beat_local_score, beat_track_dp, trim_beats, last_beat_selector, dp_backtrack):
        setattr(beat, f"__{one.__name__}", one)
    return beat.beat_track


def beats_by_librosa(envelope: NDArray[Any], rate_hz: int, hop: int) -> tuple[float, NDArray[np.float64]]:
    """Beats per minute and beats in s, (n,), of an onset envelope (frames,)."""
    bpm, frames = _tracker()(onset_envelope=np.asarray(envelope, np.float64), sr=rate_hz, hop_length=hop)
    return float(np.atleast_1d(bpm)[0]), librosa.frames_to_time(frames, sr=rate_hz, hop_length=hop)
