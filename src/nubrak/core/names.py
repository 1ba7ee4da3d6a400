"""Reading the piece from a file's name."""

from __future__ import annotations

import re
import unicodedata

from pydantic import BaseModel, Field

from nubrak.core.pieces import PIECES


class PieceGuess(BaseModel):
    """Which piece a source most likely carries, and why we think so."""

    piece: str
    why: str = Field(description="one sentence")
    sure: float = Field(ge=0, le=1, description="0 is a blind guess, 1 is certain")


def plain_name(file_name: str, longest: int = 120) -> str:
    """A file's name made fit to show and to keep: no folders, no control characters, NFC, at most ``longest`` characters."""
    name = unicodedata.normalize("NFC", file_name).replace("\\", "/").rsplit("/", 1)[-1]
    name = "".join(letter for letter in name if unicodedata.category(letter)[0] != "C").strip(" .")
    if len(name) > longest:
        stem, dot, ending = name.rpartition(".")
        name = stem[: longest - len(ending) - 2] + "…" + dot + ending if dot and len(ending) < 8 else name[: longest - 1] + "…"
    return name or "unnamed"


def guess_from_name(file_name: str) -> PieceGuess | None:
    """The piece a file's name speaks of, or None. The longest matching word wins, then the earliest in the name."""
    stem = plain_name(file_name).rpartition(".")[0] or plain_name(file_name)
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", stem).lower()
    spaced = f" {re.sub(r'[^a-z0-9]+', ' ', re.sub(r'(?<=[a-z])(?=[0-9])', ' ', spaced))} "
    best: tuple[int, int, str, str] | None = None
    for piece in PIECES.values():
        for word in piece.words:
            place = spaced.find(f" {re.sub(r'(?<=[a-z])(?=[0-9])', ' ', word)} ") if word else -1
            if place >= 0 and (best is None or (-len(word), place) < best[:2]):
                best = (-len(word), place, piece.id, word)
    if best is None:
        return None
    return PieceGuess(piece=best[2], why=f"The file's name says “{best[3]}”.", sure=0.95)
