"""A session listened to together by a worker: once, as its microphones lie, and anew when they move."""

from __future__ import annotations

import secrets
from pathlib import Path

import pytest
from sqlalchemy import Engine

from nubrak.core.gather import inspect
from nubrak.core.session import Clip, Document, Part, Source
from nubrak.core.session.gather_edits import MoveClip
from nubrak.core.together import Beside, Group, groups_of
from nubrak.store.audio import put_audio
from nubrak.store.cache import Cache
from nubrak.store.progress import cancel
from nubrak.store.sessions import Sessions
from nubrak.work import listen_together as module
from nubrak.work.listen_together import SIDES, listen_together
from tests.conftest import decaying_strokes, write_wav


@pytest.fixture
def session(engine: Engine, tmp_path: Path) -> str:
    """A kick and a snare that no other test has."""
    document = Document(name="kit")
    for place, (piece, hz) in enumerate((("kick", 60.0), ("snare", 190.0))):
        strokes = decaying_strokes(
            [0.3 + place, 2.2], [0.5, 0.4], 3.2, hz=hz, seed=secrets.randbelow(1 << 30)
        )
        path = write_wav(tmp_path / f"{piece}.wav", strokes)
        audio = put_audio(engine, path, path.name, inspect(path))
        clip = Clip(audio=audio, length_s=3.2, channels=1, rate_hz=44100)
        document.sources[piece] = Source(name=piece, place=place, clips=[clip])
        document.parts[piece] = Part(piece=piece, place=place, sources=[piece])
    return Sessions(engine).new(document).id


def group(engine: Engine, session_id: str) -> Group:
    (found,) = groups_of(Sessions(engine).get(session_id).document)
    return found


def known(engine: Engine, cache: Cache, session_id: str) -> list[Beside]:
    here = group(engine, session_id)
    return [one for one in here.members if cache.beside(here.key_of(one), one.look) is not None]


def test_all_sides_find_everything_once(
    engine: Engine, cache: Cache, session: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert not known(engine, cache, session)
    for side in range(SIDES):
        listen_together(engine, cache, session, side)
    assert len(known(engine, cache, session)) == 2

    def never(*_: object) -> None:
        raise AssertionError("listened twice")

    monkeypatch.setattr(module, "find_beside", never)
    for side in range(SIDES):
        listen_together(engine, cache, session, side)


def test_what_moves_while_it_is_listened_to_is_found_where_it_lies_then(
    engine: Engine, cache: Cache, session: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    find, moved = module.find_beside, []

    def slowly(*given: object) -> object:
        if not moved:
            state = Sessions(engine).get(session)
            moved.append(
                Sessions(engine).edit(
                    session,
                    state.revision,
                    MoveClip(kind="move_clip", source_id="snare", index=0, start_s=0.01),
                )
            )
        return find(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(module, "find_beside", slowly)
    for side in range(SIDES):
        listen_together(engine, cache, session, side)
    assert moved and len(known(engine, cache, session)) == 2


def test_what_was_cancelled_or_is_gone_is_left_alone(engine: Engine, cache: Cache, session: str) -> None:
    here = group(engine, session)
    cancel(engine, [clip.audio for one in here.members for clip in one.clips], off=True)
    for side in range(SIDES):
        listen_together(engine, cache, session, side)
        listen_together(engine, cache, "no such session", side)
    assert not known(engine, cache, session)
