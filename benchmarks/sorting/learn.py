"""Teaching the network that sorts: `python -m benchmarks.sorting.learn [--without LIBRARY] [--epochs N]`.

Needs torch (a tool of this benchmark only). The seed is fixed; with the same torch on the same machine the
same network comes out.
"""

from __future__ import annotations

import argparse
import time
from dataclasses import dataclass
from itertools import chain
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from benchmarks.sorting.folds import FOLDS, kept
from benchmarks.sorting.heard import (
    OF_ALL_BY_MICROPHONE,
    OF_ALL_FEW,
    SCORED_LOOPS,
    Heard,
    make_all,
    scored,
    taught,
    taught_by_microphone,
    taught_few,
)
from benchmarks.sorting.made_loops import ALL_LIBRARIES
from benchmarks.sorting.network import Network
from benchmarks.sorting.score import CLASSES, coarse_counts, f_of
from nubrak.core.sort.network import more_of
from nubrak.core.sort.sounds import SOUNDS

_MOST = 160  # moments of a loop at a time
_BATCH, _ALIKE = 8, 12  # loops of a batch, and batches among which loops of like length are gathered
_SCALE_DB = 20.0


@dataclass(frozen=True)
class _Voice:
    """Strokes of one sound that stand alone in a loop, as power above what rang before; ``level_db`` against
    the loudest of their loop.
    """

    sound: int
    libraries: frozenset[str]
    long: NDArray[np.float32]
    short: NDArray[np.float32]
    low: NDArray[np.float32]
    level_db: NDArray[np.float32]


def _power(db: NDArray[np.floating]) -> NDArray[np.float32]:
    return (10.0 ** (db.astype(np.float32) / 10.0)).astype(np.float32)


def _level(one: Heard) -> NDArray[np.float32]:
    """Levels of what is struck against the loudest of the loop, (n, sounds); NaN for nothing."""
    return one.level_db - np.nanmax(one.level_db) if not np.all(np.isnan(one.level_db)) else one.level_db


def voices_alone(table: list[Heard]) -> dict[int, list[_Voice]]:
    """What stands alone in loops, by sound: to be put into others."""
    out: dict[int, list[_Voice]] = {}
    for one in table:
        struck, level = ~np.isnan(one.level_db), _level(one)
        alone = (struck.sum(axis=1) == 1) & (np.diff(one.time_s, prepend=-1.0) > 0.1)
        for sound in np.nonzero(struck[alone].any(axis=0))[0].tolist():
            rows = np.nonzero(alone & struck[:, sound])[0][:12]
            if len(rows) < 2:
                continue
            long, short, low = (_power(x[rows]) for x in (one.long, one.short, one.low))
            voice = _Voice(
                sound,
                one.libraries,
                np.maximum(long - long[:, :1], 0.0).astype(np.float16),
                np.maximum(short - short[:, :1], 0.0).astype(np.float16),
                np.maximum(low - long[:, :1].mean(axis=2, keepdims=True) * 0.05, 0.0).astype(np.float16),
                level[rows, sound],
            )
            out.setdefault(sound, []).append(voice)
    return out


def _with_others(
    one: Heard, rows: slice, bank: dict[int, list[_Voice]], rng: np.random.Generator
) -> tuple[NDArray[np.float32], ...]:
    """Long, short, low and levels of a stretch with one or two voices of other loops put into it."""
    long, short, low = (x[rows].astype(np.float32) for x in (one.long, one.short, one.low))
    level, count = _level(one)[rows].copy(), len(long)
    for _ in range(int(rng.choice([0, 1, 1, 2]))):
        sound = int(rng.choice(list(bank)))
        voice = bank[sound][int(rng.integers(len(bank[sound])))]
        piece = SOUNDS[sound].partition("/")[0]
        if any(
            SOUNDS[k].partition("/")[0] == piece for k in np.nonzero(~np.isnan(one.level_db).all(axis=0))[0]
        ):
            continue
        places = np.nonzero(rng.random(count) < rng.uniform(0.08, 0.6))[0]
        struck = ~np.isnan(level)
        some = rng.random(count) < 0.5
        # Also where nothing but this is struck: there it stands among what rings.
        places = places[struck[places].any(axis=1) | some[places]]
        pick = rng.integers(len(voice.long), size=len(places))
        gain = rng.normal(0, 4.0) + rng.normal(0, 1.5, len(places))
        scale = _power(gain)[:, None, None]
        for x, y in ((long, voice.long), (short, voice.short), (low, voice.low)):
            x[places] = 10.0 * np.log10(_power(x[places]) + scale * y[pick].astype(np.float32) + 1e-9)
        level[places, sound] = voice.level_db[pick] + gain
    return long, short, low, level


def _augmented(
    one: Heard, bank: dict[int, list[_Voice]], rng: np.random.Generator
) -> tuple[NDArray[np.float32], ...]:
    """A stretch of a loop with other drums put in, heard through another equaliser, a little higher or
    lower, more or less loud.
    """
    begin = int(rng.integers(max(len(one.time_s) - _MOST, 0) + 1))
    rows = slice(begin, begin + _MOST)
    long, short, low, level = _with_others(one, rows, bank, rng)
    knots = rng.normal(0, 4.0, 9)

    def curve(count: int) -> NDArray[np.float64]:
        return np.interp(np.linspace(0, 8, count), np.arange(9), knots)[None, None]

    gain = rng.normal(0, 3.0)
    long, short = (
        long + curve(long.shape[2]) + gain,
        short + curve(long.shape[2])[:, :, -short.shape[2] :] + gain,
    )
    low = low + gain + rng.normal(0, 3.0)
    if rng.random() < 0.5:
        # All drums fade a little sooner or later, as in another room.
        fade = rng.normal(0, 0.8)
        long[:, 2:] += fade * np.arange(long.shape[1] - 2, dtype=np.float32)[None, :, None]
    if rng.random() < 0.2:
        cut = int(rng.integers(44, 56))
        long[:, :, cut:] -= 12.0 * np.arange(1, 57 - cut)
        short[:, :, max(cut - 28, 16) :] -= 12.0 * np.arange(1, 29 - max(cut - 28, 16))
    if rng.random() < 0.3:
        floor = rng.uniform(-75, -45)
        long, short, low = np.maximum(long, floor), np.maximum(short, floor - 3), np.maximum(low, floor)
    by = int(rng.integers(-2, 3))
    if by:
        long = np.roll(long, by, axis=2)
        long[:, :, (slice(None, by) if by > 0 else slice(by, None))] = long[:, :, [by if by > 0 else by - 1]]
        short = np.roll(short, np.sign(by), axis=2)
    more = more_of(one.time_s[rows], one.rise_db[rows])
    told = one.buried[rows] & ~np.isnan(one.level_db[rows])
    return long.clip(-80, 20), short.clip(-80, 20), low.clip(-80, 20), more, level, told


def _plain(one: Heard) -> tuple[NDArray[np.float32], ...]:
    return (
        *(x.astype(np.float32) for x in (one.long, one.short, one.low)),
        more_of(one.time_s, one.rise_db),
        _level(one),
        one.buried,
    )


def _batch(rows: list[tuple[NDArray[np.float32], ...]]) -> tuple[torch.Tensor, ...]:
    most = max(len(row[0]) for row in rows)
    columns = []
    for k in range(6):
        out = np.full((len(rows), most, *rows[0][k].shape[1:]), np.nan if k == 4 else 0.0, np.float32)
        for at, row in enumerate(rows):
            out[at, : len(row[k])] = (row[k] + 40.0) / _SCALE_DB if k < 3 else row[k]
        columns.append(torch.from_numpy(out))
    there = torch.zeros(len(rows), most, dtype=torch.bool)
    for at, row in enumerate(rows):
        there[at, : len(row[0])] = True
    return (*columns, there)


def _loss(network: Network, batch: tuple[torch.Tensor, ...]) -> torch.Tensor:
    long, short, low, more, level, buried, there = batch
    odds, struck = network(long, short, low, more, there), ~torch.isnan(level)
    wrong = nn.functional.binary_cross_entropy_with_logits(odds, struck.float(), reduction="none")
    return (wrong * (1.0 - buried))[there].sum(-1).mean()


def predicted(network: Network, one: Heard) -> NDArray[np.float32]:
    """The probability of each sound at each candidate, (n, sounds)."""
    if not len(one.time_s):
        return np.zeros((0, len(SOUNDS)), np.float32)
    with torch.no_grad():
        long, short, low, more, _, _, there = _batch([_plain(one)])
        return torch.sigmoid(network(long, short, low, more, there))[0].numpy()


def report(network: Network, libraries: tuple[str, ...]) -> None:
    network.eval()
    for library in libraries:
        counts = np.sum(
            [
                coarse_counts(one, predicted(network, one))
                for one in (scored(library, n) for n in range(SCORED_LOOPS))
            ],
            axis=0,
        )
        each = " ".join(f"{name} {f:.3f}" for name, f in zip(CLASSES, f_of(counts), strict=True))
        print(f"  {library:18} F {f_of(counts.sum(axis=0)):.3f}  {each}", flush=True)


def teach(
    without: tuple[str, ...],
    loops: int,
    epochs: int,
    out: Path | None,
    threads: int = 2,
    begun: Path | None = None,
    rate: float = 2e-3,
    of_all_few: int = OF_ALL_FEW,
) -> Network:
    """A network taught on all loops without some libraries; to ``of_all_few`` of them comes one of few
    pieces.
    """
    torch.manual_seed(1)
    torch.set_num_threads(threads)
    rng = np.random.default_rng(1)
    table = [
        one
        for one in chain(
            map(taught, range(loops)),
            map(taught_by_microphone, range(loops // OF_ALL_BY_MICROPHONE)),
            map(taught_few, range(loops // of_all_few)),
        )
        if not one.libraries & set(without) and len(one.time_s) > 3
    ]
    bank = voices_alone(table)
    network = Network()
    if begun is not None:
        with np.load(begun) as kept_before:
            state = {
                name: torch.from_numpy(kept_before[name].astype(np.float32)) for name in network.state_dict()
            }
        network.load_state_dict(state)
    lengths = np.array([min(len(one.time_s), _MOST) for one in table])
    steps = epochs * (len(table) // _BATCH)
    optimizer = torch.optim.AdamW(network.parameters(), lr=rate, weight_decay=0.03, fused=True)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimizer, rate, total_steps=steps + 1, pct_start=0.15)
    began = time.time()
    for epoch in range(epochs):
        network.train()
        losses: list[float] = []
        for number, rows in enumerate(_batches(lengths, rng)):
            batch = _batch([_augmented(table[k], bank, rng) for k in rows])
            optimizer.zero_grad()
            loss = _loss(network, batch)
            loss.backward()
            nn.utils.clip_grad_norm_(network.parameters(), 1.0)
            optimizer.step()
            schedule.step()
            if number % 100 == 0:
                _without_denormals(optimizer)
            losses.append(loss.item())
        print(f"epoch {epoch} loss {np.mean(losses):.4f} {time.time() - began:.0f} s", flush=True)
        if without and epoch % 8 == 7:
            report(network, without)
    if out is not None:
        keep_weights(network, out)
    return network


def _batches(lengths: NDArray[np.int64], rng: np.random.Generator) -> list[NDArray[np.int64]]:
    """All loops in batches of like length, so that few are filled up, in any order."""
    order = rng.permutation(len(lengths))
    out = []
    for at in range(0, len(order), _ALIKE * _BATCH):
        some = order[at : at + _ALIKE * _BATCH]
        some = some[np.argsort(lengths[some], kind="stable")]
        out += [some[k : k + _BATCH] for k in range(0, len(some) - _BATCH + 1, _BATCH)]
    return [out[k] for k in rng.permutation(len(out))]


def _without_denormals(optimizer: torch.optim.Optimizer) -> None:
    """Averages of gradients that died away are set to nothing: numbers that small cost many times as long."""
    for state in optimizer.state.values():
        for name in ("exp_avg", "exp_avg_sq"):
            state[name][state[name].abs() < 1e-25] = 0.0


def keep_weights(network: Network, out: Path) -> None:
    """What was taught as the arrays that the core reads, in half precision."""
    table = {name: one.detach().numpy().astype(np.float16) for name, one in network.state_dict().items()}
    np.savez_compressed(out, sounds=np.array(SOUNDS), **table)


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--without", nargs="*", default=[])
    parser.add_argument("--loops", type=int, default=5600)
    parser.add_argument("--epochs", type=int, default=30)
    parser.add_argument("--threads", type=int, default=2)
    parser.add_argument("--out", type=Path)
    parser.add_argument("--begun", type=Path, help="a network to go on from")
    parser.add_argument("--rate", type=float, default=2e-3, help="the greatest learning rate")
    parser.add_argument("--few", type=int, default=OF_ALL_FEW, help="loops to one of few pieces")
    parser.add_argument(
        "--folds", action="store_true", help="teach a network for every fold of the benchmark"
    )
    parser.add_argument("--make", action="store_true", help="only make what there is to learn from")
    given = parser.parse_args()
    if given.folds:
        for number, left_out in enumerate(FOLDS):
            if not kept(number).exists():
                print(f"without {', '.join(left_out)}", flush=True)
                teach(left_out, given.loops, given.epochs, kept(number), given.threads)
        raise SystemExit
    if given.make:
        make_all(given.loops)
        raise SystemExit
    without = tuple(given.without)
    network = teach(
        without, given.loops, given.epochs, given.out, given.threads, given.begun, given.rate, given.few
    )
    report(network, without or ALL_LIBRARIES)
