"""Sessions of empty recordings, by name and piece."""

from __future__ import annotations

from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.session.document import Clip, Document
from nubrak.core.session.edit import AddSource, apply


def clip(audio: str = "a", **more: float | None) -> Clip:
    return Clip(audio=audio, length_s=10.0, channels=1, rate_hz=48000, **more)  # type: ignore[arg-type]


def with_sources(*names: tuple[str, str], stamps: list[float | None] | None = None) -> Document:
    document = Document(name="T")
    for number, (name, piece) in enumerate(names):
        stamp = stamps[number] if stamps else None
        guess = PieceGuess(piece=piece, why="", sure=1)
        action = AddSource(
            kind="add_source",
            source_id=f"s{number}",
            part_id=f"p{number}",
            name=name,
            guess=guess,
            clip=clip(f"a{number}", stamp_s=stamp),
        )
        document, _ = apply(document, action)
    return document
