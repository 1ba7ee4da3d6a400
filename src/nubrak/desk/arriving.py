"""A file that arrives in a session: where it belongs, and what it makes with those that are there."""

from __future__ import annotations

import secrets
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from nubrak.core.find import find_candidates
from nubrak.core.gather import (
    LISTENED_S,
    Arrival,
    AudioFacts,
    Heard,
    gather,
    guess_piece,
    inspect,
    possible_sides,
)
from nubrak.core.pieces import pair_name, plain_name, session_name, side_of
from nubrak.core.problem import Problem
from nubrak.core.session import AnyAction, AsPair, Clip, Document
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio
from nubrak.store.sessions import SessionState

_BLOCK_FRAMES = 1 << 18  # written at a time: 6 s at 44.1 kHz


def arrive(
    desk: Desk,
    session_id: str,
    path: str,
    audio: str,
    facts: AudioFacts,
    source_id: str | None = None,
    drop: str | None = None,
) -> SessionState:
    """The session with a stored file in it: as a take of a source, or as a source of its own with what
    follows from that. ``path`` is its name, with the folder it lay in where that is known; files of one
    ``drop`` are one step of undo.
    """
    name = plain_name(path)
    clip = Clip(
        audio=audio,
        length_s=facts.length_s,
        channels=facts.channels,
        rate_hz=facts.rate_hz,
        stamp_s=facts.stamp_s,
    )
    guess = guess_piece(name, lambda: _beginning(desk, audio, facts.rate_hz))
    state = desk.sessions.get(session_id)

    def edit(action: AnyAction) -> Document:
        nonlocal state
        state = desk.sessions.edit(session_id, None, action, drop)
        return state.document

    gather(
        state.document,
        Arrival(name, clip, guess, facts.notes, session_name(path)),
        (secrets.token_hex(5), secrets.token_hex(5)),
        edit,
        lambda left, right, pair: _as_pair(desk, left, right, pair),
        lambda clip: np.asarray(desk.cache.mono(clip.audio)),
        lambda clip: _beginning(desk, clip.audio, clip.rate_hz)[2],
        source_id,
    )
    desk.ask_for(desk.standing(session_id))
    return state


def pair(desk: Desk, session_id: str, revision: int, left_id: str, right_id: str) -> SessionState:
    """Two recordings as the sides of a stereo pair, because a hand says so."""
    document = desk.sessions.get(session_id).document
    left, right = document.source(left_id), document.source(right_id)
    clips = [*left.clips, *right.clips]
    if len(clips) != 2 or left_id == right_id or {clip.channels for clip in clips} != {1}:
        raise Problem(
            "Only two recordings of one channel and one take each can be a pair.", todo="Choose two others."
        )
    if right_id not in possible_sides(document, left_id):
        raise Problem(
            "The sides of a pair begin at the same time and have one sample rate.",
            todo="Move one of them, or export both alike.",
        )
    name = pair_name(left.name) if side_of(left.name) else f"{left.name} + {right.name}"[:400]
    clip = _as_pair(desk, clips[0], clips[1], name)
    action = AsPair(kind="as_pair", left_id=left_id, right_id=right_id, name=name, clip=clip)
    state = desk.sessions.edit(session_id, revision, action)
    desk.ask_for(desk.standing(session_id))
    return state


def _beginning(desk: Desk, audio: str, rate_hz: int) -> Heard:
    mono = np.asarray(desk.cache.mono(audio)[: round(LISTENED_S * rate_hz)])
    with desk.lock:
        found = desk.beginnings.get(audio)
    if found is None:
        found = find_candidates(mono, rate_hz)
        with desk.lock:
            desk.beginnings[audio] = found
    return mono, rate_hz, found


def _as_pair(desk: Desk, left: Clip, right: Clip, name: str) -> Clip:
    """Both halves as one file of two channels in the store."""
    path = desk.uploads / f"{secrets.token_hex(8)}.flac"
    try:
        _write_pair(path, desk.cache.decoded(left.audio), desk.cache.decoded(right.audio), left.rate_hz)
        facts = inspect(path, name)
        audio = put_audio(desk.engine, path, name, facts)
    finally:
        path.unlink(missing_ok=True)
    return Clip(
        audio=audio,
        start_s=min(left.start_s, right.start_s),
        length_s=facts.length_s,
        channels=2,
        rate_hz=facts.rate_hz,
        stamp_s=left.stamp_s,
    )


def _write_pair(path: Path, left: NDArray[np.float32], right: NDArray[np.float32], rate_hz: int) -> None:
    """Two channels, the shorter one filled up with silence, as FLAC of 24 bits."""
    frames = max(len(left), len(right))
    with soundfile.SoundFile(
        str(path), "w", samplerate=rate_hz, channels=2, format="FLAC", subtype="PCM_24"
    ) as file:
        for at in range(0, frames, _BLOCK_FRAMES):
            block = np.zeros((min(_BLOCK_FRAMES, frames - at), 2), np.float32)
            for side, signal in enumerate((left, right)):
                part = signal[at : at + _BLOCK_FRAMES, 0]
                block[: len(part), side] = part
            file.write(np.clip(block, -1.0, 1.0))
