"""Gather: what a new recording belongs to. Halves of a stereo pair, takes of one microphone, several
microphones on one piece.
"""

from __future__ import annotations

from nubrak.core.gather.pairs import WIDEST_PAIR_DB, WIDEST_PAIR_OF_A_DRUM_DB
from nubrak.core.pieces import PIECES, hears_the_kit, pair_name, position_of, side_of, takes_alike
from nubrak.core.session import Clip, Document, Part, Source

_SAME_LENGTH_S = 0.5  # halves of a pair begin and end together but for how they were cut
_LONGEST_LOOP_S = 30.0  # eight bars, slowly
_LEAST_COMPANY = 2


def other_half(document: Document, source_id: str) -> tuple[str, str, str] | None:
    """Left source, right source and the pair's name, where ``source_id`` and another are the two halves of a
    stereo pair.
    """
    mine = document.sources[source_id]
    side = side_of(mine.name)
    if side is None or not _one_channel(mine):
        return None
    for other_id, other in document.sources.items():
        theirs = side_of(other.name)
        if (
            other_id == source_id
            or theirs is None
            or theirs[0] != side[0]
            or theirs[1] == side[1]
            or not _one_channel(other)
        ):
            continue
        a, b = mine.clips[0], other.clips[0]
        if (
            a.rate_hz == b.rate_hz
            and abs(a.length_s - b.length_s) < _SAME_LENGTH_S
            and abs(a.start_s - b.start_s) < _SAME_LENGTH_S
        ):
            name = pair_name(mine.name)
            return (source_id, other_id, name) if side[1] == "left" else (other_id, source_id, name)
    return None


def offered_pairs(document: Document) -> list[tuple[str, str]]:
    """Left and right source of each two that are named like the sides of a pair and were not taken for one:
    they are asked about.
    """
    found = {other_half(document, source_id) for source_id in document.sources}
    return sorted((one[0], one[1]) for one in found if one is not None)


def offered_drums(document: Document) -> list[tuple[str, str]]:
    """Parts that may be two microphones of one drum: of one piece, recorded at once, and named alike but for
    a number or a place. Whether they are is told by what they hear.
    """
    heads = [(key, part) for key, part in document.ordered_parts() if _one_recording(document, part)]
    out = []
    for place, (first, part) in enumerate(heads):
        one = document.sources[part.sources[0]]
        for second, other in heads[place + 1 :]:
            two = document.sources[other.sources[0]]
            alike = takes_alike(one.name, two.name) or _other_place(one.name, two.name)
            if other.piece == part.piece and alike and _at_once(one, two):
                out.append((first, second))
    return out


def _one_recording(document: Document, part: Part) -> bool:
    return part.sorted_from is None and len(part.sources) == 1 and PIECES[part.piece].noted


def _other_place(first: str, second: str) -> bool:
    one, two = position_of(first), position_of(second)
    return one is not None and two is not None and one[0] == two[0] and one[1] != two[1]


def _at_once(one: Source, two: Source) -> bool:
    return (
        abs(one.clips[0].start_s - two.clips[0].start_s) < _SAME_LENGTH_S
        and abs(one.end_s - two.end_s) < _SAME_LENGTH_S
        and one.room == two.room
    )


def widest_pair_db(document: Document, source_id: str) -> float:
    """How differently two sides named alike may hear, in dB, and still be taken for a pair by themselves."""
    source = document.sources[source_id]
    piece = source.guess.piece if source.guess is not None else "else"
    wide = hears_the_kit(source.name) is not None or PIECES[piece].family in ("whole", "overall", "room")
    return WIDEST_PAIR_DB if wide else WIDEST_PAIR_OF_A_DRUM_DB


def company_of(document: Document, clip: Clip) -> list[str]:
    """The sources that were recorded at the same time as a clip, as the microphones of one session are: begun
    and ended with it. None where they are few, or so short that they may be loops of one length.
    """
    if clip.length_s < _LONGEST_LOOP_S:
        return []
    beside = [
        source_id
        for source_id, source in document.sources.items()
        if len(source.clips) == 1
        and abs(source.clips[0].length_s - clip.length_s) < _SAME_LENGTH_S
        and source.clips[0].stamp_s == clip.stamp_s
    ]
    return beside if len(beside) >= _LEAST_COMPANY else []


def takes_of(document: Document, name: str, clip: Clip, piece: str) -> str | None:
    """The source that a stamped file is a further take of: named alike, the same piece, and at no time the
    same moment.
    """
    if clip.stamp_s is None or document.origin_s is None:
        return None
    for source_id, source in document.sources.items():
        stamped = [c for c in source.clips if c.stamp_s is not None]
        same = source.guess is not None and source.guess.piece == piece and len(stamped) == len(source.clips)
        apart = all(
            clip.stamp_s >= c.stamp_s + c.length_s or clip.stamp_s + clip.length_s <= c.stamp_s
            for c in stamped
            if c.stamp_s is not None
        )
        if same and apart and takes_alike(source.name, name) and source.clips[0].channels == clip.channels:
            return source_id
    return None


def same_piece(document: Document, part_id: str) -> tuple[str, str] | None:
    """The part of another microphone that is named after another place at the same piece, and that
    microphone: kick inside and outside, snare top and bottom. Whether both hear one drum is told by their
    sound.
    """
    part = document.parts[part_id]
    mine = document.sources[part.sources[0]]
    for other_id, other in document.ordered_parts():
        if other_id == part_id or other.piece != part.piece or other.marks:
            continue
        for source_id in other.sources:
            theirs = document.sources[source_id]
            if _other_place(mine.name, theirs.name) and _at_once(mine, theirs):
                return other_id, source_id
    return None


def possible_sides(document: Document, left_id: str) -> list[str]:
    """The sources that can be the right side of a stereo pair with one: one take and one channel each, of
    one sample rate, begun at the same time.
    """
    left = document.sources[left_id]
    if not _one_channel(left):
        return []
    return [
        source_id
        for source_id, one in document.sources.items()
        if source_id != left_id
        and _one_channel(one)
        and one.clips[0].rate_hz == left.clips[0].rate_hz
        and abs(one.clips[0].start_s - left.clips[0].start_s) < _SAME_LENGTH_S
    ]


def _one_channel(source: Source) -> bool:
    return len(source.clips) == 1 and source.clips[0].channels == 1
