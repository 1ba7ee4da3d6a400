"""What Sort is answered with: the sounds of a source laid out, what would follow a correction, and strokes
given to another piece. Sources that carry several pieces are told apart by themselves once they are listened
to.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.decide import MARK_REACH_S, WORTH_A_LOOK, Decisions
from nubrak.core.flow import sorts_itself, told_in, ways_struck
from nubrak.core.names import Name
from nubrak.core.pieces import PIECES, PieceId, articulation_of, plain_of
from nubrak.core.problem import Problem
from nubrak.core.session import Given, GiveStrokes, id_of_told
from nubrak.core.signal import nearest_of
from nubrak.core.sort import (
    PIECES_TOLD,
    REACHES_DB,
    USUAL_REACH,
    Sorted,
    ToldPiece,
    followers,
    ghosts,
    outline,
    placed,
)
from nubrak.core.time_line import TimeLineS
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing
from nubrak.store.sessions import SessionState


class SortedPart(BaseModel):
    """One part told from the moments of the source."""

    part_id: str
    name: str
    piece: str
    muted: bool
    hits: int
    doubtful: int


class Corner(BaseModel):
    """A corner of an outline."""

    brightness_hz: float
    ring_s: float


class SoundGroup(BaseModel):
    """Strokes of one part that were struck the same way: one sound of the source."""

    part: int = Field(description="which of the parts")
    name: str
    articulation: str | None
    ghost: bool
    hits: int
    doubtful: int
    brightness_hz: float
    ring_s: float
    outline: list[Corner]


class SortMap(BaseModel):
    """The sounds of a source: its parts, their groups, and every stroke as columns in order of time."""

    revision: int
    part_id: str = Field(description="the part whose moments they are")
    moments: int
    parts: list[SortedPart]
    groups: list[SoundGroup]
    part: list[int] = Field(description="of each stroke, which of the parts")
    group: list[int]
    found_s: list[float]
    time_s: list[float]
    brightness_hz: list[float]
    ring_s: list[float]
    velocity: list[int]
    doubt: list[float]
    alone: list[bool] = Field(description="whether nothing else is struck there")
    by_hand: list[bool]
    sure: list[float] = Field(description="how likely it is this piece, 0 to 1")
    other: list[str] = Field(description="which piece it is likeliest else")
    other_sure: list[float]


class Stroke(BaseModel):
    """One stroke by its part and where it was found."""

    part_id: str
    found_s: TimeLineS


class To(BaseModel):
    """What strokes are: a part that is there, or a piece that becomes one, and how they were struck; that
    too, or instead of what they were; or nothing, where they are only dropped.
    """

    also: bool = False
    nothing: bool = False
    part_id: str | None = None
    piece: PieceId | None = None
    articulation: str | None = None
    named: Name | None = Field(default=None, min_length=1, max_length=80)


class AskFollow(BaseModel):
    """What would follow if these strokes were given to something."""

    strokes: list[Stroke] = Field(min_length=1, max_length=100_000)
    to: To


class Follower(BaseModel):
    """A stroke that would follow, from a reach on: how alike what follows has to be."""

    part_id: str
    part_name: str
    found_s: float
    time_s: float
    reach: int


class Following(BaseModel):
    """All that could follow a correction, those most like it first; how many reaches there are, and which
    is usual.
    """

    revision: int
    reaches: int = len(REACHES_DB)
    usual_reach: int = USUAL_REACH
    strokes: list[Follower]


class AskHear(BaseModel):
    """Moments to hear one after the other."""

    time_s: list[TimeLineS] = Field(min_length=1, max_length=200)


class AskGive(AskFollow):
    """Strokes given to a piece."""

    revision: int


# What of a stroke is heard by itself: from a little before it, until the next or at most so long, then a
# pause.
_BEFORE_S, _SHORTEST_HEARD_S, _LONGEST_HEARD_S, _FADE_S, _PAUSE_S = 0.005, 0.08, 0.5, 0.02, 0.12


@dataclass(frozen=True)
class _Struck:
    """All strokes of a family in order of time: the candidate of each, its part, and the like, (n,)."""

    row: NDArray[np.int64]
    part: NDArray[np.int64]
    at: NDArray[np.int64]  # row of the part's decisions
    alone: NDArray[np.bool_]


def pieces_to_tell(standing: Standing) -> dict[str, dict[str, ToldPiece]]:
    """The pieces of every source that carries several, was listened to, and was not told apart yet: by the
    part whose moments they are, and by the id of the part that each becomes.
    """
    out = {}
    for part_id in standing.document.parts:
        if standing.waiting[part_id] or not sorts_itself(standing.document, part_id):
            continue
        pieces = told_in(standing.document, part_id, standing.inputs[part_id])
        if pieces is not None:
            out[part_id] = {id_of_told(part_id, one): one for one in pieces}
    return out


def sort_map(standing: Standing, head_id: str) -> SortMap:
    """The sounds of a source whose moments were told apart."""
    sort, family = _sorted(standing, head_id), standing.document.family(head_id)
    decisions = [standing.decisions(one) for one in family]
    struck = _struck(decisions)
    ways = [ways_struck(standing.inputs[one], d) for one, d in zip(family, decisions, strict=True)]
    ghost = [_ghosts(standing.document.part(one).piece, d) for one, d in zip(family, decisions, strict=True)]
    keys = [
        (int(part), ways[part][at], bool(ghost[part][at]))
        for part, at in zip(struck.part.tolist(), struck.at.tolist(), strict=True)
    ]
    names = list(dict.fromkeys(sorted(keys, key=lambda key: (key[0], str(key[1]), key[2]))))
    group = np.array([names.index(key) for key in keys], np.int64)
    known = np.maximum(struck.row, 0)
    bands = [PIECES[standing.document.part(one).piece] for one in family]
    usual_hz = np.array([np.sqrt(bands[k].low_hz * bands[k].high_hz) for k in struck.part.tolist()])
    where = placed(sort.sounding, known, struck.alone & (struck.row >= 0), group, usual_hz)
    doubt = _of_each(struck, [d.doubt for d in decisions])
    velocity = _of_each(
        struck, [_velocity(standing, one, d) for one, d in zip(family, decisions, strict=True)]
    )
    pieces = [standing.document.part(one).piece for one in family]
    sure, other, other_sure = _odds(sort, struck, pieces)
    marked = [_by_hand(standing, one, d) for one, d in zip(family, decisions, strict=True)]
    return SortMap.model_construct(
        revision=standing.state.revision,
        part_id=head_id,
        moments=len(np.unique(struck.row)),
        parts=[
            SortedPart(
                part_id=one,
                name=standing.document.part_name(one),
                piece=pieces[k],
                muted=standing.document.part(one).muted,
                hits=int(np.count_nonzero(decisions[k].counts)),
                doubtful=int(np.count_nonzero(doubt[struck.part == k] >= WORTH_A_LOOK)),
            )
            for k, one in enumerate(family)
        ],
        groups=[
            _group(standing, family, key, group == k, where.brightness_hz, where.ring_s, doubt)
            for k, key in enumerate(names)
        ],
        part=struck.part.tolist(),
        group=group.tolist(),
        found_s=np.round(_of_each(struck, [d.found_s for d in decisions]), 6).tolist(),
        time_s=np.round(_of_each(struck, [d.time_s for d in decisions]), 6).tolist(),
        brightness_hz=np.round(where.brightness_hz, 1).tolist(),
        ring_s=np.round(where.ring_s, 4).tolist(),
        velocity=velocity.astype(np.int64).tolist(),
        doubt=np.round(doubt, 3).tolist(),
        alone=struck.alone.tolist(),
        by_hand=_of_each(struck, marked).astype(bool).tolist(),
        sure=np.round(sure, 3).tolist(),
        other=other,
        other_sure=np.round(other_sure, 3).tolist(),
    )


def following(standing: Standing, head_id: str, ask: AskFollow) -> Following:
    """Which other strokes sound like these and would follow them: out of the parts they are or were in, or,
    where something is struck as well, to be struck with that too; asked before they are given or after.
    """
    sort, out = _sorted(standing, head_id), []
    to = _to_part(standing, head_id, ask.to) if ask.to.also else None
    for part_id in dict.fromkeys(stroke.part_id for stroke in ask.strokes):
        stays = part_id == to if ask.to.also else part_id == ask.to.part_id and ask.to.articulation is None
        if stays:
            continue
        decisions = standing.decisions(part_id)
        if not len(decisions.found_s):
            continue
        asked_s = np.array([stroke.found_s for stroke in ask.strokes if stroke.part_id == part_id])
        asked = np.unique(nearest_of(asked_s, decisions.found_s))
        hits = decisions.counts & (decisions.row >= 0)
        hits[asked] = False
        if ask.to.also:
            piece = standing.document.part(to).piece if to else ask.to.piece or ""
            left, hits = _lacking(standing, to, decisions, hits)
        else:
            piece = standing.document.part(part_id).piece
            by_hand = _by_hand(standing, part_id, decisions)
            if ask.to.articulation is not None and part_id == ask.to.part_id:
                ways = ways_struck(standing.inputs[part_id], decisions)
                by_hand |= np.array([way == ask.to.articulation for way in ways], bool)
            left, hits = decisions.row[hits & by_hand], hits & ~by_hand
        place_of = {int(decisions.row[place]): int(place) for place in np.nonzero(hits)[0]}
        corrected = decisions.row[asked][decisions.row[asked] >= 0]
        rows, reach = followers(sort.sounding, corrected, left, decisions.row[hits], PIECES[piece])
        out += [
            _follower(standing, part_id, decisions, place_of[row], at)
            for row, at in zip(rows.tolist(), reach.tolist(), strict=True)
        ]
    return Following(revision=standing.state.revision, strokes=out)


def _follower(standing: Standing, part_id: str, decisions: Decisions, place: int, reach: int) -> Follower:
    return Follower(
        part_id=part_id,
        part_name=standing.document.part_name(part_id),
        found_s=round(float(decisions.found_s[place]), 6),
        time_s=round(float(decisions.time_s[place]), 6),
        reach=reach,
    )


def _lacking(
    standing: Standing, to: str | None, decisions: Decisions, hits: NDArray[np.bool_]
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Candidates of which a hand has said that a part is not struck there, and which of the ``hits`` (rows,)
    of another part's decisions lack that part.
    """
    if to is None:
        return np.zeros(0, np.int64), hits
    target = standing.decisions(to)
    refused = target.row[_by_hand(standing, to, target) & ~target.counts]
    there = np.concatenate([target.row[target.counts], refused])
    return refused[refused >= 0], hits & ~np.isin(decisions.row, there)


def strokes_one_by_one(desk: Desk, standing: Standing, head_id: str, ask: AskHear) -> NDArray[np.float32]:
    """These moments of a source one after the other, each until the next stroke or at most half a second,
    (frames, 2) at the session's rate.
    """
    standing.document.part(head_id)
    rate = standing.document.rate_hz
    struck_s = np.sort(np.concatenate([standing.decisions(one).time_s for one in [head_id]]))
    pieces = []
    for time_s in ask.time_s:
        later = struck_s[struck_s > time_s + _SHORTEST_HEARD_S]
        ends_s = min(float(later[0]) if len(later) else np.inf, time_s + _LONGEST_HEARD_S)
        begin, end = max(round((time_s - _BEFORE_S) * rate), 0), round(ends_s * rate)
        sound = desk.window(standing, "recording", [head_id], begin, max(end - begin, 1))
        fade = min(round(_FADE_S * rate), len(sound))
        sound[len(sound) - fade :] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
        pieces += [sound, np.zeros((round(_PAUSE_S * rate), 2), np.float32)]
    return np.concatenate(pieces)


def give(desk: Desk, session_id: str, head_id: str, ask: AskGive) -> SessionState:
    """Give strokes to a piece: one edit."""
    standing = desk.standing(session_id)
    to = _to_part(standing, head_id, ask.to)
    by_part: dict[str, dict[str, float]] = {}
    for stroke in ask.strokes:
        standing.document.part(stroke.part_id)
        by_part.setdefault(stroke.part_id, {})[secrets.token_hex(5)] = stroke.found_s
    action = GiveStrokes(
        kind="give_strokes",
        head_id=head_id,
        from_parts=[
            Given(part_id=one, marks=marks) for one, marks in by_part.items() if one != to and not ask.to.also
        ],
        to_part_id=to or secrets.token_hex(5),
        there={secrets.token_hex(5): one.found_s for one in ask.strokes},
        articulation=ask.to.articulation,
        piece=None if to else ask.to.piece,
        named=ask.to.named,
    )
    return desk.sessions.edit(session_id, ask.revision, action)


def _to_part(standing: Standing, head_id: str, to: To) -> str | None:
    """The part that is meant: by its id, or the family's first of that piece; None where it is still to be
    made.
    """
    if to.part_id is not None:
        standing.document.part(to.part_id)
        return to.part_id
    if to.piece is None:
        raise Problem("Nothing was named to give the strokes to.", todo="Choose a piece.")
    if to.named is not None:
        return None
    family = standing.document.family(head_id)
    return next((one for one in family if standing.document.part(one).piece == to.piece), None)


def _sorted(standing: Standing, head_id: str) -> Sorted:
    standing.document.part(head_id)
    sort = standing.sort(head_id)
    if sort is None:
        raise Problem(
            "This source has not been told apart yet.",
            todo="Wait until it has been listened to.",
            kind="missing",
        )
    return sort


def _struck(decisions: list[Decisions]) -> _Struck:
    at = [np.nonzero(d.counts)[0] for d in decisions]
    row = np.concatenate(
        [d.row[rows] for d, rows in zip(decisions, at, strict=True)] or [np.zeros(0, np.int64)]
    )
    time_s = np.concatenate([d.time_s[rows] for d, rows in zip(decisions, at, strict=True)] or [np.zeros(0)])
    part = np.concatenate([np.full(len(rows), k) for k, rows in enumerate(at)] or [np.zeros(0)]).astype(
        np.int64
    )
    order = np.lexsort((part, time_s))
    row, part, places = row[order], part[order], np.concatenate(at or [np.zeros(0, np.int64)])[order]
    _, back, count = np.unique(row, return_inverse=True, return_counts=True)
    return _Struck(row, part, places, count[back] == 1)


def _of_each(struck: _Struck, columns: Sequence[NDArray[np.generic]]) -> NDArray[np.float64]:
    """A column of the decisions of each part, for every stroke, (n,)."""
    out = np.zeros(len(struck.row))
    for k, column in enumerate(columns):
        of = struck.part == k
        out[of] = np.asarray(column)[struck.at[of]]
    return out


def _ghosts(piece: str, decisions: Decisions) -> NDArray[np.bool_]:
    """Which rows of a part's decisions are ghosts, (rows,)."""
    out, hits = np.zeros(len(decisions.row), bool), np.nonzero(decisions.counts)[0]
    if PIECES[piece].family == "drum":
        out[hits] = ghosts(decisions.level_db[hits])
    return out


def _velocity(standing: Standing, part_id: str, decisions: Decisions) -> NDArray[np.int64]:
    out, notes = np.full(len(decisions.row), 64, np.int64), standing.notes(part_id)
    struck = notes.row >= 0
    out[notes.row[struck]] = notes.velocity[struck]
    return out


def _by_hand(standing: Standing, part_id: str, decisions: Decisions) -> NDArray[np.bool_]:
    """Which rows of a part's decisions a hand has spoken of, (rows,)."""
    out = np.zeros(len(decisions.row), bool)
    marks = standing.document.part(part_id).mark_list
    if marks and len(out):
        at = np.array([mark.time_s for mark in marks])
        rows = nearest_of(at, decisions.found_s)
        out[rows[np.abs(decisions.found_s[rows] - at) <= MARK_REACH_S]] = True
    return out


def _odds(
    sort: Sorted, struck: _Struck, pieces: list[str]
) -> tuple[NDArray[np.float64], list[str], NDArray[np.float64]]:
    """Of each stroke: how likely it is its piece, which other it is likeliest that is not struck there, and
    how likely.
    """
    table = np.stack([sort.of_piece(piece) for piece in PIECES_TOLD], axis=1)
    if not len(table):
        none = np.zeros(len(struck.row))
        return none, [""] * len(none), none
    rows = np.maximum(struck.row, 0)
    own = np.array(
        [PIECES_TOLD.index(piece) if piece in PIECES_TOLD else len(PIECES_TOLD) - 1 for piece in pieces]
    )
    odds = table[rows].copy()
    sure = odds[np.arange(len(rows)), own[struck.part]] if len(rows) else np.zeros(0)
    for place, row in enumerate(struck.row.tolist()):
        odds[place, own[struck.part[struck.row == row]]] = 0.0
    best = odds.argmax(axis=1) if len(odds) else np.zeros(0, np.int64)
    return sure, [PIECES_TOLD[k] for k in best.tolist()], odds[np.arange(len(best)), best]


def _group(
    standing: Standing,
    family: list[str],
    key: tuple[int, str | None, bool],
    of: NDArray[np.bool_],
    brightness_hz: NDArray[np.float64],
    ring_s: NDArray[np.float64],
    doubt: NDArray[np.float64],
) -> SoundGroup:
    part, way, ghost = key
    piece = standing.document.part(family[part]).piece
    named = articulation_of(piece, way or "")
    words = [standing.document.part_name(family[part])]
    if named is not None and (way != plain_of(piece) or piece == "hi-hat"):
        words.append(named.name)
    # Ghosts that were divided are called so already.
    if ghost and "ghost" not in words[0].lower():
        words.append("ghost")
    corners = outline(brightness_hz[of], ring_s[of])
    return SoundGroup(
        part=part,
        name=", ".join(words),
        articulation=way,
        ghost=ghost,
        hits=int(np.count_nonzero(of)),
        doubtful=int(np.count_nonzero(doubt[of] >= WORTH_A_LOOK)),
        brightness_hz=round(float(np.median(brightness_hz[of])), 1),
        ring_s=round(float(np.median(ring_s[of])), 4),
        outline=[Corner(brightness_hz=round(x, 2), ring_s=round(y, 5)) for x, y in corners.tolist()],
    )
