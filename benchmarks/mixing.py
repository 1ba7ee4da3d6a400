"""`./nubrak benchmark mixing`: how fast a mix is heard and printed, beside general-purpose filters doing the
same work in one go.

A window of five seconds of sixteen parts with four stages each, two buses and a room, cold and with one stage
switched; and a session of four minutes and eight parts with chains, printed to files. Beside them the same
chains by `scipy.signal.sosfilt` and a compressor of array operations, over exactly those five seconds,
without a word about windows that join.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter, sosfilt

from nubrak.core.mix import Blocks, Mix, PartsBus, Room, Stage, render
from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import CutsStage, EqBand, EqualiserStage, sections_of
from nubrak.core.prints import Print, PrintSettings, print_all
from nubrak.core.session import Clip, Document, Part, Source
from nubrak.core.shape import Notes

RATE_HZ = 44100
_LENGTH_S = 240.0
_PIECES = ("kick", "snare", "hi-hat", "rack-tom", "mid-tom", "floor-tom", "crash", "ride")
_CUTS = CutsStage(low_cut_hz=40, high_cut_hz=16000)
_EQUALISER = EqualiserStage(
    bands=[EqBand(at_hz=90, by_db=3), EqBand(at_hz=450, by_db=-4), EqBand(at_hz=4000, by_db=3)]
)
_DYNAMICS = DynamicsStage(threshold_db=-24, ratio=4, attack_ms=20, release_ms=90, make_up_db=3)
_FOUR: list[Stage] = [_CUTS, _EQUALISER, _DYNAMICS, AttackBodyStage(attack_db=3, body_db=-3)]
_DRIVEN: list[Stage] = [_CUTS, _EQUALISER, _DYNAMICS, DriveStage(drive_db=6)]


def session(count: int, chain: list[Stage]) -> Mix:
    """So many parts of noise with strokes, two buses and a room."""
    rng = np.random.default_rng(5)
    document = Document(name="mix", rate_hz=RATE_HZ)
    frames = round(_LENGTH_S * RATE_HZ)
    audio, notes, hits = {}, {}, {}
    none = Notes(np.zeros(0), np.zeros(0, np.int64), 36, 10, 0.5)
    for k in range(count):
        key = f"p{k}"
        struck = np.arange(5000 + 700 * k, frames, round(0.4 * RATE_HZ))
        since = (np.arange(frames) - 5000 - 700 * k) % round(0.4 * RATE_HZ)
        sound = 0.3 * rng.standard_normal(frames) * np.exp(-since / (0.05 * RATE_HZ))
        audio[key] = sound.astype(np.float32)[:, None]
        document.sources[key] = Source(
            name=key, place=k, clips=[Clip(audio=key, length_s=_LENGTH_S, channels=1, rate_hz=RATE_HZ)]
        )
        document.parts[key] = Part(piece=_PIECES[k % len(_PIECES)], place=k, sources=[key], chain=chain)
        document.parts[key].blend.recording_pan = (k - count / 2) / count
        notes[key], hits[key] = none, struck
    everything = dict.fromkeys(document.parts, 0.0)
    glue = DynamicsStage(threshold_db=-20, ratio=2, attack_ms=30, release_ms=120)
    document.buses["drums"] = PartsBus(name="Drums", kind="group", place=0, parts=everything, chain=[glue])
    document.buses["beside"] = PartsBus(
        name="Beside", kind="parallel", place=1, parts=dict.fromkeys(["p0", "p1"], -6.0), chain=[_DYNAMICS]
    )
    document.buses["room"] = PartsBus(
        name="Room", kind="room", place=2, parts=dict.fromkeys(everything, -18.0), room=Room(size="chamber")
    )
    return Mix(
        document, notes, audio.__getitem__, lambda *_: (np.zeros((1, 1), np.float32), 0), hits, key="k"
    )


def _timed(go: Callable[[], object], times: int = 3) -> float:
    best = np.inf
    for _ in range(times):
        begin = time.perf_counter()
        go()
        best = min(best, time.perf_counter() - begin)
    return float(best)


def _plainly(sound: NDArray[np.float32]) -> NDArray[np.float64]:
    """The same kinds of stages by what general-purpose libraries have, over one stretch."""
    out = sosfilt(
        np.concatenate([sections_of(_CUTS, RATE_HZ), sections_of(_EQUALISER, RATE_HZ)]), sound, axis=0
    )
    level = 20 * np.log10(np.maximum(np.abs(out).max(axis=1), 1e-6))
    over = np.maximum(level + 24, 0) * 0.75
    keep = np.exp(-1 / (0.09 * RATE_HZ))
    down = lfilter([1 - keep], [1, -keep], over)
    out = out * 10 ** ((3 - down) / 20)[:, None]
    return np.asarray(np.tanh(2 * out) / 2)


def _heard(name: str, chain: list[Stage]) -> None:
    mix = session(16, chain)
    parts, start, frames = list(mix.document.parts), 60 * RATE_HZ + 12345, 5 * RATE_HZ

    def cold(of: Mix = mix) -> None:
        render(replace(of, blocks=Blocks()), "both", parts, start, frames, bussed=True)

    cold()
    whole = _timed(cold)
    kept = replace(mix, blocks=Blocks())
    render(kept, "both", parts, start, frames, bussed=True)
    took = []
    for share in (40.0, 41.0, 42.0, 43.0, 44.0):
        document = mix.document.model_copy(deep=True)
        document.parts["p3"].chain = [
            *chain[:2], _DYNAMICS.model_copy(update={"blend_percent": share}), *chain[3:]
        ]  # fmt: skip
        other = replace(kept, document=document)

        def switched(of: Mix = other) -> None:
            render(of, "both", parts, start, round(0.35 * RATE_HZ), bussed=True)

        took.append(_timed(switched, 1))
    sounds = [np.repeat(mix.clip_audio(one)[start : start + frames], 2, axis=1) for one in parts]
    plain = _timed(lambda: [_plainly(one) for one in sounds])
    print(f"  {name}")
    print(f"    5 s of 16 parts, 4 stages each, two buses, a room, cold: {1000 * whole:5.0f} ms (150)")
    switched_ms = 1000 * float(np.median(took))
    print(f"    one stage of one part switched, 0.35 s of all heard:     {switched_ms:5.0f} ms (150)")
    print(f"    array operations over the 16 parts alone:                {1000 * plain:5.0f} ms")


def _printed() -> None:
    mix = session(8, _DRIVEN)
    parts, frames = list(mix.document.parts), round(_LENGTH_S * RATE_HZ)
    with tempfile.TemporaryDirectory() as folder:

        def window(start: int, count: int) -> NDArray[np.float32]:
            return render(mix, "both", parts, start, count, bussed=True)

        def stem(key: str) -> Callable[[int, int], NDArray[np.float32]]:
            return lambda start, count: render(mix, "both", [key], start, count)

        prints = [Print(Path(folder) / f"{key}.wav", stem(key), key) for key in parts]
        prints.append(Print(Path(folder) / "all.wav", window, "all"))
        alone = _timed(lambda: list(print_all(prints[-1:], frames, RATE_HZ, PrintSettings(), None)), 1)
        together = _timed(lambda: list(print_all(prints, frames, RATE_HZ, PrintSettings(), None)), 1)
    status = Path("/proc/self/status").read_text()
    most = int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) / 1e6
    audio = 8 * frames * 4 / 1e9
    print("  a session of 4 minutes and 8 parts, four stages each with drive")
    print(f"    the sum printed {alone:5.1f} s (20), its eight stems and the sum {together:5.1f} s")
    print(f"    {most:.2f} GB at most (1), {audio:.2f} of it the recordings held here in memory")


def run() -> None:
    """Print how long both take."""
    print("Mixes heard and printed (reach in brackets)")
    _heard("cuts, equaliser, dynamics, attack and body", _FOUR)
    _heard("cuts, equaliser, dynamics, drive", _DRIVEN)
    # In a process of its own, so that nothing else counts as its memory.
    one = get_context("spawn").Process(target=_printed)
    one.start()
    one.join()
