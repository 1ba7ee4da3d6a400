"""A kit out of a recording: how much of other drums is in the strokes that are taken, on rendered kits
whose truth is known, beside all strokes cut out alike.
"""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray

from benchmarks.microphones import Scene, record
from benchmarks.sounds import RATE_HZ, Kit
from benchmarks.styles import STYLES, perform
from nubrak.core.decide import FindSettings
from nubrak.core.flow import PartInput, decide_all
from nubrak.core.pieces import PIECES
from nubrak.core.samples import Cutout, cut_out, cutout, take_strokes
from nubrak.core.shape import ShapeSettings, shape
from nubrak.core.spill import find_together

_LENGTH_S = 60.0
_USUAL_S = 0.5  # of a stroke that is cut out without looking
_FEWEST = 8  # strokes among which there is something to choose


def _spill_db(audio: NDArray[np.float32], own: NDArray[np.float32], where: Cutout) -> tuple[float, float]:
    """The energy of everything that is not the drum itself in a stroke that was cut out: in dB, and
    against the drum's own.
    """
    rest, drum = (
        float((cut_out(one[:, None], where).astype(np.float64) ** 2).sum()) + 1e-12
        for one in (audio - own, own)
    )
    return 10 * np.log10(rest), 10 * np.log10(rest / drum)


def _scored(job: tuple[str, Kit]) -> list[tuple[str, float, float, int]]:
    """Of each piece: how far the spill in what is taken lies under the median stroke's, in dB, absolutely
    and against the drum, and how many strokes were taken.
    """
    style, kit = job
    recording = record(kit, perform(style, _LENGTH_S, 23), 23, Scene(faults=False))
    found = find_together({name: recording.audio[name] for name in recording.close}, RATE_HZ)
    parts = {
        name: PartInput(name, name, candidates, FindSettings(), [], frozenset([name]))
        for name, candidates in found.items()
    }
    decided = decide_all(parts)
    times = {name: np.sort(one.time_s[one.counts]) for name, one in decided.items()}
    out = []
    for name, own_s in times.items():
        if len(own_s) < _FEWEST:
            continue
        audio, own = recording.audio[name], recording.own[name]
        notes = shape(decided[name], ShapeSettings(), [], PIECES[name])
        others = {other: at for other, at in times.items() if other != name}
        taken = take_strokes(audio, RATE_HZ, own_s, notes.velocity[np.argsort(notes.time_s)], others)
        room_s = np.minimum(np.diff(own_s, append=own_s[-1] + _USUAL_S), _USUAL_S)
        plain = [
            cutout(audio, RATE_HZ, at_s, room)
            for at_s, room in zip(own_s.tolist(), room_s.tolist(), strict=True)
        ]
        chosen, every = (
            np.array([_spill_db(audio, own, where) for where in cuts])
            for cuts in ([where for _, where in taken], plain)
        )
        less, cleaner = np.median(every, axis=0) - np.median(chosen, axis=0)
        out.append((name, float(less), float(cleaner), len(taken)))
    return out


def run(kits: tuple[Kit, ...]) -> None:
    """Print, by piece, how much less of other drums is in what is taken."""
    with ProcessPoolExecutor(2) as pool:
        found = [line for one in pool.map(_scored, [(s, k) for s in STYLES for k in kits]) for line in one]
    print("A kit out of a recording: other drums in what is taken, under the median stroke's (wanted 12 dB)")
    print(f"  {'':14} {'recordings':>10} {'dB less':>8} {'worst':>6} {'against the drum':>17} {'taken':>6}")
    for name in dict.fromkeys(line[0] for line in found):
        of = np.array([line[1:] for line in found if line[0] == name])
        less, cleaner, taken = of.mean(axis=0)
        print(f"  {name:14} {len(of):10} {less:8.1f} {of[:, 0].min():6.1f} {cleaner:17.1f} {taken:6.1f}")
