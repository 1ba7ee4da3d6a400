"""Starting points: chains for a piece, named by what they do. Nothing of it sounds until it is asked for.

Where boxes, beaters, sticks and shells lie, and how fast dynamics moves, is common practice.
"""

from __future__ import annotations

from pydantic import BaseModel

from nubrak.core.mix.attack_body import AttackBodyStage
from nubrak.core.mix.chain import AnyStage, WidthStage
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.equaliser import CutsStage, EqBand, EqualiserStage
from nubrak.core.pieces import PIECES


class StartingPoint(BaseModel):
    """A chain to begin with."""

    name: str
    about: str
    chain: list[AnyStage]


def _bells(*of: tuple[float, float, float]) -> EqualiserStage:
    return EqualiserStage(bands=[EqBand(at_hz=hz, by_db=db, octaves=wide) for hz, db, wide in of])


_STROKE = DynamicsStage(threshold_db=-18, ratio=4, attack_ms=25, release_ms=90, make_up_db=3)
_ANY = [
    StartingPoint(
        name="Snappier",
        about="more of the stroke, less ring",
        chain=[AttackBodyStage(attack_db=4, body_db=-5)],
    ),
    StartingPoint(name="Warmer", about="a little bent", chain=[DriveStage(drive_db=8, blend_percent=60)]),
]
_BY_PIECE = {
    "kick": [
        StartingPoint(
            name="Beater and weight",
            about="box out at 400 Hz, 55 Hz and the beater up, steep below 30 Hz",
            chain=[
                CutsStage(low_cut_hz=30, low_cut_slope=24),
                _bells((55, 3, 1.0), (400, -5, 1.3), (3600, 4, 1.2)),
                _STROKE,
            ],
        ),
        StartingPoint(
            name="Short and dry",
            about="the tail let down after the stroke",
            chain=[AttackBodyStage(body_db=-10, body_ms=500)],
        ),
    ],
    "snare": [
        StartingPoint(
            name="Crack and body",
            about="200 Hz and 5 kHz up, box out at 500 Hz, strokes evened",
            chain=[
                CutsStage(low_cut_hz=80, low_cut_slope=18),
                _bells((200, 2.5, 1.0), (500, -3.5, 1.2), (5000, 3.5, 1.4)),
                _STROKE,
            ],
        ),
        StartingPoint(
            name="Less ring", about="a narrow bell at the drum's own tone", chain=[_bells((330, -8, 0.3))]
        ),
    ],
    "tom": [
        StartingPoint(
            name="Round",
            about="shell up, box out at 500 Hz, stick up at 4 kHz",
            chain=[
                CutsStage(low_cut_hz=45, low_cut_slope=24),
                _bells((90, 3, 1.0), (500, -5, 1.2), (4000, 3, 1.2)),
                AttackBodyStage(attack_db=3),
            ],
        )
    ],
    "cymbal": [
        StartingPoint(
            name="Air without mud",
            about="low end away, 300 Hz down, the highest up",
            chain=[
                CutsStage(low_cut_hz=200, low_cut_slope=24),
                EqualiserStage(
                    bands=[
                        EqBand(at_hz=350, by_db=-3, octaves=1.4),
                        EqBand(shape="high shelf", at_hz=9000, by_db=2.5),
                    ]
                ),
            ],
        ),
        StartingPoint(name="Narrower", about="nearer to the middle", chain=[WidthStage(width_percent=60)]),
    ],
}
_LIKE = {
    "rack-tom": "tom",
    "mid-tom": "tom",
    "floor-tom": "tom",
    "hi-hat": "cymbal",
    "ride": "cymbal",
    "crash": "cymbal",
}


_BUS = [
    StartingPoint(
        name="Held together",
        about="a few dB at slow attack, so that strokes still stand out",
        chain=[DynamicsStage(threshold_db=-20, ratio=2, attack_ms=30, release_ms=120, hears_from_hz=80)],
    ),
    StartingPoint(
        name="Crushed, to be put beside",
        about="fast and deep: as a parallel it fills what lies between strokes",
        chain=[
            DynamicsStage(threshold_db=-34, ratio=8, attack_ms=2, release_ms=70, make_up_db=9),
            DriveStage(drive_db=6, blend_percent=70),
        ],
    ),
    StartingPoint(
        name="Middle firm, sides free",
        about="each by itself: loud strokes in the middle leave the width alone",
        chain=[DynamicsStage(threshold_db=-22, ratio=3, attack_ms=20, release_ms=100, apart=True)],
    ),
    StartingPoint(
        name="A return without mud",
        about="for rooms: lows and the highest away",
        chain=[CutsStage(low_cut_hz=180, low_cut_slope=12, high_cut_hz=9000, high_cut_slope=12)],
    ),
]


def starting_points(piece_id: str) -> list[StartingPoint]:
    """The chains to begin with for a piece, what suits it first; those for a "bus" are others."""
    if piece_id == "bus":
        return list(_BUS)
    own = _BY_PIECE.get(_LIKE.get(piece_id, piece_id), [])
    if not own and PIECES[piece_id].family == "drum":
        own = _BY_PIECE["tom"]
    return [*own, *_ANY]
