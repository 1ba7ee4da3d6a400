"""`./nubrak benchmark live`: performances of the accuracy benchmark, behind ten seconds in which each drum is
played softly and hard, streamed through the trigger that plays live, beside what Find says of the same
audio as a whole and beside a plain threshold trigger at its best settings for each microphone.

Every performance is decided by what was taught without the library it is played on. Nothing is chosen on
these figures.
"""

from __future__ import annotations

import json
import struct
import tempfile
import threading
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import httpx
import mir_eval
import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import lfilter, sosfilt
from scipy.stats import spearmanr

from benchmarks import sounds, styles
from benchmarks.accuracy import APART_KIT, KITS, OTHER_KIT
from benchmarks.learn import FOLDS
from benchmarks.learn_live import fold_path, learnt_of
from benchmarks.live_sessions import CALIBRATION_S, RATE_HZ, LiveSession, offline_hits, scored_session
from benchmarks.sounds import Kit
from nubrak.core.decide import State
from nubrak.core.live import Listener, LivePart, unheard
from nubrak.core.live.bands import BANDS, sections

CLOSE_S = 0.010
LOOKS_MS = (0.0, 5.0)
_SEED = 11
_HOLD_OFFS_S = (0.02, 0.04, 0.06, 0.09, 0.13)
_FALLS_S = (0.004, 0.012)  # of the envelope follower
_THRESHOLDS = 24
_BLOCK, _STREAM_RATE_HZ, _STREAM_CHANNELS = 128, 48000, 8
Counts = NDArray[np.int64]  # strokes, answers, right ones


@dataclass
class Outcome:
    """One performance: counts per way of listening and microphone; rank correlation of velocities."""

    counts: dict[tuple[str, str], Counts] = field(default_factory=dict)
    spearman: dict[tuple[str, str], float] = field(default_factory=dict)


def counted(
    one: LiveSession, name: str, found_s: NDArray[np.float64]
) -> tuple[Counts, list[tuple[int, int]]]:
    """Strokes, answers and right ones of a microphone after the calibration. What nobody hears under the rest
    is neither wanted nor false.
    """
    hidden = one.over_rest_db[name][:, 0] < -12.0
    true_s, buried_s = one.truth_s[name][~hidden], one.truth_s[name][hidden]
    true_s, found_s = true_s[true_s > CALIBRATION_S], np.sort(found_s[found_s > CALIBRATION_S])
    pairs = mir_eval.util.match_events(true_s, found_s, CLOSE_S) if len(true_s) and len(found_s) else []
    right = {j for _, j in pairs}
    false = [
        j
        for j in range(len(found_s))
        if j not in right and not (len(buried_s) and np.abs(buried_s - found_s[j]).min() < 0.012)
    ]
    return np.array([len(true_s), len(pairs) + len(false), len(pairs)], np.int64), pairs


def f_of(counts: Counts) -> float:
    """F measure; 1 where there was nothing to find and nothing was found."""
    strokes, answers, right = counts.tolist()
    return 2 * right / (strokes + answers) if strokes + answers else 1.0


def _ranked(
    one: LiveSession, name: str, times_s: NDArray[np.float64], strength: NDArray[np.float64]
) -> float:
    """How well strengths are in the order in which strokes were played."""
    order = np.argsort(times_s)
    times_s, strength = times_s[order], strength[order]
    late = times_s > CALIBRATION_S
    times_s, strength = times_s[late], strength[late]
    rows = np.nonzero(one.truth_s[name] > CALIBRATION_S)[0]
    pairs = mir_eval.util.match_events(one.truth_s[name][rows], times_s, CLOSE_S)
    played = np.array([one.velocity[name][rows[i]] for i, _ in pairs], float)
    heard = np.array([strength[j] for _, j in pairs])
    return float(spearmanr(played, heard)[0]) if len(pairs) >= 8 and np.ptp(played) > 0 else np.nan


def threshold_trigger(
    signal: NDArray[np.float32], true_s: NDArray[np.float64], one: LiveSession, name: str
) -> Counts:
    """A plain trigger, an envelope follower with a threshold and a hold-off, at the settings that suit this
    microphone best.
    """
    best = np.array([len(true_s), 0, 0], np.int64)
    rectified = np.abs(signal).astype(np.float64)
    for fall_s in _FALLS_S:
        keep = np.exp(-1.0 / (fall_s * RATE_HZ))
        envelope = lfilter([1.0 - keep], [1.0, -keep], rectified)
        top = np.percentile(envelope, 99.9)
        for threshold in top * 10 ** (-np.linspace(0, 48, _THRESHOLDS) / 20):
            rises = np.nonzero((envelope[1:] >= threshold) & (envelope[:-1] < threshold))[0] / RATE_HZ
            for hold_s in _HOLD_OFFS_S:
                kept: list[float] = []
                for at in rises.tolist():
                    if not kept or at - kept[-1] >= hold_s:
                        kept.append(at)
                counts, _ = counted(one, name, np.array(kept))
                if f_of(counts) > f_of(best):
                    best = counts
    return best


def outcome(job: tuple[str, Kit]) -> Outcome:
    """One performance by every way of listening."""
    style, kit = job
    one = scored_session(style, kit, _SEED)
    out = Outcome()
    offline = offline_hits(one, f"{style}-{kit.name}-{_SEED}".replace(" ", "-"))
    fold = next(k for k, of in enumerate(FOLDS) if one.libraries & set(of))
    learnt, parts, audio = learnt_of(one)
    begin = round((CALIBRATION_S - 0.3) * RATE_HZ)
    names = list(one.audio)
    for name in names:
        out.counts["offline", name], _ = counted(one, name, offline[name][0])
        if name != "crash":
            out.spearman["offline", name] = _ranked(one, name, *offline[name])
            true_s = one.truth_s[name]
            out.counts["threshold", name] = threshold_trigger(one.audio[name], true_s, one, name)
    for look_ms in LOOKS_MS:
        listener = Listener(parts, learnt, RATE_HZ, look_ms, fold_path(fold))
        strokes = [one for one in listener.hear(audio[begin:]) if one.state is State.HIT]
        settled = listener.settled
        for c, name in enumerate(names):
            own = [one for one in strokes if one.channel == c]
            times_s = np.array([one.time_s for one in own]) + begin / RATE_HZ
            way = f"live {look_ms:g} ms"
            out.counts[way, name], _ = counted(one, name, times_s)
            if name != "crash":
                strength = np.array([one.strength_db for one in own])
                out.spearman[way, name] = _ranked(one, name, times_s, strength)
                kept = [one for one in settled if one.channel == c]
                times_s = np.array([one.time_s for one in kept]) + begin / RATE_HZ
                strength = np.array([one.strength_db for one in kept])
                out.spearman[f"{way}, as kept", name] = _ranked(one, name, times_s, strength)
    return out


def _all(results: list[Outcome], way: str) -> Counts:
    """All close microphones of some performances together."""
    each = [
        counts
        for one in results
        for (of, name), counts in one.counts.items()
        if of == way and name != "crash"
    ]
    return np.asarray(np.sum(each, axis=0), np.int64)


def run() -> None:
    """Print every figure."""
    if not sounds.available() or not sounds.available(OTHER_KIT.font):
        print("the sounds are not installed: ./nubrak benchmark live installs them where it may")
        return
    jobs = [(style, kit) for style in styles.STYLES for kit in (*KITS, APART_KIT, OTHER_KIT)]
    with ProcessPoolExecutor(2) as pool:
        results = list(pool.map(outcome, jobs))
    ways = ("offline", "threshold", *(f"live {look:g} ms" for look in LOOKS_MS))
    print(f"F at ±{1000 * CLOSE_S:.0f} ms, close microphones, {len(jobs)} performances")
    print(f"  {'':22} {'all':>7} {'mean':>7} {'worst':>7} {'Spearman':>9}")
    for way in ways:
        each = [_all([one], way) for one in results]
        ranks = [value for one in results for (of, _), value in one.spearman.items() if of == way]
        rank = f"{np.nanmean(ranks):9.3f}" if ranks else f"{'–':>9}"
        scores = [f_of(one) for one in each]
        print(
            f"  {way:22} {f_of(np.sum(each, axis=0)):7.4f} {np.mean(scores):7.4f} {min(scores):7.4f} {rank}",
            flush=True,
        )
    for look in LOOKS_MS:
        way = f"live {look:g} ms, as kept"
        kept = [value for one in results for (of, _), value in one.spearman.items() if of == way]
        print(
            f"  {way:22} {'':>7} {'':>7} {'':>7} {np.nanmean(kept):9.3f}  (velocities, told again from 23 ms)"
        )
    print("  by microphone: " + ", ".join(sorted({name for one in results for _, name in one.counts})))
    for way in ways:
        by_name = {}
        for name in ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "ride", "crash"):
            of_name = [one.counts[way, name] for one in results if (way, name) in one.counts]
            if of_name:
                by_name[name] = f_of(np.sum(of_name, axis=0))
        print(f"  {way:22} " + ", ".join(f"{name} {value:.3f}" for name, value in by_name.items()))
    for look, most in zip(LOOKS_MS, (0.04, 0.02), strict=True):
        under = f_of(_all(results, "offline")) - f_of(_all(results, f"live {look:g} ms"))
        print(f"  live {look:g} ms: F {under:.4f} under offline (wanted: at most {most})")
    blocks()
    socket_to_note()


def _stream(seconds: float) -> NDArray[np.float32]:
    """Eight microphones at 48 kHz, (frames, 8): a performance, taken as if it were at that rate."""
    one = scored_session(next(iter(styles.STYLES)), KITS[0], _SEED)
    audio = np.stack([*one.audio.values()], axis=1)
    audio = np.concatenate([audio, audio[:, :1]], axis=1)[:, :_STREAM_CHANNELS]
    begin = round(CALIBRATION_S * RATE_HZ)
    return np.ascontiguousarray(audio[begin : begin + round(seconds * _STREAM_RATE_HZ)])


def blocks() -> None:
    """How long a block takes in the core, beside scipy's filters alone on the same block."""
    audio = _stream(30.0)
    pieces = ("kick", "snare", "hi-hat", "rack-tom", "floor-tom", "ride", "crash", "kick")
    for look_ms in LOOKS_MS:
        listener = Listener(
            [LivePart(name) for name in pieces[: audio.shape[1]]],
            unheard(audio.shape[1]),
            _STREAM_RATE_HZ,
            look_ms,
        )
        listener.hear(audio[: 50 * _BLOCK])
        took = []
        for at in range(50 * _BLOCK, len(audio) - _BLOCK, _BLOCK):
            begun = time.perf_counter()
            listener.hear(audio[at : at + _BLOCK])
            took.append(1000 * (time.perf_counter() - begun))
        middle, most, worst = np.percentile(took, [50, 95, 100])
        print(
            f"One block of {_BLOCK} frames, {audio.shape[1]} channels, 48 kHz, look-ahead {look_ms:g} ms: "
            f"median {middle:.3f} ms, 95 % within {most:.3f} ms (wanted: under 1), at most {worst:.2f} ms"
        )
    taken = []
    filters = [
        np.stack([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in one])
        for one in sections(_STREAM_RATE_HZ)
    ]
    state = [np.zeros((len(sos), 2, audio.shape[1])) for sos in filters]
    for at in range(0, 500 * _BLOCK, _BLOCK):
        begun = time.perf_counter()
        for band in range(BANDS):
            _, state[band] = sosfilt(filters[band], audio[at : at + _BLOCK], axis=0, zi=state[band])
        taken.append(1000 * (time.perf_counter() - begun))
    print(f"  (scipy's sosfilt alone on the same {BANDS} bands: median {np.median(taken):.3f} ms)")


def socket_to_note() -> None:
    """From the moment a block is handed to the socket until the note that it completes is back, on loopback,
    with eight microphones streamed in their own time.
    """
    from websockets.sync.client import connect

    from tests.browser.conftest import Product

    audio = _stream(22.0)
    with tempfile.TemporaryDirectory() as folder:
        product = Product(Path(folder) / "data")
        product.start()
        try:
            base = product.address
            session = httpx.post(f"{base}/api/sessions", json={"name": "Live"}).json()["id"]
            for c in range(audio.shape[1]):
                path = Path(folder) / f"{c}.wav"
                soundfile.write(path, audio[: 2 * _STREAM_RATE_HZ, c], _STREAM_RATE_HZ)
                httpx.post(
                    f"{base}/api/sessions/{session}/sources",
                    params={"name": f"snare {c}.wav"},
                    content=path.read_bytes(),
                    timeout=60,
                )
            parts = list(httpx.get(f"{base}/api/sessions/{session}").json()["document"]["parts"])
            while any(
                one["progress"] < 1
                for one in httpx.get(f"{base}/api/sessions/{session}/overview", timeout=60).json()["parts"]
            ):
                time.sleep(0.5)
            channels = len(parts)
            asked = {"origin": "microphone", "part_ids": parts, "rate_hz": _STREAM_RATE_HZ}
            sent: list[float] = []
            spent: list[float] = []
            with connect(f"ws://127.0.0.1:{product.port}/api/sessions/{session}/live") as socket:
                socket.send(json.dumps(asked))
                socket.recv()
                rising: list[float] = []

                def take() -> None:
                    for text in socket:
                        came, said = time.perf_counter(), json.loads(text)
                        for stroke in said.get("strokes", []):
                            if stroke["state"] == 1 and said["heard_s"] > 2.0:
                                block = round(said["heard_s"] * _STREAM_RATE_HZ / _BLOCK) - 1
                                spent.append(1000 * (came - sent[block]))
                                rising.append(1000 * (said["heard_s"] - stroke["time_s"]))
                        if said.get("ended"):
                            return

                taker = threading.Thread(target=take, daemon=True)
                taker.start()
                begun = time.perf_counter()
                for at in range(0, len(audio) - _BLOCK, _BLOCK):
                    due = begun + (at + _BLOCK) / _STREAM_RATE_HZ
                    if (ahead := due - time.perf_counter()) > 0:
                        time.sleep(ahead)
                    sent.append(time.perf_counter())
                    socket.send(
                        struct.pack("<dQ", 0.0, at)
                        + np.ascontiguousarray(audio[at : at + _BLOCK, :channels], "<f4").tobytes()
                    )
                socket.send(json.dumps({"stop": True}))
                taker.join(30)
        finally:
            product.interrupt()
    print(
        f"From socket to note, {channels} channels of 48 kHz in their own time, {len(spent)} notes: median "
        f"{np.median(spent):.2f} ms, 95 % within {np.percentile(spent, 95):.2f} ms (wanted: median under 12)"
    )
    print(
        f"  (and from stroke to the end of the block that completes it: median {np.median(rising):.1f} ms, "
        f"95 % within {np.percentile(rising, 95):.1f} ms)"
    )
