"""The pieces of a drum kit and of hand percussion: note numbers, staff places, detector bands, starting
points.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field, computed_field

NoteHead = Literal["oval", "cross"]
ONLY_HEARD = "heard"  # a source to play along with, in which nothing is looked for
Family = Literal["kick", "drum", "cymbal", "overall", "hand", "whole", "room"]


_NOTED = "whether its strokes become notes; else it is heard and not looked through"


class Piece(BaseModel):
    """What can be struck, and everything the flow needs to know about it before anything is set."""

    id: str
    name: str
    key: str = Field(description="the key that chooses this piece in Gather")
    note: int = Field(ge=0, le=127, description="note number of the General MIDI Level 1 percussion key map")
    head: NoteHead = Field(
        description="note head of percussion notation: ovals for drums, crosses for cymbals"
    )
    staff: float = Field(
        description="place on the percussion staff: 0 is the bottom line, 4 the top line, halves are spaces"
    )
    ink: str = Field(description="name of the colour that tells it apart")
    low_hz: float = Field(description="where its own band begins: the detector hears from here")
    high_hz: float = Field(description="where its own band ends")
    strength_low_hz: float = Field(
        description="strength is measured from here to the top of the band it names"
    )
    strength_high_hz: float = Field(description="and up to here")
    usual_velocity: int = Field(description="of the loudest strokes that are usual on it")
    hold_off_ms: float = Field(description="starting point for the shortest time between two hits")
    family: Family = Field(description="what its strokes and its microphone are like")
    words: list[str] = Field(description="what file names call it")

    @computed_field(description=_NOTED)  # type: ignore[prop-decorator]
    @property
    def noted(self) -> bool:
        return self.family != "room" and self.id != ONLY_HEARD


# Where strength is measured, when not in a piece's own band. A tom's fundamental still rings from the stroke
# before when the higher modes are long gone; a kick's and a hat's sound is all of their strength. Chosen on
# the sessions that benchmarks/learn.py makes.
_STRENGTH_HZ = {
    "rack-tom": (250.0, 20000.0),
    "mid-tom": (250.0, 20000.0),
    "floor-tom": (250.0, 20000.0),
    "kick": (0.0, 20000.0),
    "hi-hat": (157.0, 20000.0),
}


# How hard each is struck where it is usually struck hardest (common practice: hats and rides are led with
# small strokes, backbeats and fills are full ones): a part that is heard alone does not tell how hard its
# loudest strokes are.
_USUAL_VELOCITY = {
    "kick": 112,
    "snare": 112,
    "hi-hat": 94,
    "ride": 94,
    "crash": 116,
    "tambourine": 100,
    "shaker": 94,
}
_ELSE_VELOCITY = 110


def _piece(
    id: str,
    name: str,
    key: str,
    note: int,
    head: NoteHead,
    staff: float,
    ink: str,
    low_hz: float,
    high_hz: float,
    hold_off_ms: float,
    family: Family,
    words: str,
) -> Piece:
    strength_low_hz, strength_high_hz = _STRENGTH_HZ.get(id, (low_hz, high_hz))
    return Piece(
        id=id,
        name=name,
        key=key,
        note=note,
        head=head,
        staff=staff,
        ink=ink,
        low_hz=low_hz,
        high_hz=high_hz,
        strength_low_hz=strength_low_hz,
        strength_high_hz=strength_high_hz,
        usual_velocity=_USUAL_VELOCITY.get(id, _ELSE_VELOCITY),
        hold_off_ms=hold_off_ms,
        family=family,
        words=words.split(","),
    )


# Note numbers: General MIDI Level 1 percussion key map (MMA). Staff places: Weinberg, Guide to Standardized
# Drumset Notation, PAS 1998 (from memory). Bands and hold-off: common practice.
PIECES: dict[str, Piece] = {
    piece.id: piece
    for piece in (
        _piece(
            "kick",
            "Kick",
            "k",
            36,
            "oval",
            0.5,
            "kick",
            30,
            220,
            30,
            "kick",
            "kick,bassdrum,bass drum,bd,kik,kck,kd",
        ),
        _piece("snare", "Snare", "s", 38, "oval", 2.5, "snare", 120, 9000, 18, "drum", "snare,sn,snr,sd"),
        _piece(
            "rack-tom",
            "Rack tom",
            "t",
            48,
            "oval",
            3.5,
            "rack-tom",
            80,
            3000,
            18,
            "drum",
            "racktom,rack tom,rack,tom 1,tom1,tom,hi tom,tt",
        ),
        _piece(
            "mid-tom",
            "Mid tom",
            "d",
            47,
            "oval",
            3.0,
            "rack-tom",
            65,
            2500,
            18,
            "drum",
            "mid tom,midtom,middle tom",
        ),
        _piece(
            "floor-tom",
            "Floor tom",
            "f",
            43,
            "oval",
            1.5,
            "floor-tom",
            50,
            2000,
            18,
            "drum",
            "floor tom,floortom,floor,ft,flr,tom 2,tom2,tom 3,tom3,low tom",
        ),
        _piece(
            "hi-hat",
            "Hi-hat",
            "h",
            42,
            "cross",
            4.5,
            "hi-hat",
            2500,
            18000,
            20,
            "cymbal",
            "hi hat,hihat,hat,hats,hh,high hat",
        ),
        _piece(
            "crash",
            "Crash",
            "c",
            49,
            "cross",
            5.0,
            "crash",
            1500,
            16000,
            60,
            "overall",
            "crash,cymbal,cym,overheads,overhead,oh,ohs,over",
        ),
        _piece("ride", "Ride", "r", 51, "cross", 4.0, "ride", 1500, 16000, 30, "cymbal", "ride,rd"),
        _piece("clap", "Clap", "l", 39, "cross", 2.5, "hand", 500, 9000, 50, "hand", "clap,claps,handclap"),
        _piece(
            "tambourine",
            "Tambourine",
            "m",
            54,
            "cross",
            5.0,
            "hand",
            3000,
            18000,
            40,
            "hand",
            "tambourine,tamb,tam",
        ),
        _piece(
            "shaker",
            "Shaker",
            "a",
            70,
            "cross",
            4.5,
            "hand",
            3000,
            18000,
            50,
            "hand",
            "shaker,shk,maracas,egg",
        ),
        _piece(
            "conga", "Conga", "g", 63, "oval", 3.0, "hand", 80, 5000, 25, "hand", "conga,congas,bongo,bongos"
        ),
        _piece("cowbell", "Cowbell", "w", 56, "cross", 4.5, "hand", 400, 8000, 40, "hand", "cowbell,bell"),
        _piece(
            "woodblock",
            "Woodblock",
            "n",
            76,
            "cross",
            4.0,
            "hand",
            400,
            8000,
            30,
            "hand",
            "woodblock,wood block,claves,clave",
        ),
        _piece(
            "loop",
            "Whole loop",
            "o",
            38,
            "oval",
            2.0,
            "loop",
            30,
            18000,
            25,
            "whole",
            "loop,beat,groove,mix,kit,drums",
        ),
        _piece(
            "mouth",
            "By mouth",
            "u",
            38,
            "oval",
            2.0,
            "loop",
            30,
            18000,
            70,
            "whole",
            "mouth,mouth percussion,beatbox,beat box,beatboxing,vocal percussion,voice",
        ),
        _piece(
            "room",
            "Room",
            "y",
            37,
            "oval",
            2.0,
            "loop",
            30,
            18000,
            30,
            "room",
            "room,rooms,ambience,ambient,amb,ambi,hall,far",
        ),
        _piece(
            "heard",
            "Only heard",
            "b",
            37,
            "oval",
            2.0,
            "loop",
            30,
            18000,
            30,
            "whole",
            "backing,click,guide,playback,music",
        ),
        _piece("else", "Something else", "e", 37, "oval", 2.0, "loop", 60, 16000, 30, "whole", ""),
    )
}


def _known_piece(piece: str) -> str:
    if piece not in PIECES:
        raise ValueError(f"there is no piece “{piece}”; there are {', '.join(PIECES)}")
    return piece


PieceId = Annotated[str, AfterValidator(_known_piece)]


_KINDS: dict[Family, str] = {"kick": "drum", "overall": "cymbal"}  # families that sound as others do


def kinds_apart(piece: str, other: str) -> int:
    """How far two pieces are in kind: 0 the same, 1 both drums, cymbals or hand percussion, 2 otherwise."""
    if piece == other:
        return 0
    if piece not in PIECES or other not in PIECES:
        return 2
    one, two = (_KINDS.get(PIECES[each].family, PIECES[each].family) for each in (piece, other))
    return 1 if one == two else 2
