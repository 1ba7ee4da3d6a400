"""One drum of a loop by itself: mixed-down performances whose pieces are known alone, told apart from
when each is struck, beside non-negative matrix factorization with as many components and the same
knowledge.

Each library is scored with what pieces usually sound like in all the others. Score: the scale-invariant
signal-to-distortion ratio (Le Roux, Wisdom, Erdogan and Hershey, "SDR – half-baked or well done?", ICASSP
2019); and for some of the loops also the one of ``mir_eval.separation`` (Vincent, Gribonval and Févotte,
"Performance measurement in blind audio source separation", IEEE TASLP 14, 2006). Strokes are the true ones;
beside that those that Nubrak tells of the mix, with what ships, which every library has taught.
"""

from __future__ import annotations

import contextlib
import io
import tempfile
import time
import warnings
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import butter, fftconvolve, sosfilt

from benchmarks.keep import RATE_HZ
from benchmarks.sorting.grooves import play
from benchmarks.sorting.libraries import LIBRARIES
from benchmarks.sorting.made_loops import FAMILIES, drawn_instruments, struck
from benchmarks.sorting.usual import usual_without
from nubrak.command.kit_files import found_in, gather_files
from nubrak.core.flow import decide_all
from nubrak.core.sort.apart import Struck, apart, by_itself
from nubrak.core.sort.sounds import piece_of

Array = NDArray[np.float64]
SCORED = ("kick", "snare", "hi-hat")
_LOOPS, _FIRST = 6, 100  # of each library; the first ones are for trying things out
_MOST_DB = 40.0  # more is silence
_WINDOW, _HOP = 2048, 512
_MEASURED_TWICE = 2  # loops of each library: the other measure takes long
_ELECTRONIC = ("made analogue", "made digital")


def si_sdr_db(found: Array, truth: Array) -> float:
    """Scale-invariant signal-to-distortion ratio of a signal (n,), in dB, within what is worth telling."""
    scaled = (found @ truth) / (truth @ truth + 1e-20) * truth
    rest = found - scaled
    ratio_db = 10 * np.log10((scaled @ scaled + 1e-20) / (rest @ rest + 1e-20))
    return float(np.clip(ratio_db, -_MOST_DB, _MOST_DB))


def mixed_apart(library: str, seed: int) -> tuple[dict[str, Array], dict[str, Array]]:
    """A loop on drums of a library: each piece alone (frames,), half the time in a room, and when it is
    struck.
    """
    rng = np.random.default_rng([seed, 5, *library.encode()])
    strokes, length_s = play(rng, "electronic" if library in _ELECTRONIC else "kit")
    program, machine = int(rng.integers(1000)), bool(rng.random() < 0.25)
    chosen = drawn_instruments((library,), strokes, program, rng)
    size, room = round(length_s * RATE_HZ), _room(rng) if rng.random() < 0.5 else None
    alone: dict[str, Array] = {}
    time_s: dict[str, list[float]] = {}
    for number, one in enumerate(strokes):
        if one.sound not in chosen:
            continue
        begin = min(round(one.time_s * RATE_HZ), size - 1)
        sound = struck(chosen[one.sound], one, strokes[number + 1 :], rng, machine)
        line = alone.setdefault(piece_of(one.sound), np.zeros(2 * size))
        line[begin : begin + len(sound)] += sound[: len(line) - begin]
        time_s.setdefault(piece_of(one.sound), []).append(begin / RATE_HZ)
    for piece, line in alone.items():
        heard = line if room is None else fftconvolve(line, room)[: len(line)]
        # What rings over the end is heard at the beginning, as in a loop that was cut out of its own repeat.
        alone[piece] = heard[:size] + 0.7 * heard[size:]
    loudest = np.abs(np.sum(list(alone.values()), axis=0)).max()
    return {p: 0.5 * x / loudest for p, x in alone.items()}, {p: np.unique(t) for p, t in time_s.items()}


def _room(rng: np.random.Generator) -> Array:
    """A short room that falls exponentially."""
    length_s = float(np.exp(rng.uniform(np.log(0.08), np.log(0.6))))
    t = np.arange(round(1.5 * length_s * RATE_HZ)) / RATE_HZ
    band_hz = [rng.uniform(80, 300), rng.uniform(2500, 12000)]
    tail = rng.standard_normal(len(t)) * np.exp(-6.9 * t / length_s)
    tail = sosfilt(butter(1, band_hz, "bandpass", fs=RATE_HZ, output="sos"), tail)
    tail[: round(rng.uniform(0.001, 0.015) * RATE_HZ)] = 0
    tail *= 10 ** (rng.uniform(-26, -10) / 20) / (np.sqrt((tail**2).sum()) + 1e-9)
    tail[0] += 1
    return np.asarray(tail)


class _Begun:
    """The factorization that ``librosa.decompose`` calls, begun with spectra and activations."""

    def __init__(self, activations: Array, spectra: Array) -> None:
        self.activations, self.components_ = activations, spectra

    def fit_transform(self, frames: Array) -> Array:
        from sklearn.decomposition import NMF

        model = NMF(
            len(self.components_), init="custom", solver="mu", beta_loss="kullback-leibler", max_iter=100
        )
        found = model.fit_transform(frames, W=self.activations.copy(), H=self.components_.copy())
        self.components_ = model.components_
        return np.asarray(found)


def by_factorization(mix: Array, time_s: dict[str, Array]) -> dict[str, Array]:
    """Each piece by ``librosa.decompose`` with a component each: begun with the mean spectrum at its
    strokes, and active for a second after each of them; Wiener's filter shares out what is heard.
    """
    import librosa

    spectrum = librosa.stft(mix, n_fft=_WINDOW, hop_length=_HOP)
    size = np.abs(spectrum) + 1e-9
    frames = size.shape[1]
    active, spectra = np.full((frames, len(time_s)), 1e-9), np.zeros((len(time_s), len(size)))
    for k, times in enumerate(time_s.values()):
        for at in np.round(times * RATE_HZ / _HOP).astype(int):
            rows = np.arange(max(at - 1, 0), min(frames, at + RATE_HZ // _HOP))
            fall = np.exp(-np.maximum(rows - at, 0) * _HOP / RATE_HZ / 0.15)
            active[rows, k] = np.maximum(active[rows, k], fall)
            spectra[k] += size[:, min(at + 1, frames - 1)] / len(times)
    begun: Any = _Begun(active, spectra + 1e-9)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        parts, gains = librosa.decompose.decompose(
            size, n_components=len(time_s), transformer=begun, sort=False
        )
    power = np.stack([np.outer(parts[:, k], gains[k]) ** 2 for k in range(len(time_s))]) + 1e-14
    power /= power.sum(axis=0)
    return {
        piece: librosa.istft(power[k] * spectrum, hop_length=_HOP, n_fft=_WINDOW, length=len(mix))
        for k, piece in enumerate(time_s)
    }


def told_by_nubrak(mix: Array) -> dict[str, Array]:
    """When each piece of a mix is struck, as Nubrak tells it."""
    with tempfile.TemporaryDirectory() as folder, contextlib.redirect_stderr(io.StringIO()):
        path = Path(folder) / "a loop.wav"
        soundfile.write(path, mix.astype(np.float32), RATE_HZ, subtype="FLOAT")
        kit = gather_files([path], {}, "loop")
        inputs = found_in(kit)
        decided = decide_all(inputs)
    out: dict[str, Array] = {}
    for part_id, part in kit.document.parts.items():
        if part_id in inputs and not kit.document.family(part_id):
            times = decided[part_id].time_s[decided[part_id].counts]
            out[part.piece] = np.sort(np.concatenate([out.get(part.piece, np.zeros(0)), times]))
    return {piece: times for piece, times in out.items() if len(times)}


def _sdr_db(alone: dict[str, Array], found: dict[str, Array]) -> dict[str, float]:
    """The signal-to-distortion ratio of ``mir_eval.separation`` of each piece."""
    import mir_eval

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        truth, ours = (np.stack([of[p] for p in alone]) for of in (alone, found))
        sdr = mir_eval.separation.bss_eval_sources(truth + 1e-9, ours + 1e-9, compute_permutation=False)[0]
    return dict(zip(alone, np.clip(sdr, -_MOST_DB, _MOST_DB).tolist(), strict=True))


def _scored(job: tuple[str, int]) -> tuple[list[tuple[Any, ...]], Array]:
    """Of each piece of a loop: library, piece, the mix itself, the factorization, Nubrak, Nubrak with strokes
    as it tells them (none where it does not tell the piece), and the other measure of the factorization and
    of Nubrak, in dB; and the seconds of sound and of each of the two.
    """
    library, seed = job
    alone, time_s = mixed_apart(library, seed)
    if len(alone) < 2:
        return [], np.zeros(3)
    nothing = np.nan
    mix = np.sum(list(alone.values()), axis=0)
    usual = usual_without(library)
    begun_s = time.perf_counter()
    audio = mix.astype(np.float32)[:, None]
    shares = apart(audio, RATE_HZ, [Struck(p, t) for p, t in time_s.items()], usual)
    ours = {p: by_itself(audio, shares, k, 0, len(audio))[:, 0] for k, p in enumerate(time_s)}
    ours_s = time.perf_counter() - begun_s
    theirs = by_factorization(mix, time_s)
    theirs_s = time.perf_counter() - begun_s - ours_s
    told = told_by_nubrak(mix)
    shares = apart(audio, RATE_HZ, [Struck(p, t) for p, t in told.items()], usual)
    as_told = {p: by_itself(audio, shares, k, 0, len(audio))[:, 0] for k, p in enumerate(told)}
    twice = seed < _FIRST + _MEASURED_TWICE
    by_mir_eval = [_sdr_db(alone, of) if twice else {} for of in (theirs, ours)]
    lines = [
        (
            library,
            p,
            *(si_sdr_db(np.asarray(x, np.float64), alone[p]) for x in (mix, theirs[p], ours[p])),
            si_sdr_db(np.asarray(as_told[p], np.float64), alone[p]) if p in as_told else nothing,
            *(of.get(p, nothing) for of in by_mir_eval),
        )
        for p in SCORED
        if p in alone
    ]
    return lines, np.array([len(mix) / RATE_HZ, theirs_s, ours_s])


def run() -> None:
    """Print, for kick, snare and hat, how far over the mix and over the factorization they stand by
    themselves.
    """
    libraries = [one for one in (*LIBRARIES, *FAMILIES) if one != "made mouth"]
    jobs = [(library, _FIRST + number) for library in libraries for number in range(_LOOPS)]
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(_scored, jobs))
    lines, spent = [line for some, _ in found for line in some], np.sum([one for _, one in found], axis=0)
    print("One drum of a loop by itself, strokes known; each library with what is usual in the others")
    print(f"  {'SI-SDR in dB':34} {'mix':>6} {'NMF':>6} {'Nubrak':>7} {'over mix':>9} {'over NMF':>9}")
    for piece in SCORED:
        of = {lib: np.array([x[2:] for x in lines if x[0] == lib and x[1] == piece]) for lib in libraries}
        of = {lib: x for lib, x in of.items() if len(x)}
        means = {lib: x.mean(axis=0) for lib, x in of.items()}
        worst = min(means, key=lambda lib: means[lib][2] - means[lib][0])
        every = np.concatenate(list(of.values()))
        rows = {f"{piece}, {len(every)} loops": every.mean(axis=0)}
        rows[f"  worst over the mix: {worst}"] = means[worst]
        for name, (mix, theirs, ours, *_) in rows.items():
            print(f"  {name:34} {mix:6.1f} {theirs:6.1f} {ours:7.1f} {ours - mix:9.1f} {ours - theirs:9.1f}")
        told = every[np.isfinite(every[:, 3])]
        gained = (told[:, 3] - told[:, 0]).mean() if len(told) else np.nan
        said = (
            f"  strokes as Nubrak tells them: told in {len(told)} of {len(every)}, over the mix {gained:.1f}"
        )
        print(f"{said} (true strokes there {(told[:, 2] - told[:, 0]).mean():.1f})")
        twice = every[np.isfinite(every[:, 5])]
        print(
            f"  by mir_eval.separation, {len(twice)} loops: SDR of the NMF {twice[:, 4].mean():.1f}, of "
            f"Nubrak {twice[:, 5].mean():.1f}"
        )
    for_30_s = 30 * spent[1:] / spent[0]
    print(f"  seconds for 30 s of sound, one core: NMF {for_30_s[0]:.1f}, Nubrak {for_30_s[1]:.1f}")
