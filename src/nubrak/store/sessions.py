"""Sessions and their edits: labelled, reversible, revision-checked patches. Undo and redo walk them."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import jsonpatch
from pydantic import BaseModel, ValidationError
from sqlalchemy import Engine, Text, cast, delete, func, select, text, update
from sqlalchemy.orm import Session as Db

from nubrak.core.problem import Problem
from nubrak.core.session import AnyAction, Document, after_walking, apply, said_of_drop, tell_pieces
from nubrak.core.sort import ToldPiece
from nubrak.core.tempo import Tempo
from nubrak.store.revisions import Revisions
from nubrak.store.tables import AudioRow, EditRow, SessionRow

CHANNEL = "nubrak"


class SessionState(BaseModel):
    """A session as a window sees it. ``undo_number`` and ``redo_number`` tell the edits that would be taken
    back or done again from others: what is listened to by itself makes revisions too, and takes nobody's edit
    out of reach.
    """

    id: str
    revision: int
    document: Document
    length_s: float
    undo: str | None = None
    redo: str | None = None
    undo_number: int | None = None
    redo_number: int | None = None


class SessionLine(BaseModel):
    """A session in the list."""

    id: str
    name: str
    about: str
    sources: int
    length_s: float
    touched: datetime


class StaleRevision(Problem):
    """Somebody else changed the session first; ``state`` is how it stands now."""

    def __init__(self, state: SessionState) -> None:
        super().__init__(
            "The session was changed in another window.",
            kept="That change stands.",
            todo="This window has caught up; do it once more.",
            kind="stale",
        )
        self.state = state


@dataclass(frozen=True)
class Sessions:
    """The sessions of one database; ``edited`` is told the id and the document of a session after each edit,
    undo and redo, once it is kept.
    """

    engine: Engine
    revisions: Revisions = field(default_factory=Revisions)
    edited: Callable[[str, Document], None] = lambda _id, _document: None

    def new(self, document: Document, session_id: str | None = None) -> SessionState:
        """Keep a new session."""
        with Db(self.engine) as db, db.begin():
            row = SessionRow(
                id=session_id or secrets.token_hex(8),
                name=document.name,
                revision=0,
                document=document.model_dump(mode="json"),
                **_summary(document),
            )
            db.add(row)
            db.flush()
            return _state(db, row)

    def all(self) -> list[SessionLine]:
        """All sessions, the one touched last first."""
        with Db(self.engine) as db:
            rows = db.execute(
                select(
                    SessionRow.id,
                    SessionRow.name,
                    SessionRow.about,
                    SessionRow.sources,
                    SessionRow.length_s,
                    SessionRow.touched,
                ).order_by(SessionRow.touched.desc(), SessionRow.id)
            )
            return [SessionLine.model_validate(dict(row)) for row in rows.mappings()]

    def get(self, session_id: str) -> SessionState:
        """One session; a ``Problem`` where there is none."""
        with Db(self.engine) as db:
            return _state(db, _row(db, session_id))

    def one_back(self, session_id: str) -> SessionState:
        """A session as it was before its last edit, without taking that back; as it is where there is
        none.
        """
        with Db(self.engine) as db:
            row = _row(db, session_id)
            state, edit = _state(db, row), _next(db, session_id, undone=False)
            if edit is None:
                return state
            return state.model_copy(
                update={
                    "document": Document.model_validate(jsonpatch.apply_patch(row.document, edit.backward))
                }
            )

    def with_audio(self, audio: str) -> list[str]:
        """The sessions in which a stored file is heard."""
        with Db(self.engine) as db:
            held = cast(SessionRow.document, Text).contains(audio, autoescape=True)
            return list(db.scalars(select(SessionRow.id).where(held)))

    def has(self, session_id: str) -> bool:
        """Whether there is such a session."""
        with self.engine.connect() as connection:
            asked = select(SessionRow.id).where(SessionRow.id == session_id)
            return connection.scalar(asked) is not None

    def revision(self, session_id: str) -> int:
        """The revision a session has reached; a ``Problem`` where there is none."""
        known = self.revisions.of(session_id)
        if known is not None:
            return known
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            found = connection.scalar(select(SessionRow.revision).where(SessionRow.id == session_id))
        if found is None:
            raise _no_session()
        self.revisions.reached(session_id, int(found))
        return int(found)

    def remove(self, session_id: str) -> None:
        """Delete a session with its edits. Audio stays, for other sessions may use it."""
        with Db(self.engine) as db, db.begin():
            db.delete(_row(db, session_id))
        self.revisions.forget(session_id)

    def edit(
        self, session_id: str, revision: int | None, action: AnyAction, gesture: str | None = None
    ) -> SessionState:
        """Apply an action made at ``revision``. Raises ``StaleRevision`` where the session has moved on.

        ``None`` applies it to whatever stands, for actions that only add. What the action makes of the
        document is worked out before the row is locked: nobody waits for thousands of marks. Actions of one
        ``gesture`` that follow each other, such as files that were dropped together, are one step of undo.
        """
        while True:
            with Db(self.engine) as db:
                row = _row(db, session_id)
                _check(db, row, revision)
                based_on, old = row.revision, row.document
                _audio_is_here(db, action)
            document, label = apply(Document.model_validate(old), action)
            new = document.model_dump(mode="json")
            forward, backward = _patch(old, new), _patch(new, old)
            with Db(self.engine) as db, db.begin():
                row = _row(db, session_id, lock=True)
                _check(db, row, revision)
                if row.revision != based_on:
                    continue  # somebody else was faster; it is worked out anew on what they left
                if not forward:
                    return _state(db, row)
                db.execute(delete(EditRow).where(EditRow.session_id == session_id, EditRow.undone))
                last = _next(db, session_id, undone=False)
                begun = _before(last, old) if last and gesture and last.gesture == gesture else None
                if last is not None and begun is not None:
                    last.label = said_of_drop(Document.model_validate(begun), document) or label
                    last.forward, last.backward = _patch(begun, new), _patch(new, begun)
                else:
                    number = last.number + 1 if last else 1
                    edit = EditRow(session_id=session_id, number=number, label=label, undone=False)
                    edit.forward, edit.backward, edit.gesture = forward, backward, gesture
                    db.add(edit)
                state = _changed(db, row, new)
            # Committed: whoever is answered from here on sees it.
            self.revisions.reached(session_id, state.revision)
            self.edited(session_id, state.document)
            return state

    def tell_tempo(self, session_id: str, tempo: Tempo) -> bool:
        """Keep a tempo that the hits tell, unless one is known by now; whether it was kept.

        It moves nothing and nobody did it, so it is no edit that undo would take back.
        """
        with Db(self.engine) as db, db.begin():
            row = _row(db, session_id, lock=True)
            if Document.model_validate(row.document).tempo.known != "no":
                return False
            state = _changed(db, row, row.document | {"tempo": tempo.model_dump(mode="json")})
        self.revisions.reached(session_id, state.revision)
        return True

    def tell_pieces(self, session_id: str, head_id: str, told: dict[str, ToldPiece]) -> bool:
        """Keep which pieces a part's moments hold, unless they were told by now; whether they were kept.

        It moves nothing and nobody did it, so it is no edit that undo would take back.
        """
        with Db(self.engine) as db, db.begin():
            row = _row(db, session_id, lock=True)
            document = Document.model_validate(row.document)
            if head_id not in document.parts or document.parts[head_id].told:
                return False
            tell_pieces(document, head_id, told)
            state = _changed(db, row, document.model_dump(mode="json"))
        self.revisions.reached(session_id, state.revision)
        return True

    def undo(self, session_id: str, revision: int) -> SessionState:
        """Take the last edit back."""
        return self._walk(session_id, revision, back=True)

    def redo(self, session_id: str, revision: int) -> SessionState:
        """Do the edit taken back last once more."""
        return self._walk(session_id, revision, back=False)

    def _walk(self, session_id: str, revision: int, back: bool) -> SessionState:
        with Db(self.engine) as db, db.begin():
            row = _row(db, session_id, lock=True)
            _check(db, row, revision)
            edit = _next(db, session_id, undone=not back)
            if edit is None:
                raise Problem("There is nothing to undo." if back else "There is nothing to redo.")
            try:
                new = jsonpatch.apply_patch(row.document, edit.backward if back else edit.forward)
            except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException) as error:
                way = "undone" if back else "redone"
                raise Problem(
                    f"“{edit.label}” cannot be {way} yet: what it changed is not there.",
                    "Nothing was changed.",
                    "Wait until the session is analysed, then do it again.",
                ) from error
            new = after_walking(Document.model_validate(new)).model_dump(mode="json")
            db.execute(
                update(EditRow)
                .where(EditRow.session_id == session_id, EditRow.number == edit.number)
                .values(undone=back)
            )
            state = _changed(db, row, new)
        self.revisions.reached(session_id, state.revision)
        self.edited(session_id, state.document)
        return state


def _patch(old: dict[str, Any], new: dict[str, Any]) -> list[dict[str, Any]]:
    """What leads from one document to another. What is found out later and kept outside the history is
    stated in full, so that it is replaced and never mixed: the tempo, and whether a part whose piece changes,
    or that is searched for pieces, was searched already.
    """
    # Compared without the tempo: a patch may move a value from one place to another.
    patch: list[dict[str, Any]] = jsonpatch.make_patch(old, new | {"tempo": old["tempo"]}).patch
    if old["tempo"] != new["tempo"]:
        patch.append({"op": "replace", "path": "/tempo", "value": new["tempo"]})
    for part_id in old["parts"].keys() & new["parts"].keys():
        before, after = old["parts"][part_id], new["parts"][part_id]
        # What was kept by an earlier version may lack what came later.
        if any(before.get(what) != after.get(what) for what in ("asked", "look_for", "piece")):
            patch.append({"op": "add", "path": f"/parts/{part_id}/told", "value": after.get("told", False)})
    return patch


def _before(edit: EditRow, document: dict[str, Any]) -> dict[str, Any] | None:
    """What a document was before its last edit; None where what the edit changed is not there any more."""
    try:
        before: dict[str, Any] = jsonpatch.apply_patch(document, edit.backward)
        Document.model_validate(before)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, ValidationError):
        return None
    return before


def _row(db: Db, session_id: str, lock: bool = False) -> SessionRow:
    row = db.get(SessionRow, session_id, with_for_update=lock or None)
    if row is None:
        raise _no_session()
    return row


def _audio_is_here(db: Db, action: AnyAction) -> None:
    """Refuse an action that speaks of audio the store does not have."""
    wanted = action.audio
    if wanted and len(db.scalars(select(AudioRow.hash).where(AudioRow.hash.in_(wanted))).all()) < len(wanted):
        raise Problem("This audio is not in the store.", todo="Drop the file once more.", kind="missing")


def _no_session() -> Problem:
    return Problem("This session does not exist.", todo="Choose another from the list.", kind="missing")


def _check(db: Db, row: SessionRow, revision: int | None) -> None:
    if revision is not None and revision != row.revision:
        raise StaleRevision(_state(db, row))


def _next(db: Db, session_id: str, undone: bool) -> EditRow | None:
    order = EditRow.number.asc() if undone else EditRow.number.desc()
    return db.scalar(
        select(EditRow)
        .where(EditRow.session_id == session_id, EditRow.undone == undone)
        .order_by(order)
        .limit(1)
    )


def _changed(db: Db, row: SessionRow, document: dict[str, object]) -> SessionState:
    row.document = document
    read = Document.model_validate(document)
    row.name = read.name
    for name, value in _summary(read).items():
        setattr(row, name, value)
    row.revision += 1
    row.touched = func.now()
    db.flush()
    # Delivered when the transaction commits, so a window never hears of what is not there yet.
    db.execute(
        text("SELECT pg_notify(:channel, :message)"),
        {"channel": CHANNEL, "message": f"session {row.id} {row.revision}"},
    )
    return _state(db, row, read)


def _summary(document: Document) -> dict[str, Any]:
    """What the list says of a session beside its name."""
    return {"about": document.about, "sources": len(document.sources), "length_s": document.length_s}


def _state(db: Db, row: SessionRow, read: Document | None = None) -> SessionState:
    undo, redo = _next(db, row.id, undone=False), _next(db, row.id, undone=True)
    document = read or Document.model_validate(row.document)
    return SessionState(
        id=row.id,
        revision=row.revision,
        document=document,
        length_s=document.length_s,
        undo=undo.label if undo else None,
        redo=redo.label if redo else None,
        undo_number=undo.number if undo else None,
        redo_number=redo.number if redo else None,
    )
