"""Our own drums beside recorded ones: how many of seven measures of each lie between the 10th and the 90th
percentile of recorded drums of its kind.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from benchmarks.drum_measures import ELSEWHERE, GENERAL, KIND_OF, LOGARITHMIC, NAMES, measures, recorded
from benchmarks.drum_measures import usual as usual_of
from nubrak.demo.kit import made_kits
from nubrak.demo.made import RATE_HZ, MadeInstrument, MadeKit

_LEAST = 3  # recorded drums that are a population
_ALL = (GENERAL, *ELSEWHERE)


def own_measures(kit: MadeKit, made: MadeInstrument) -> NDArray[np.float64]:
    """The measures of the hardest stroke of a drum of ours, the middle of three, (7,)."""
    rows = []
    for seed in (11, 12, 13):
        audio = made.drum.strike(np.random.default_rng(seed), 1.0, RATE_HZ, kit.room)
        rows.append(measures(np.concatenate([np.zeros(2000, np.float32), audio, np.zeros(9000, np.float32)])))
    return np.asarray(np.median(rows, axis=0))


def _said(values: NDArray[np.float64]) -> str:
    shown = [2**one if at < LOGARITHMIC else one for at, one in enumerate(values.tolist())]
    return " ".join(f"{one:9.0f}" if at < 2 else f"{one:9.2f}" for at, one in enumerate(shown))


def run() -> None:
    """Print every drum that has a recorded counterpart, and how many of its measures are usual."""
    print("Our drums at their hardest beside recorded ones (wanted: all in the middle 80 %)")
    print(f"  {'':26}" + " ".join(f"{name.split(',')[0]:>9}"[:9] for name in NAMES))
    inside_of: dict[str, list[int]] = {"all": [], "general": [], "elsewhere": []}
    for kit in made_kits():
        if not any(made.id in KIND_OF for made in kit.instruments) or not kit.room:
            continue
        print(f"{kit.name}")
        for made in kit.instruments:
            kind = KIND_OF.get(made.id)
            if kind is None:
                continue
            own = own_measures(kit, made)
            marks = ""
            for name, fonts in (("all", _ALL), ("general", (GENERAL,)), ("elsewhere", ELSEWHERE)):
                if name != "all" and len(recorded(kind, fonts)) < _LEAST:
                    continue
                low, _, high = usual_of(kind, fonts)
                inside = (own >= low) & (own <= high)
                inside_of[name] += inside.astype(int).tolist()
                if name == "all":
                    marks = "".join("." if one else "x" for one in inside)
            print(f"  {made.id:18}{marks:8}{_said(own)}")
            low, _, high = usual_of(kind, _ALL)
            print(f"  {'':18}{'from':8}{_said(low)}")
            print(f"  {'':18}{'to':8}{_said(high)}")
    for name, found in inside_of.items():
        if found:
            print(f"  inside, {name}: {sum(found)} of {len(found)} ({sum(found) / len(found):.2f})")
