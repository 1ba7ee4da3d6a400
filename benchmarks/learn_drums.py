"""`python -m benchmarks.learn_drums`: moves the numbers of our own drums until each lies among recorded ones.

A drum begins as it was thought of in `nubrak/demo/kit.py` and is moved as little as its measures allow,
by trying small random changes and keeping what is better (an evolution strategy of one parent, with the
rule of a fifth for its step; Rechenberg, from memory). Taught on the general sound font where it has
three drums of a kind or more, on all fonts where it has fewer; `./nubrak benchmark drums` says how they
lie elsewhere.
"""

from __future__ import annotations

import json
import os
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict

import numpy as np
from numpy.typing import NDArray

from benchmarks.drum_measures import ELSEWHERE, GENERAL, KIND_OF, measures, recorded, usual
from benchmarks.drums import own_measures
from nubrak.demo import kit as kits
from nubrak.demo.kit import shape
from nubrak.demo.made import RATE_HZ, Drum, MadeInstrument, MadeKit

_LEAST = 3  # drums of a kind that are a population
_TRIES, _ROUNDS, _STUBBORN = 250, 3, 4
_LEFT_ALONE = 0.5  # a distance from what is wanted at which nothing is moved
_GOOD = 1.0  # and at which it is enough to have tried once
_STAYS = {
    "length_s",
    "peak",
    "plate",
    "room_s",
    "pairs",
    "meets",
    "people",
    "impacts",
    "regular",
    "pitch_hz",
    "grain_db",
}
# What stays in bounds that a drum has: slopes in dB per octave fall, a small room stays one, the head of a
# snare is heard through its wires, a head is in tune again soon, a contact and a stick are short.
_WITHIN = {
    "above_db": (0.0, 18.0),
    "below_db": (0.0, 18.0),
    "softer_db": (-6.0, 18.0),
    "room_db": (-48.0, -8.0),
    "wires_db": (-7.0, -2.0),
    "bend": (0.005, 1.6),
    "bend_s": (0.005, 0.045),
    "decay_per_octave": (0.05, 1.5),
    "contact_ms": (0.05, 4.0),
    "stick_ms": (0.4, 8.0),
    "skin_s": (0.01, 0.12),
    "wires_s": (0.03, 0.16),
    "wires_rise_ms": (0.5, 4.0),
    "build_ms": (0.3, 40.0),
    "pressed_db": (0.0, 9.0),
}
_ANY_DB, _ANY = (-48.0, 24.0), (1e-6, 1e6)
# Where among the recorded drums those of a kit lie: percentiles of the seven measures.
_WANTED = {
    "workshop": (50, 50, 50, 50, 50, 50, 50),
    "theatre": (50, 55, 60, 60, 50, 50, 50),
    "booth": (55, 55, 30, 30, 55, 45, 45),
    "hands": (50, 50, 45, 45, 50, 50, 50),
}


def wanted(kind: str, kit: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What the measures of a kind in a kit should be, and how much each may be off, (7,) each."""
    every = recorded(kind, (GENERAL, *ELSEWHERE))
    general = recorded(kind, (GENERAL,))
    low, high = np.percentile(every, [10, 90], axis=0)
    if len(general) >= _LEAST:
        own_low, own_high = np.percentile(general, [10, 90], axis=0)
        inner = np.maximum(low, own_low), np.minimum(high, own_high)
        narrow = inner[1] - inner[0] < 0.25 * (own_high - own_low)
        low, high = np.where(narrow, own_low, inner[0]), np.where(narrow, own_high, inner[1])
    share = np.array(_WANTED[kit]) / 100
    return low + share * (high - low), np.maximum(0.5 * (high - low), 0.05)


def _distance(
    drum: Drum, room: int, aim: NDArray[np.float64], allowed: NDArray[np.float64], outside: float = 6.0
) -> float:
    total = 0.0
    for seed in (1, 2):
        audio = drum.strike(np.random.default_rng(seed), 1.0, RATE_HZ, room)
        ready = np.concatenate([np.zeros(2000, np.float32), audio, np.zeros(9000, np.float32)])
        off = np.abs(measures(ready) - aim) / allowed
        # Near the middle is no better than a little beside it; outside is much worse than inside.
        total += float((np.maximum(off - 0.3, 0.0) ** 2 + outside * np.maximum(off - 0.85, 0.0) ** 2).sum())
    return total / 2


def _moves(drum: Drum) -> list[str]:
    return [
        name
        for name, value in asdict(drum).items()  # type: ignore[call-overload]
        if isinstance(value, float | int)
        and name not in _STAYS
        and not (name.endswith("_db") and value <= -50)
        and (value != 0 or name == "pressed_db")
    ]


def _moved(drum: Drum, names: list[str], by: NDArray[np.float64]) -> dict[str, float]:
    out = {}
    for name, step in zip(names, by, strict=True):
        value = float(asdict(drum)[name])  # type: ignore[call-overload]
        if name.endswith("_db") or value < 0:
            out[name] = round(float(np.clip(value + 6 * step, *_WITHIN.get(name, _ANY_DB))), 2)
        else:
            out[name] = float(f"{np.clip(value * 2**step, *_WITHIN.get(name, _ANY)):.4g}")
    if "touch" in out:
        out["touch"] = min(out["touch"], 0.9)
    return out


def _by(drum: Drum, names: list[str], moved: dict[str, float]) -> NDArray[np.float64]:
    """How far numbers that were moved before lie from what was thought of: the other way round."""
    out = []
    for name in names:
        value = float(asdict(drum)[name])  # type: ignore[call-overload]
        in_db = name.endswith("_db") or value < 0
        now = float(np.clip(moved.get(name, value), *_WITHIN.get(name, _ANY_DB if in_db else _ANY)))
        out.append((now - value) / 6 if in_db else np.log2(now / value))
    return np.array(out)


def learn(kit: MadeKit, place: int, before: dict[str, float]) -> tuple[str, str, dict[str, float], float]:
    """One instrument, from where it stands: its kit, its id, what was moved, how far from what was wanted it
    still lies.
    """
    made = kit.instruments[place]
    aim, allowed = wanted(KIND_OF[made.id], kit.id)
    names = _moves(made.drum)
    rng = np.random.default_rng([place, *kit.id.encode()])
    best, step = _by(made.drum, names, before), 0.35

    outside = 6.0

    def cost(by: NDArray[np.float64]) -> float:
        drum = shape(made.drum, _moved(made.drum, names, by))
        return _distance(drum, kit.room, aim, allowed, outside) + 0.04 * float((by**2).sum())

    least = cost(best)
    for number in range(_TRIES * (_ROUNDS + _STUBBORN)):
        if number % _TRIES == 0:
            if least < (_GOOD if number else _LEFT_ALONE):
                break
            step = 0.35
        if number == _TRIES * _ROUNDS:
            # Whatever stays outside now is worth giving up the middle of everything else.
            outside = 120.0
            least = cost(best)
        some = rng.random(len(names)) < max(3 / len(names), 0.3)
        trial = best + step * rng.normal(size=len(names)) * some
        now = cost(trial)
        better = now < least
        if better:
            best, least = trial, now
        step = float(np.clip(step * (1.5 if better else 0.95), 0.03, 0.8))
    return kit.id, made.id, _moved(made.drum, names, best), least


def _outside(kit: MadeKit, made: MadeInstrument) -> bool:
    """Whether a drum, as it was moved last, lies outside its recorded ones somewhere."""
    now = next(
        one for of in kits.made_kits() if of.id == kit.id for one in of.instruments if one.id == made.id
    )
    own = own_measures(kit, now)
    low, _, high = usual(KIND_OF[made.id], (GENERAL, *ELSEWHERE))
    return bool(((own < low) | (own > high)).any())


def run(only: list[str]) -> None:
    """Learn all drums, those of some kits or ids, or those that lie ``outside``, and write them down."""
    path = kits.SHAPED
    known = json.loads(path.read_text()) if path.exists() else {}
    jobs = [
        (kit, place, known.get(kit.id, {}).get(made.id, {}))
        for kit in kits.PLAIN
        if kit.id in _WANTED
        for place, made in enumerate(kit.instruments)
        if made.id in KIND_OF
        and (not only or kit.id in only or made.id in only or ("outside" in only and _outside(kit, made)))
    ]
    with ProcessPoolExecutor(max_workers=os.cpu_count()) as pool:
        for kit_id, made_id, moved, left in pool.map(learn, *zip(*jobs, strict=True), chunksize=1):
            known = json.loads(path.read_text()) if path.exists() else {}
            known.setdefault(kit_id, {})[made_id] = moved
            path.write_text(json.dumps(known, indent=1, sort_keys=True) + "\n")
            print(f"{kit_id:10} {made_id:14} {left:.2f}", flush=True)


if __name__ == "__main__":
    run(sys.argv[1:])
