"""What pieces usually sound like, for ``core/sort/usual_sound``: the mean level of libraries' strokes,
lag by lag and band by band, each library counting alike.

``python -m benchmarks.sorting.usual`` writes what ships, from all libraries.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

import nubrak.core.sort.usual_sound as usual_sound
from benchmarks.keep import CACHE, RATE_HZ, keep_array
from benchmarks.sorting.libraries import LIBRARIES, voices
from benchmarks.sorting.made import FAMILIES, made
from nubrak.core.sort.sounds import PIECES_TOLD, SOUNDS, piece_of
from nubrak.core.sort.usual_sound import UsualSounds

_WINDOW, _HOP, _LAGS = 2048, 512, 70
_KEPT_LAGS = np.array([0, 1, 2, 3, 4, 5, 6, 8, 10, 13, 16, 20, 25, 30, 36, 43, 50, 60, 69])
_EDGES_HZ = np.concatenate([np.arange(0.0, 400.0, 25.0), 400.0 * 2.0 ** (np.arange(0, 70) / 12)])
_EDGES_HZ = _EDGES_HZ[_EDGES_HZ < RATE_HZ / 2]
_FLOOR_DB = -70.0  # quieter than this, what a library has there is its own noise
_DRAWN = 25  # instruments of each made family


def _spectrum_db(stroke: NDArray[np.float32]) -> NDArray[np.float64]:
    """Level of a stroke from a hop before its attack on, (lags, bands)."""
    padded = np.concatenate(
        [np.zeros(_WINDOW // 2 + _HOP), stroke[:RATE_HZ], np.zeros(_LAGS * _HOP + _WINDOW)]
    )
    cut = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::_HOP][:_LAGS]
    power = np.abs(np.fft.rfft(cut * np.hanning(_WINDOW), axis=1)) ** 2
    hz = np.fft.rfftfreq(_WINDOW, 1 / RATE_HZ)
    centre = _centres()
    by_band = np.stack(
        [
            power[:, inside].mean(axis=1)
            if (inside := (hz >= low) & (hz < high)).any()
            else power[:, np.argmin(np.abs(hz - middle))]
            for low, high, middle in zip(
                _EDGES_HZ, np.append(_EDGES_HZ[1:], RATE_HZ / 2), centre, strict=True
            )
        ],
        axis=1,
    )
    by_band /= by_band[:6].sum() + 1e-20
    return np.asarray(np.maximum(10 * np.log10(by_band + 1e-10), _FLOOR_DB))


def _centres() -> NDArray[np.float64]:
    return np.append((_EDGES_HZ[1:] + _EDGES_HZ[:-1]) / 2, (_EDGES_HZ[-1] + RATE_HZ / 2) / 2)


def of_library(library: str) -> NDArray[np.float64]:
    """The mean level of one library's strokes, (pieces, lags, bands); NaN for a piece it has not."""
    kept = CACHE / f"usual-1-{library}.npy".replace(" ", "_")
    if kept.exists():
        return np.asarray(np.load(kept))
    found: dict[str, list[NDArray[np.float64]]] = {piece: [] for piece in PIECES_TOLD}
    if library in FAMILIES:
        for sound in SOUNDS:
            name = "hi-hat" if sound.startswith("hi-hat") else sound
            for number in range(_DRAWN if name in FAMILIES[library] else 0):
                drawn = made(library, name, number).get(sound)
                if drawn is not None:
                    found[piece_of(sound)] += [_spectrum_db(one) for one in drawn.strokes[-2:]]
    else:
        for font, programs in LIBRARIES[library]:
            for program in programs:
                for sound, several in voices(font, program).items():
                    for voice in several:
                        found[piece_of(sound)] += [_spectrum_db(one) for one in voice.strokes[::2]]
    nothing = np.full((_LAGS, len(_EDGES_HZ)), np.nan)
    out = np.stack([np.mean(of, axis=0) if of else nothing for of in found.values()])
    keep_array(kept, out)
    return out


@cache
def usual_without(library: str | None) -> UsualSounds:
    """What pieces usually sound like in all libraries but one."""
    every = [of_library(one) for one in (*LIBRARIES, *FAMILIES) if one != library]
    mean = np.nanmean(np.stack(every), axis=0)[:, _KEPT_LAGS]
    lag_s = (_KEPT_LAGS - 1) * _HOP / RATE_HZ
    return UsualSounds(tuple(PIECES_TOLD), lag_s, _centres(), np.round(mean))


def main() -> None:
    """Write what ships."""
    with ProcessPoolExecutor(2) as pool:
        list(pool.map(of_library, (*LIBRARIES, *FAMILIES)))
    all_of = usual_without(None)
    np.savez_compressed(
        Path(usual_sound.__file__).with_name("usual_sounds.npz"),
        pieces=np.array(all_of.pieces),
        lag_s=all_of.lag_s.astype(np.float32),
        centre_hz=all_of.centre_hz.astype(np.float32),
        level_db=all_of.level_db.astype(np.int8),
    )


if __name__ == "__main__":
    main()
