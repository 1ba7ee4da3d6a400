"""Samples that come in, and kits that go out."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
from pydantic import BaseModel, Field

from nubrak.core.gather import AudioFacts, audio_blocks, inspect, one_channel
from nubrak.core.layer import as_stereo
from nubrak.core.names import Name
from nubrak.core.pieces import file_name, plain_name
from nubrak.core.prints import write_sample
from nubrak.core.problem import Problem
from nubrak.core.samples import (
    LONGEST_SAMPLE_S,
    MOST_KEYS,
    MOST_TEXT,
    ArrivedSample,
    Instrument,
    Kit,
    arranged,
    attack_of,
    inside,
    instruments_of,
    louder_by,
    measure,
    read_sfz,
    write_sfz,
)
from nubrak.core.signal import db_to_gain
from nubrak.desk.desk import Desk
from nubrak.desk.printing import draft
from nubrak.store.audio import put_audio

MOST_SAMPLE_BYTES = 256 << 20  # of one file: far more than the longest sample has


class SfzText(BaseModel):
    """An SFZ file that came with its samples."""

    name: Name = Field(max_length=4096, description="with the folders it lies in")
    text: str = Field(max_length=MOST_TEXT)


class ToArrange(BaseModel):
    """Sample files that came in together, and the SFZ that speaks of them, if one does."""

    files: list[ArrivedSample] = Field(max_length=5000)
    sfz: SfzText | None = None
    each: bool = Field(default=False, description="every file is a sound of its own, whatever it is called")


class Arranged(BaseModel):
    """What they were taken for; shown before it is kept, and changeable."""

    instruments: list[Instrument]
    skipped: list[str] = Field(description="what was left out, a sentence each")


def _write_sfz(desk: Desk, kit: Kit, path: Path) -> None:
    paths: dict[str, str] = {}
    rates: dict[str, int] = {}
    for instrument in kit.instruments.values():
        for sample in instrument.samples:
            if sample.audio not in paths:
                stem = file_name(sample.name.rpartition(".")[0] or sample.name or instrument.name)
                paths[sample.audio] = f"samples/{len(paths) + 1:03d} {stem.replace('=', '-')}.wav"
                rates[sample.audio] = desk.facts(sample.audio).rate_hz
    # A kit of more sounds than MIDI has keys becomes several texts over the same samples.
    every = list(kit.instruments.items())
    parts = [dict(every[first : first + MOST_KEYS]) for first in range(0, len(every), MOST_KEYS)] or [{}]
    louder_db = louder_by(kit)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as files:
        for number, instruments in enumerate(parts, start=1):
            part = kit.model_copy(update={"instruments": instruments})
            name = kit.name if len(parts) == 1 else f"{kit.name} {number}"
            files.writestr(file_name(f"{name}.sfz"), write_sfz(part, paths, rates, louder_db))
        for audio, name in paths.items():
            wave = draft(desk, "wav")
            try:
                sound = desk.cache.decoded(audio) * np.float32(db_to_gain(louder_db[audio]))
                write_sample(wave, sound, rates[audio])
                files.write(wave, name)
            finally:
                wave.unlink(missing_ok=True)


def check_sample(name: str, facts: AudioFacts) -> None:
    """Raise a ``Problem`` for a file that is no sample."""
    if facts.length_s > LONGEST_SAMPLE_S:
        raise Problem(
            f"“{name}” lasts {facts.length_s:.0f} s; a sample lasts at most {LONGEST_SAMPLE_S:.0f} s.",
            todo="Drop it in Gather as a recording, or cut it.",
        )
    if facts.peak == 0:
        raise Problem(f"“{name}” is silent.", todo="Choose a file that sounds.")


def take_sample_file(desk: Desk, path: Path, name: str) -> ArrivedSample:
    """A sample file, measured and stored; ``name`` may hold the folders it lay in. A ``Problem`` where it is
    none; nothing is kept then.
    """
    plain = plain_name(name)
    facts = inspect(path, plain)
    check_sample(plain, facts)
    # Measured from the file that is here: two thousand of them are not read back from the database.
    sound = np.concatenate(list(audio_blocks(path, plain)))
    attack_s = attack_of(one_channel(sound, facts.cancels), facts.rate_hz)
    measured = measure(as_stereo(sound), attack_s, facts.rate_hz)
    audio = put_audio(desk.engine, path, plain, facts)
    return ArrivedSample(audio=audio, name=name, attack_s=attack_s, measured=measured)


def arrange(desk: Desk, new: ToArrange) -> Arranged:
    """Instruments of sample files: by an SFZ where one came with them, else by names and levels."""
    if new.sfz is None:
        return Arranged(instruments=arranged(new.files, new.each), skipped=[])
    read = read_sfz(new.sfz.text)
    folder = new.sfz.name.replace("\\", "/").rpartition("/")[0]
    below: dict[str, ArrivedSample] = {}
    for one in new.files:
        path = inside(one.name.replace("\\", "/").removeprefix(f"{folder}/" if folder else ""))
        if path is not None:
            below[path] = one
    rates = {one.audio: desk.facts(one.audio).rate_hz for one in new.files}
    instruments = instruments_of(read, below, rates)
    if not instruments:
        raise Problem(
            "None of the samples this SFZ file speaks of came with it.",
            "Nothing was kept.",
            "Drop the folder that holds both, or all its files at once.",
        )
    return Arranged(instruments=instruments, skipped=read.skipped)


def packed_kit(desk: Desk, kit: Kit) -> Path:
    """A kit as an SFZ file with its samples as WAV, in one zip; on any error nothing of it stays."""
    path = draft(desk, "zip")
    try:
        _write_sfz(desk, kit, path)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path
