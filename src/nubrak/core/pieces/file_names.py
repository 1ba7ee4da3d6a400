"""Reading the piece from a file's name."""

from __future__ import annotations

import re
import unicodedata

from pydantic import BaseModel, Field

from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.pieces.languages import PIECE_WORDS, POSITION_WORDS, SIDE_WORDS, folded, sought, spaced


class Likely(BaseModel):
    """Another piece that a source may carry."""

    piece: str
    named: str = Field(description="what it would be, in words")
    sure: float = Field(ge=0, le=1)


class PieceGuess(BaseModel):
    """Which piece a source most likely carries, and why we think so."""

    piece: str
    why: str = Field(description="one sentence")
    sure: float = Field(ge=0, le=1, description="0 is a blind guess, 1 is certain")
    others: list[Likely] = Field(
        default=[],
        max_length=4,
        description="what else it may be, the likeliest first, where it was told by sound",
    )
    asks: bool = Field(default=False, description="too unsure to be taken without asking")
    over_the_kit: bool = Field(
        default=False, description="a microphone over the whole kit: what it yields are its cymbals"
    )
    kinds: dict[str, float] = Field(
        default={}, description="how likely each kind of recording is by its sound alone, 0 to 1"
    )
    in_company: bool = Field(
        default=False, description="others that were recorded at the same time have their say in it"
    )


_LONGEST_NAME = 120  # characters; with every accent apart still under the 255 bytes of file systems
# Folders that say how files are kept, not what was recorded.
_ANY_FOLDER = frozenset(
    [
        "audio",
        "audio files",
        "bounces",
        "drums",
        "drum tracks",
        "exports",
        "files",
        "mics",
        "microphones",
        "multitrack",
        "raw",
        "recordings",
        "sources",
        "stems",
        "takes",
        "tracks",
        "wav",
        "wavs",
    ]
)
_LEAST_OF_A_TITLE = 12  # characters of a title kept beside a long ending


def plain_name(file_name: str, longest: int = _LONGEST_NAME) -> str:
    """A file's name made fit to show and to keep: no folders, no control characters, NFC, at most ``longest``
    characters.
    """
    name = unicodedata.normalize("NFC", file_name).replace("\\", "/").rsplit("/", 1)[-1]
    name = "".join(letter for letter in name if unicodedata.category(letter)[0] != "C").strip(" .")
    if len(name) > longest:
        stem, dot, ending = name.rpartition(".")
        name = (
            stem[: longest - len(ending) - 2] + "…" + dot + ending
            if dot and len(ending) < 8
            else name[: longest - 1] + "…"
        )
    return name or "unnamed"


def session_name(path: str) -> str:
    """What a session is called by the first file that comes into it: the folder it lay in, else the file."""
    *folders, file = path.replace("\\", "/").rstrip("/").split("/")
    telling = [one for one in folders if one and one.lower().replace("_", " ") not in _ANY_FOLDER]
    title = (telling or [one for one in folders if one] or [file.rpartition(".")[0] or file])[-1]
    return plain_name(title.replace("_", " "), _LONGEST_NAME - 20)


def file_name(name: str) -> str:
    """A name fit for a file on any system: what some of them keep for themselves becomes a dash."""
    return plain_name(re.sub(r'[\\/:*?"<>|]+', "-", name))


def titled_file(title: str, about: str, ending: str) -> str:
    """The name of one of several files of ``title``: a long title is cut and what the file is about stays, so
    that no two become one.
    """
    tail = f" - {about}.{ending}" if about else f".{ending}"
    return file_name(plain_name(title, max(_LONGEST_NAME - len(tail), _LEAST_OF_A_TITLE)) + tail)


def guess_from_name(file_name: str) -> PieceGuess | None:
    """The piece a file's name speaks of, in any language of ``languages``, or None. The longest matching word
    wins, then the earliest in the name.

    >>> guess_from_name("Hängetom 1.wav").piece
    'rack-tom'
    """
    stem = plain_name(file_name).rpartition(".")[0] or plain_name(file_name)
    name = spaced(stem)
    best: tuple[int, int, str, str] | None = None
    for piece, word, looked_for in _PIECE_WORDS:
        place = name.find(looked_for)
        if place >= 0 and (best is None or (-len(word), place) < best[:2]):
            best = (-len(word), place, piece, word)
    if best is None:
        return None
    return PieceGuess(
        piece=best[2],
        why=f"The file's name says “{best[3]}”.",
        sure=0.95,
        over_the_kit=best[2] == "crash" and best[3] in _ABOVE,
    )


OVERHEADS = "Overheads"  # what a part is called whose microphones stand over the kit
_ABOVE = frozenset(
    word for word in PIECES["crash"].words if word and "crash" not in word and "cym" not in word
) | {word for words in PIECE_WORDS.values() for word in words.get("overheads", "").split(",") if word}
# The piece that each word speaks of, the word, and what of it is looked for.
_PIECE_WORDS = [
    (piece.id, word, sought(word)) for piece in PIECES.values() for word in piece.words if word
] + [
    ("crash" if piece == "overheads" else piece, word, sought(word))
    for words in PIECE_WORDS.values()
    for piece, said in words.items()
    for word in said.split(",")
]
_SIDES = {
    folded(word): side
    for words in SIDE_WORDS.values()
    for side, said in zip(("left", "right"), words, strict=True)
    for word in said.split(",")
}
_POSITIONS = frozenset(folded(word) for said in POSITION_WORDS.values() for word in said.split(","))


def _words(file_name: str) -> list[str]:
    stem = plain_name(file_name).rpartition(".")[0] or plain_name(file_name)
    return spaced(stem).split()


def side_of(file_name: str) -> tuple[str, str] | None:
    """The name without its side, and “left” or “right”, for one half of a stereo pair; None where the name
    tells no side.
    """
    words = _words(file_name)
    for place in range(len(words) - 1, 0, -1):
        if words[place] in _SIDES:
            return " ".join(words[:place] + words[place + 1 :]), _SIDES[words[place]]
    # “OHL”, “RoomR”: the side is the last letter of a known word
    if words and len(words[-1]) >= 3 and words[-1][-1] in "lr" and words[-1][:-1] in _PAIRED:
        return " ".join([*words[:-1], words[-1][:-1]]), _SIDES[words[-1][-1]]
    return None


def pair_name(file_name: str) -> str:
    """What both halves of a stereo pair are called together: the name of one, with both sides in place of its
    own.

    >>> pair_name("OH_Left 2.wav")
    'OH_L+R 2.wav'
    """
    stem, dot, ending = plain_name(file_name).rpartition(".")
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", stem)
    words = list(re.finditer(r"[^\W\d_]+|[0-9]+", apart))
    for word in reversed(words[1:]):
        if folded(word.group()) in _SIDES:
            return f"{apart[: word.start()]}L+R{apart[word.end() :]}{dot}{ending}"
    # The side is the last letter of the last word.
    at = words[-1].end() if words else len(apart)
    return f"{apart[: at - 1]} L+R{apart[at:]}{dot}{ending}"


_ROOMS = frozenset(
    folded(word)
    for words in ({"room": "room,rooms,amb"}, *PIECE_WORDS.values())
    for word in words.get("room", "").split(",")
    if word
)
_PAIRED = _ROOMS | {folded(word) for word in _ABOVE}


def hears_the_kit(file_name: str) -> str | None:
    """Where a microphone that hears the whole kit stands, “overheads” or “room”; None for any other."""
    side = side_of(file_name)
    said = _PAIRED & set((side[0] if side else " ".join(_words(file_name))).split())
    if not said:
        return None
    return "room" if said & _ROOMS else "overheads"


def position_of(file_name: str) -> tuple[str, str] | None:
    """The name without the place of its microphone, and that place, such as “inside” or “bottom”; None where
    it tells none.
    """
    words = _words(file_name)
    for place in range(len(words) - 1, 0, -1):
        if words[place] in _POSITIONS:
            return " ".join(words[:place] + words[place + 1 :]), words[place]
    return None


def takes_alike(first: str, second: str) -> bool:
    """Whether two names differ only in a number at their end, as takes and punch-ins of one microphone do."""
    a, b = _words(first), _words(second)
    return a != b and [w for w in a if not w.isdigit()] == [w for w in b if not w.isdigit()]
