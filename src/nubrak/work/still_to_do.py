"""What a session still needs of the workers: recordings that were not listened to, and what they tell."""

from __future__ import annotations

import structlog
from procrastinate import App
from sqlalchemy import Engine

from nubrak.core.flow import Look, listens_to, look_of, sorts_itself
from nubrak.core.session import Document
from nubrak.store.cache import Cache
from nubrak.store.progress import cancelled_of
from nubrak.work.queue import HERE, hand_out

log = structlog.get_logger()


def ask_for_analysis(queue: App, audio: str, look: Look = Look.USUAL) -> None:
    """Hand the analysis of a file out, once."""
    hand_out(queue, "analyse", f"analyse-{audio}-{look.value}", audio=audio, look=look.value)


def ask_to_keep(queue: App, session_id: str) -> None:
    """Hand out, once, that what is known now of a session is kept: its pieces and its tempo."""
    hand_out(queue, "keep_found", f"keep-found-{session_id}", named=HERE, session_id=session_id)


def ask_after_edit(engine: Engine, cache: Cache, queue: App, session_id: str, document: Document) -> None:
    """Hand out what an edit, an undo or a redo leaves to be done. The edit is kept already: what goes wrong
    here is logged, and asked for again by the next window that looks.
    """
    try:
        missing = unheard(cache, document)
        off = cancelled_of(engine, sorted({audio for audio, _ in missing})) if missing else set()
        for audio, look in missing:
            if audio not in off:
                ask_for_analysis(queue, audio, look)
        if tells_more(cache, document):
            ask_to_keep(queue, session_id)
    except Exception:
        log.exception("what an edit leaves to be done was not handed out", session_id=session_id)


def unheard(cache: Cache, document: Document) -> list[tuple[str, Look]]:
    """The files that were not looked through as the parts of a session want it."""
    of_parts = (_unheard(cache, document, part_id) for part_id in document.parts)
    return list(dict.fromkeys(one for missing in of_parts for one in missing))


def tells_more(cache: Cache, document: Document) -> bool:
    """Whether the recordings tell what a session does not hold yet: the pieces of one that was listened to,
    or the tempo once all of them were.
    """
    if any(sorts_itself(document, one) and not _unheard(cache, document, one) for one in document.parts):
        return True
    return document.tempo.known == "no" and bool(document.parts) and not unheard(cache, document)


def _unheard(cache: Cache, document: Document, part_id: str) -> list[tuple[str, Look]]:
    look = look_of(document, part_id)
    clips = (clip for source in listens_to(document, part_id) for clip in source.clips)
    return [(clip.audio, look) for clip in clips if cache.candidates(clip.audio, look) is None]
