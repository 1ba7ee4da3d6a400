"""A file that arrives in a session: where it belongs, and what it makes with those that are there."""

from __future__ import annotations

import secrets
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from nubrak.core.find import find_candidates
from nubrak.core.gather import AudioFacts, guess_from_sound, inspect, other_half, same_piece, takes_of
from nubrak.core.pieces import PieceGuess, guess_from_name
from nubrak.core.session import AddClip, AddSource, AsPair, Clip, CombineMicrophones
from nubrak.desk.desk import Desk
from nubrak.store.audio import put_audio
from nubrak.store.sessions import SessionState

_LISTENED_S = 60.0
_BLOCK_FRAMES = 1 << 18


def arrive(
    desk: Desk, session_id: str, name: str, audio: str, facts: AudioFacts, source_id: str | None = None
) -> SessionState:
    """The session with a stored file in it: as a take of a source, or as a source of its own with what
    follows from that.
    """
    clip = Clip(
        audio=audio,
        length_s=facts.length_s,
        channels=facts.channels,
        rate_hz=facts.rate_hz,
        stamp_s=facts.stamp_s,
    )
    guess = guess_from_name(name) or _by_sound(desk, audio, facts)
    document = desk.sessions.get(session_id).document
    source_id = source_id or takes_of(document, name, clip, guess.piece)
    if source_id is not None:
        state = desk.sessions.edit(
            session_id, None, AddClip(kind="add_clip", source_id=source_id, name=name, clip=clip)
        )
    else:
        action = AddSource(
            kind="add_source",
            source_id=secrets.token_hex(5),
            part_id=secrets.token_hex(5),
            name=name,
            guess=guess,
            notes=facts.notes,
            clip=clip,
        )
        state = desk.sessions.edit(session_id, None, action)
        state = _as_pair(desk, state, action.source_id)
        if action.part_id in state.document.parts:
            partner = same_piece(state.document, action.part_id)
            if partner is not None:
                state = desk.sessions.edit(
                    session_id,
                    None,
                    CombineMicrophones(kind="combine_microphones", part_id=partner, other_id=action.part_id),
                )
    desk.ask_for(desk.standing(session_id))
    return state


def _by_sound(desk: Desk, audio: str, facts: AudioFacts) -> PieceGuess:
    mono = np.asarray(desk.cache.mono(audio)[: round(_LISTENED_S * facts.rate_hz)])
    heard = guess_from_sound(find_candidates(mono, facts.rate_hz))
    return heard or PieceGuess(
        piece="else", why="Neither the file's name nor its sound says what it is.", sure=0.0
    )


def _as_pair(desk: Desk, state: SessionState, source_id: str) -> SessionState:
    halves = other_half(state.document, source_id)
    if halves is None:
        return state
    left_id, right_id, name = halves
    left, right = (state.document.sources[one].clips[0] for one in (left_id, right_id))
    path = desk.uploads / f"{secrets.token_hex(8)}.flac"
    try:
        _write_pair(path, desk.cache.decoded(left.audio), desk.cache.decoded(right.audio), left.rate_hz)
        facts = inspect(path, name)
        audio = put_audio(desk.engine, path, name, facts)
    finally:
        path.unlink(missing_ok=True)
    clip = Clip(
        audio=audio,
        start_s=min(left.start_s, right.start_s),
        length_s=facts.length_s,
        channels=2,
        rate_hz=facts.rate_hz,
        stamp_s=left.stamp_s,
    )
    return desk.sessions.edit(
        state.id, None, AsPair(kind="as_pair", left_id=left_id, right_id=right_id, name=name, clip=clip)
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
