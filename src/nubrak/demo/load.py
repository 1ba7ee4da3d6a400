"""Loading the starter kit and the demo sessions into a new installation."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

import numpy as np
import soundfile
from numpy.typing import NDArray
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session as Db

from nubrak.core.flow import look_of
from nubrak.core.gather import AudioFacts, inspect
from nubrak.core.layer import Layer
from nubrak.core.pieces import OVERHEADS, PieceGuess, guess_from_name
from nubrak.core.samples import STARTER, Instrument, Kit, Sample, character, first_sound, measure
from nubrak.core.session import Clip, Document, Part, Source, arrange
from nubrak.core.tempo import Tempo
from nubrak.demo.kit import made_kits, made_samples
from nubrak.demo.made import RATE_HZ, MadeKit
from nubrak.demo.mix import mix_demo
from nubrak.demo.room import record, strokes_alone
from nubrak.demo.score import (
    BARS,
    BPM,
    LEAD_S,
    TITLE,
    Stroke,
    act_one,
    claps_of_the_audience,
    loop_of_the_moth,
)
from nubrak.desk.desk import Desk
from nubrak.desk.jobs import begin_kit
from nubrak.desk.recorded_kit import KitChoice
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache
from nubrak.store.database import open_engine
from nubrak.store.kits import all_kits, put_kit
from nubrak.store.sessions import Sessions
from nubrak.store.tables import SessionRow
from nubrak.work.analyse import analyse_audio
from nubrak.work.queue import handing_out


def load_demo(url: str, cache_folder: Path, sessions: bool = True) -> None:
    """Load what a first start brings. Does nothing where the starter kit is there already; safe to run again
    after a kill.
    """
    engine = open_engine(url)
    try:
        if STARTER in all_kits(engine):
            return
        cache_folder.mkdir(parents=True, exist_ok=True)
        cache = Cache(engine, url, cache_folder)
        kit = starter_kit(engine)
        if sessions:
            print("nubrak: making the demo sessions (once)", flush=True)
            _load_sessions(engine, cache, kit)
            _ask_for_its_kit(engine, url, cache)
        put_kit(engine, STARTER, kit)
    finally:
        engine.dispose()


def _ask_for_its_kit(engine: Engine, url: str, cache: Cache) -> None:
    """Let a worker make a kit of the drums in the demo's score, once it runs."""
    with Db(engine) as db:
        session_id = db.scalar(select(SessionRow.id).where(SessionRow.name == TITLE))
    name = f"{TITLE}, drums"
    if session_id is None or any(kit.name == name for kit in all_kits(engine).values()):
        return
    queue = handing_out(url)
    with queue.open():
        desk = Desk(engine, cache, Sessions(engine), queue, cache.folder / "uploads")
        begin_kit(desk, session_id, KitChoice(name=name))


def load_kits(url: str) -> None:
    """Make the kits that are not there yet, besides the starter kit; safe to run again after a kill."""
    engine = open_engine(url)
    try:
        there = all_kits(engine)
        for made in made_kits():
            if made.id not in there:
                put_kit(engine, made.id, stored_kit(engine, made))
    finally:
        engine.dispose()


def starter_kit(engine: Engine) -> Kit:
    """The starter kit with its samples stored."""
    return stored_kit(engine, made_kits()[0])


def stored_kit(engine: Engine, made: MadeKit) -> Kit:
    """A kit of ours with its samples stored."""
    instruments = {}
    for one in made.instruments:
        samples = []
        for number, (low, high, played, audio) in enumerate(made_samples(made, one)):
            key, _ = _store(engine, audio[:, None], f"{made.id}-{one.id}-{number}.flac")
            attack_s = first_sound(audio) / RATE_HZ  # what is made begins in silence
            samples.append(
                Sample(
                    audio=key,
                    name=f"{one.id} {number + 1}",
                    low_velocity=low,
                    high_velocity=high,
                    velocity=played,
                    attack_s=attack_s,
                    measured=measure(audio[:, None], attack_s, RATE_HZ),
                )
            )
        instruments[one.id] = instrument = Instrument(
            name=one.name, piece=one.piece, samples=samples, key=one.key, silenced_by=list(one.silenced_by)
        )
        instrument.words = character(instrument)
    return Kit(name=made.name, instruments=instruments)


def _store(engine: Engine, audio: NDArray[np.float32], name: str) -> tuple[str, AudioFacts]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        soundfile.write(str(path), audio, RATE_HZ, subtype="PCM_24", format="FLAC")
        facts = inspect(path)
        return put_audio(engine, path, name, facts), facts


def _load_sessions(engine: Engine, cache: Cache, kit: Kit) -> None:
    strokes = act_one()
    heard = record(strokes, RATE_HZ, LEAD_S + BARS * 4 * 60 / BPM + 2.5)
    files = {
        f"{name}.flac": audio[:, None] for name, audio in heard.items() if not name.startswith("overhead")
    }
    files["overheads.flac"] = np.stack([heard["overhead left"], heard["overhead right"]], axis=1)
    claps, loop = _alone(claps_of_the_audience(), 21.5, 0.02), _alone(loop_of_the_moth(), 8 * 60 / 104, 0.0)
    first_try = _alone(claps_of_the_audience(seed=13), 21.5, 0.02)
    claps_said, loop_said = (
        "The audience's claps, one person, one microphone, two passes",
        "A two-bar loop through one microphone",
    )
    _add(
        engine,
        cache,
        f"{TITLE}: claps",
        claps_said,
        Tempo(bpm=96.0, bar_one_s=0.5),
        {"claps.flac": claps},
        kit,
        {"claps.flac": first_try},
    )
    _add(
        engine,
        cache,
        f"{TITLE}: the moth's dance",
        loop_said,
        Tempo(bpm=104.0),
        {"dance loop.flac": loop},
        kit,
    )
    _add(engine, cache, TITLE, "Workshop score, act one", Tempo(bpm=BPM, bar_one_s=LEAD_S), files, kit)


def _alone(strokes: list[Stroke], length_s: float, hiss: float) -> NDArray[np.float32]:
    """One microphone in front of everything."""
    mixed = sum(strokes_alone(strokes, RATE_HZ, length_s, 31).values())
    noise = np.random.default_rng(8).standard_normal(round(length_s * RATE_HZ)) * hiss * 10 ** (-40 / 20)
    mixed = np.asarray(mixed) + noise
    return (mixed / np.abs(mixed).max() * 0.7).astype(np.float32)[:, None]


def _add(
    engine: Engine,
    cache: Cache,
    name: str,
    about: str,
    tempo: Tempo,
    files: dict[str, NDArray[np.float32]],
    kit: Kit,
    earlier: Mapping[str, NDArray[np.float32]] = MappingProxyType({}),
) -> None:
    """A session of some files; ``earlier`` are passes that were recorded before those of the same name."""
    with Db(engine) as db:
        # Made by a first start that was killed later on. Ids are nobody's to guess, so it is known by name.
        if db.scalar(select(SessionRow.id).where(SessionRow.name == name)) is not None:
            return
    document = Document(name=name, about=about, tempo=tempo, rate_hz=RATE_HZ)
    for place, (file, audio) in enumerate(files.items()):
        key, facts = _store(engine, audio, file)
        guess = guess_from_name(file) or PieceGuess(
            piece="else", why="The file's name does not say what it is.", sure=0.0
        )
        source_id = f"source-{place}"
        clip = Clip(audio=key, length_s=facts.length_s, channels=facts.channels, rate_hz=facts.rate_hz)
        document.sources[source_id] = source = Source(
            name=file, place=place, clips=[clip], guess=guess, notes=facts.notes
        )
        if file in earlier:
            key_before, before = _store(engine, earlier[file], f"first {file}")
            changes = {"audio": key_before, "length_s": before.length_s}
            source.passes = [clip.model_copy(update=changes), clip]
        named = OVERHEADS if guess.over_the_kit else None
        part = Part(piece=guess.piece, place=place, sources=[source_id], told=False, named=named)
        instrument = next((i for i in kit.instruments.values() if i.piece == guess.piece), None)
        if instrument is not None and guess.piece in ("kick", "snare", "clap"):
            part.layers["starter"] = Layer(instrument=instrument)
        document.parts[f"part-{place}"] = part
        analyse_audio(engine, cache, key, look_of(document, f"part-{place}"))
    arrange(document)
    if name == TITLE:
        mix_demo(document)
    Sessions(engine).new(document)
