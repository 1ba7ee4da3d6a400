"""`./nubrak benchmark lock`: how a layer is locked to a recording, for the same sound and for different ones,
beside the highest cross-correlation alone.

Recordings are strokes of one drum with another drum's spill and noise under them. As layers come the same
sound (as it is, through another microphone, or another stroke of the same drum) and the same piece of every
other library. The truth is the attack of each sound, known to the sample.
"""

from __future__ import annotations

import itertools
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

from benchmarks.keep import RATE_HZ
from benchmarks.sounds import Kit, attack_of, available, sound, struck
from nubrak.core.layer import Sounding, find_lock, judged, level_under
from nubrak.core.layer.lock import REACH_S
from nubrak.core.samples import attack_of as measured_attack_s
from nubrak.core.signal import cross_correlation, windows_at

# One kit or two of each library.
KITS = {
    "general": (Kit("standard", "general", 0), Kit("power", "general", 16), Kit("jazz", "general", 32)),
    "musescore": (Kit("musescore", "musescore", 0),),
    "small": (Kit("small", "small", 0),),
    "csound": (Kit("csound", "csound", 0),),
    "opl3": (Kit("opl3", "opl3", 0),),
    "patches": (Kit("patches", "patches", 0),),
    "made": (Kit("made", "made", 3), Kit("made too", "made", 11)),
}
PIECES = (
    "kick",
    "snare",
    "rack-tom",
    "floor-tom",
    "hi-hat",
    "open-hat",
    "crash",
    "clap",
    "conga",
    "tambourine",
)
# Fonts that hold some of the same recordings, which are not different sounds.
SHARED = ({"general", "musescore"}, {"small", "csound"})
_HITS = 20
_SPILL_DB, _NOISE_DB = -20.0, -60.0  # under the drum’s full stroke
_UNDER_DB = 6.0  # the layer lies so far under the recording, as it does in the product


@dataclass(frozen=True)
class Case:
    """One layer on one recording. ``delay`` is how much later than the hit's the layer's attack is recorded
    (same sounds only); ``polarity`` how the layer was turned.
    """

    kind: str
    library: str
    layer_library: str
    piece: str
    recording: NDArray[np.float32]
    hits: NDArray[np.int64]
    layer: NDArray[np.float32]
    attack: int
    delay: int
    polarity: int


def _performed(
    strokes: list[tuple[NDArray[np.float32], int]], spill: NDArray[np.float32], rng: np.random.Generator
) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Strokes one after the other with another drum between them, and the sample each begins at."""
    hits = np.cumsum(rng.integers(round(0.22 * RATE_HZ), round(0.6 * RATE_HZ), len(strokes))) + 4410
    out = np.zeros(int(hits[-1]) + 5 * RATE_HZ)
    peak = 1e-9
    for hit, (stroke, attack) in zip(hits.tolist(), strokes, strict=True):
        out[hit - attack : hit - attack + len(stroke)] += stroke
        peak = max(peak, float(np.abs(stroke).max()))
        at = int(hit + rng.integers(-9000, 9000))
        if at > 0:
            level = peak * 10 ** (_SPILL_DB / 20) / max(float(np.abs(spill).max()), 1e-9)
            out[at : at + len(spill)] += level * spill[: len(out) - at]
    out += peak * 10 ** (_NOISE_DB / 20) * rng.standard_normal(len(out))
    return out.astype(np.float32), hits.astype(np.int64)


def _strokes(kit: Kit, piece: str, rng: np.random.Generator) -> list[tuple[NDArray[np.float32], int]]:
    return [struck(kit, piece, int(rng.integers(70, 127)), rng) for _ in range(_HITS)]


def _other_microphone(sound: NDArray[np.float32], rng: np.random.Generator) -> NDArray[np.float32]:
    """The same stroke as another microphone hears it: other tone, a few reflections."""
    tilt = rng.uniform(-0.4, 0.4)
    out = lfilter([1.0, -tilt], [1.0], sound)
    for _ in range(4):
        late = int(rng.integers(60, 1500))
        out[late:] += rng.normal(0, 0.12) * out[:-late]
    return out.astype(np.float32)


def same_cases(library: str, seed: int) -> list[Case]:
    out = []
    for kit, piece in itertools.product(KITS[library], PIECES):
        rng = np.random.default_rng([seed, *f"{kit.name} {piece}".encode()])
        spill = sound(kit, "kick" if piece != "kick" else "snare").strokes[12]
        for kind in ("the sample itself", "through another microphone", "another stroke of the drum"):
            delay = int(rng.integers(-180, 181)) if kind != "another stroke of the drum" else 0
            polarity = int(rng.choice([-1, 1]))
            one = sound(kit, piece).strokes[13]
            attack = attack_of(one)
            if kind == "another stroke of the drum":
                strokes = _strokes(replace(kit, touch=1), piece, rng)
            else:
                strokes = [(one * np.float32(rng.uniform(0.4, 1.0)), attack - delay) for _ in range(_HITS)]
            recording, hits = _performed(strokes, spill, rng)
            layer = _other_microphone(one, rng) if kind == "through another microphone" else one
            out.append(
                Case(
                    kind, library, library, piece, recording, hits, polarity * layer, attack, delay, polarity
                )
            )
    return out


def different_cases(library: str, seed: int) -> list[Case]:
    out = []
    for piece in PIECES:
        kit = KITS[library][seed % len(KITS[library])]
        rng = np.random.default_rng([seed, *f"{library} {piece}".encode()])
        spill = sound(kit, "kick" if piece != "kick" else "snare").strokes[12]
        recording, hits = _performed(_strokes(kit, piece, rng), spill, rng)
        for other, kits in KITS.items():
            if other == library or not (other == "made" or available(other)):
                continue
            if {library, other} in SHARED:
                continue
            voice = kits[int(rng.integers(len(kits)))]
            try:
                layer = sound(voice, piece).strokes[13]
            except KeyError:
                continue
            if not np.any(layer):
                continue
            out.append(
                Case("different", library, other, piece, recording, hits, layer, attack_of(layer), 0, 1)
            )
    return out


@dataclass(frozen=True)
class Score:
    """One layer, locked: ``error`` in samples from where it belongs, whether its polarity is right or costs
    less than a decibel, the low end gained over doing nothing, and the same of the highest cross-correlation.
    """

    case: tuple[str, str, str, str]
    error: int
    turned_right: bool
    gain_db: float
    moved: bool
    same_sound: bool
    widest_db: float
    theirs_error: int
    theirs_db: float


def scored(case: Case) -> Score:
    """A layer as the product locks it: its attack as measured when it comes in, 6 dB under the recording."""
    attack = round(measured_attack_s(case.layer, RATE_HZ) * RATE_HZ)
    rows = np.arange(len(case.hits))
    plain = [Sounding(case.layer, attack, rows, np.ones(len(rows)))]
    under = level_under(case.recording, case.hits, plain, RATE_HZ) or 0.0
    sounds = [replace(plain[0], gains=np.full(len(rows), 10 ** ((under - _UNDER_DB) / 20)))]
    lock = find_lock(case.recording, case.hits, sounds, RATE_HZ)
    theirs = _highest_correlation(case, attack)
    belongs = case.delay + attack - case.attack  # in what the product calls the offset
    turned_db = judged(case.recording, case.hits, sounds, RATE_HZ, lock.offset_samples, -lock.polarity)
    return Score(
        (case.kind, case.library, case.layer_library, case.piece),
        lock.offset_samples - belongs,
        lock.polarity == case.polarity or turned_db - lock.gain_db < 1.0,
        lock.gain_db,
        lock.offset_samples != 0 or lock.polarity != 1,
        lock.same_sound,
        lock.widest.gain_db,
        theirs[0] - belongs,
        judged(case.recording, case.hits, sounds, RATE_HZ, *theirs),
    )


def _highest_correlation(case: Case, attack: int) -> tuple[int, int]:
    """Offset and polarity of the highest cross-correlation of layer and recording, summed over the hits."""
    reach = round(REACH_S * RATE_HZ)
    model = case.layer[: attack + RATE_HZ // 4].astype(np.float64)
    windows = windows_at(case.recording, case.hits - attack - reach, len(model) + 2 * reach)
    total = cross_correlation(windows.astype(np.float64), model, 2 * reach + 1).sum(axis=0)
    place = int(np.argmax(np.abs(total)))
    return place - reach, 1 if total[place] >= 0 else -1


def _library(name: str) -> list[Score]:
    return [scored(case) for case in [*same_cases(name, 1), *different_cases(name, 1)]]


def _ms(samples: list[int], share: float) -> float:
    return float(np.quantile(np.abs(samples), share)) * 1000 / RATE_HZ


def run() -> None:
    """Print the attack's distance from where it belongs, polarity and low end, by kind and by library."""
    libraries = [one for one in KITS if one == "made" or available(one)]
    with ProcessPoolExecutor(2) as pool:
        scores = [one for found in pool.map(_library, libraries) for one in found]
    print("Lock (wanted: same sound 0 samples; different 0.3 ms in 95 %; no low end lost)")
    print(
        "  polarity: right, or worth less than 1 dB of low end; widest: what any shift within 5 ms would gain"
    )
    head = ("layers", "50 % ms", "95 %", "worst", "polarity", "moved", "gain dB", "worst", "widest")
    theirs = ("95 %", "gain dB", "worst")
    print(
        f"  {'':28}{''.join(f'{one:>9}' for one in head)} |{''.join(f'{one:>9}' for one in theirs)}"
        "  highest cross-correlation"
    )
    for kind in dict.fromkeys(one.case[0] for one in scores):
        mine = [one for one in scores if one.case[0] == kind]
        _line(kind, mine)
        for library in libraries:
            _line(f"  {library}", [one for one in mine if one.case[1] == library])


def _line(name: str, scores: list[Score]) -> None:
    if not scores:
        return
    errors, theirs = [one.error for one in scores], [one.theirs_error for one in scores]
    gains, their_gains = [one.gain_db for one in scores], [one.theirs_db for one in scores]
    ours = [
        *(_ms(errors, share) for share in (0.5, 0.95, 1.0)),
        np.mean([one.turned_right for one in scores]),
        np.mean([one.moved for one in scores]),
        *(np.mean(gains), min(gains), np.mean([one.widest_db for one in scores])),
    ]
    other = [_ms(theirs, 0.95), np.mean(their_gains), min(their_gains)]
    print(
        f"  {name:28}{len(scores):9}{''.join(f'{one:9.3f}' for one in ours)} |"
        f"{''.join(f'{one:9.3f}' for one in other)}"
    )
