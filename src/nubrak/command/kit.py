"""`./nubrak kit`: a playable kit out of a recording of one, without the database."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from nubrak.command.kit_files import Kit, found_in, gather_files, read_whole
from nubrak.core.decide import Decisions
from nubrak.core.flow import decide_all
from nubrak.core.pieces import PIECES, file_name, hears_the_kit
from nubrak.core.prints import CLOSE, Taken, print_kit, write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import FEWEST, said_of, take_strokes
from nubrak.core.shape import ShapeSettings, shape

MICROPHONES = ("close", "all")
Audio = NDArray[np.float32]


def run_kit(
    files: list[Path], pieces: list[str], out: Path, name: str, source_is: str, microphones: str
) -> int:
    """Write samples, SFZ and ``kit.json``. 0 is success, 1 a file that failed, 2 wrong words."""
    if microphones not in MICROPHONES:
        print(f"nubrak kit: microphones are one of {', '.join(MICROPHONES)}.", file=sys.stderr)
        return 2
    missing = next((path for path in files if not path.is_file()), None)
    if missing or (pieces and len(pieces) != len(files)) or any(one not in PIECES for one in pieces):
        said = f"there is no file {missing}." if missing else "give one --piece for each file, or none."
        print(f"nubrak kit: {said}", file=sys.stderr)
        return 2
    kit = gather_files(files, dict(zip(files, pieces, strict=True)) if pieces else {}, source_is)
    for said in kit.failed:
        print(f"nubrak kit: {said} It was left out.", file=sys.stderr)
    try:
        _write(kit, out, name, microphones == "all")
    except Problem as problem:
        print(f"nubrak kit: {problem.what} {problem.todo}".rstrip(), file=sys.stderr)
        return 1
    except OSError as error:
        print(f"nubrak kit: cannot write to {out}: {error.strerror}.", file=sys.stderr)
        return 1
    return 1 if kit.failed else 0


def _write(kit: Kit, out: Path, name: str, every_microphone: bool) -> None:
    inputs = found_in(kit)
    decided = decide_all(inputs)
    rate_hz = _rate_hz(kit)
    sound = {key: _placed(kit, key, rate_hz) for key in kit.document.sources}
    far: dict[str, Audio] = {}
    for key, source in kit.document.sources.items():
        place = hears_the_kit(source.name)
        if every_microphone and place is not None:
            # A second pair of the same kind stands beside the first.
            far[place if place not in far else f"{place} {len(far) + 1}"] = sound[key]
    taken, report = [], []
    for part_id in inputs:
        if not kit.document.is_noted(part_id):
            continue
        found, about = _taken(kit, part_id, decided, sound, far, rate_hz)
        if found is not None:
            taken.append(found)
        report.append(about)
        print(f"{about['name']}: {about['said']}")
    if not taken:
        raise Problem("No piece was struck often enough to make a kit of.", todo="Record more strokes of it.")
    made = print_kit(name, taken, rate_hz)
    for path, audio in made.files.items():
        (out / path).parent.mkdir(parents=True, exist_ok=True)
        write_sample(out / path, audio, rate_hz)
    for title, text in made.sfz.items():
        (out / f"{file_name(title)}.sfz").write_text(text, encoding="utf-8")
    text = json.dumps({"name": name, "rate_hz": rate_hz, "pieces": report}, indent=1, ensure_ascii=False)
    (out / "kit.json").write_text(f"{text}\n", encoding="utf-8")


def _taken(
    kit: Kit,
    part_id: str,
    decided: dict[str, Decisions],
    sound: dict[str, Audio],
    far: dict[str, Audio],
    rate_hz: int,
) -> tuple[Taken | None, dict[str, object]]:
    """A part's clearest strokes, and what is said of them."""
    document, part = kit.document, kit.document.part(part_id)
    times = {
        document.part_name(key).lower(): np.sort(one.time_s[one.counts])
        for key, one in decided.items()
        if document.is_noted(key)
    }
    name = document.part_name(part_id)
    own = times.pop(name.lower())
    about: dict[str, object] = {"name": name, "piece": part.piece, "strokes": len(own)}
    if len(own) < FEWEST:
        return None, about | {"said": f"{len(own)} strokes; at least {FEWEST} make an instrument"}
    audio = sound[part.sources[0]]
    mono = audio.mean(axis=1)
    notes = shape(decided[part_id], ShapeSettings(), [], PIECES[part.piece])
    hard = notes.velocity[np.argsort(notes.time_s)]
    found = take_strokes(mono, rate_hz, own, hard, times)
    strokes, cutouts = [one for one, _ in found], [where for _, where in found]
    about |= {
        "said": said_of(strokes, len(own)),
        "samples": [
            {
                "time_s": round(one.clear.time_s, 6),
                "velocity": one.velocity,
                "from": one.low,
                "to": one.high,
                "length_s": round((where.end - where.begin) / rate_hz, 4),
                "reason": one.clear.reason,
            }
            for one, where in zip(strokes, cutouts, strict=True)
        ],
    }
    return Taken(name, part.piece, strokes, cutouts, {CLOSE: audio} | far), about


def _rate_hz(kit: Kit) -> int:
    """The rate most files have."""
    rates = [clip.rate_hz for source in kit.document.sources.values() for clip in source.clips]
    return max(set(rates), key=rates.count) if rates else 44100


def _placed(kit: Kit, source_id: str, rate_hz: int) -> Audio:
    """A source from the beginning of the time line on, at one rate, (frames, channels)."""
    source = kit.document.sources[source_id]
    clips = []
    for clip in source.clips:
        files = [read_whole(path) for path in kit.files[clip.audio]]
        shortest = min(len(one) for one in files)
        audio = np.concatenate([one[:shortest] for one in files], axis=1)
        if clip.rate_hz != rate_hz:
            audio = soxr.resample(audio, clip.rate_hz, rate_hz, quality="VHQ").astype(np.float32)
        clips.append((max(round(clip.start_s * rate_hz), 0), audio))
    channels = max(audio.shape[1] for _, audio in clips)
    out = np.zeros((max(begin + len(audio) for begin, audio in clips), channels), np.float32)
    for begin, audio in clips:
        out[begin : begin + len(audio)] += audio
    return out
