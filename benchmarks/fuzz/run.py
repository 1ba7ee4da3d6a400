"""Trying the readers: each input in a process that may fall, with an end to its time and its memory.

A fault is anything but an answer or a sentence: another exception, an end of the process, more than 5 s, more
than 1 GB. What an input made a reader say that none did before is kept and changed further, so that inputs
go ever deeper. Faults are written to the cache, to become tests.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import re
import resource
import signal
import tempfile
import time
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from benchmarks.fuzz.readers import Reader, readers
from benchmarks.keep import CACHE
from nubrak.core.problem import Problem

FAULTS, COUNTS = CACHE / "faults", CACHE / "fuzz-counts.json"
_MOST_S, _MOST_BYTES = 5, 1 << 30
_MOST_KEPT = 400  # inputs that said something new


@dataclass
class Tried:
    """What one reader was given, and how it went."""

    inputs: int = 0
    read: int = 0  # taken as what they say they are
    said: set[str] = field(default_factory=set)
    faults: list[str] = field(default_factory=list)


def tried(name: str, seconds: float, seed: int, most: int | None = None) -> Tried:
    """One reader for so long, or so many inputs; the same ones for the same seed."""
    out, until_s = Tried(), time.monotonic() + seconds
    number = seed * 1_000_000_000
    begin = number
    while time.monotonic() < until_s and (most is None or number - begin < most):
        left = None if most is None else most - (number - begin)
        ours, theirs = multiprocessing.Pipe()
        with tempfile.TemporaryDirectory() as folder:
            child = multiprocessing.Process(
                target=_child, args=(name, number, until_s, left, Path(folder), theirs), daemon=True
            )
            child.start()
            theirs.close()
            number = _follow(name, ours, child, Path(folder), number, out)
    return out


def _follow(
    name: str, told: Connection, child: multiprocessing.Process, folder: Path, number: int, out: Tried
) -> int:
    """Take in what a child tells until it ends; the number of the next input."""
    while True:
        try:
            number, read, said, fault, data = told.recv()
        except EOFError:
            child.join()
            if child.exitcode != 0:
                out.inputs += 1
                now = folder / "now"
                last = now.read_bytes() if now.exists() else b""
                _note(out, name, number, f"the process ended ({child.exitcode})", last)
                number += 1
            return number
        out.inputs += 1
        out.read += read
        out.said.add(said)
        if fault:
            _note(out, name, number, fault, data)
        number += 1


def _note(out: Tried, name: str, number: int, fault: str, data: bytes) -> None:
    FAULTS.mkdir(parents=True, exist_ok=True)
    kept = FAULTS / f"{name.replace(' ', '-')}-{number}"
    kept.write_bytes(data)
    out.faults.append(f"{name} {number}: {fault} (kept as {kept.name})")


def _child(name: str, number: int, until_s: float, most: int | None, folder: Path, told: Connection) -> None:
    def too_long(*_: object) -> None:
        raise TimeoutError(f"more than {_MOST_S} s")

    signal.signal(signal.SIGALRM, too_long)
    # What decoders have to say of every single input is of no use.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    # Over what it holds already, which is mapped and not used.
    held = int(re.search(r"VmSize:\s+(\d+)", Path("/proc/self/status").read_text())[1]) * 1024  # type: ignore[index]
    resource.setrlimit(resource.RLIMIT_AS, (held + _MOST_BYTES, held + _MOST_BYTES))
    reader = readers()[name]
    corpus, seen = list(reader.whole), set[str]()
    done = 0
    while time.monotonic() < until_s and (most is None or done < most):
        rng = np.random.default_rng(number + done)
        data = reader.mutate(_one_of(corpus, reader, rng), rng)
        (folder / "now").write_bytes(data)
        signal.alarm(_MOST_S)
        read, said, fault = _one(reader, data, folder / "scratch")
        signal.alarm(0)
        if said not in seen and len(corpus) < _MOST_KEPT:
            seen.add(said)
            corpus.append(data)
        told.send((number + done, read, said, fault, data if fault else b""))
        done += 1


def _one_of(corpus: list[bytes], reader: Reader, rng: np.random.Generator) -> bytes:
    whole = reader.whole[int(rng.integers(len(reader.whole)))]
    if rng.random() < 0.7:
        return whole
    other = corpus[int(rng.integers(len(corpus)))]
    try:
        reader.mutate(other, np.random.default_rng(0))
    except Exception:
        return whole  # one that cannot be taken apart any more
    return other


def _one(reader: Reader, data: bytes, scratch: Path) -> tuple[bool, str, str]:
    """Whether an input was read, what was said of it without its own words and numbers, and the fault."""
    try:
        reader.read(data, scratch)
    except Problem as problem:
        return False, re.sub(r"“[^”]*”|\d+(\.\d+)?", "…", problem.what)[:120], ""
    except ValidationError as error:
        return False, str(error.errors(include_url=False, include_input=False)[0]["type"]), ""
    except BaseException as error:
        return False, type(error).__name__, f"{type(error).__name__}: {str(error)[:200]}"
    return True, "", ""


def run(seconds: float = 120.0) -> list[str]:
    """Every reader for its share of the time, printed with what was tried over time; the faults."""
    counts: dict[str, int] = json.loads(COUNTS.read_text()) if COUNTS.exists() else {}
    names = list(readers())
    faults = []
    print(f"Odd inputs, {seconds:.0f} s; read: those that were taken as what they say they are")
    for name in names:
        seed = int(time.time()) % 1_000_000
        one = tried(name, seconds / len(names), seed)
        counts[name] = counts.get(name, 0) + one.inputs
        faults += one.faults
        print(
            f"  {name:14} {one.inputs:8} inputs   read {one.read / max(one.inputs, 1):5.0%}   "
            f"sentences {len(one.said):4}   faults {len(one.faults):3}   over time {counts[name]:9}",
            flush=True,
        )
        COUNTS.write_text(json.dumps(counts))
    for fault in faults[:20]:
        print(f"    {fault}")
    return faults
