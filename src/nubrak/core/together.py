"""Microphones that stood at one kit, looked through together: which sources of a session those are, and what
is found on each of them beside the others.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.find import Candidates, join
from nubrak.core.flow import Look, heard_as, listens_to, look_of
from nubrak.core.pieces import MATERIALS, PIECES
from nubrak.core.problem import Problem
from nubrak.core.session import Clip, Document
from nubrak.core.sort import listen
from nubrak.core.spill import found_one_by_one

# Longer, and a machine of 4 GB would run out of room: 20 minutes at 48 kHz, and 16 of those.
_MOST_FRAMES, _MOST_SAMPLES = 60_000_000, 1_000_000_000


@dataclass(frozen=True)
class Beside:
    """One source as it stands beside others: what it is pointed at, how it is looked through, and its clips.
    ``heard`` says whether it is itself listened to so, or only helps the others.
    """

    source_id: str
    piece: str
    look: Look
    clips: tuple[Clip, ...]
    heard: bool


@dataclass(frozen=True)
class Group:
    """The sources of a session that are looked through together, in a fixed order, and their rate."""

    members: tuple[Beside, ...]
    rate_hz: int

    def key_of(self, member: Beside) -> str:
        """The name of what is found on one of them, as all of them lie now: a hash of where each is, and the
        hash of its audio.
        """
        lies = [
            (one.piece, one.source_id == member.source_id, [(clip.audio, clip.start_s) for clip in one.clips])
            for one in self.members
        ]
        words = repr((member.look, sorted(map(repr, lies))))
        return f"{hashlib.sha256(words.encode()).hexdigest()[:24]}-{member.clips[0].audio}"


def groups_of(document: Document) -> list[Group]:
    """The microphones of a session that hear each other, room by room; none that has no other beside it."""
    members = dict[str, list[Beside]]()
    for part_id, part in document.parts.items():
        piece = PIECES[part.piece]
        if part.sorted_from is not None or part.divided_from is not None:
            continue
        many = piece.family == "whole" or MATERIALS[heard_as(part)].mixed
        if many and piece.family != "overall":
            continue
        look, listened = look_of(document, part_id), listens_to(document, part_id)
        for source_id in part.sources:
            source = document.sources[source_id]
            if source in listened:
                one = Beside(source_id, part.piece, look, tuple(source.clips), not many)
                members.setdefault(source.room, []).append(one)
    return [group for of_room in members.values() if (group := _group(of_room)) is not None]


def _group(members: list[Beside]) -> Group | None:
    rate_hz = Counter(clip.rate_hz for one in members for clip in one.clips).most_common(1)[0][0]
    alike = tuple(
        sorted(
            (one for one in members if {clip.rate_hz for clip in one.clips} == {rate_hz}),
            key=lambda one: one.source_id,
        )
    )
    group = Group(alike, rate_hz)
    begin_s, end_s = _span_s(group)
    frames = round((end_s - begin_s) * rate_hz)
    fits = frames <= _MOST_FRAMES and frames * len(alike) <= _MOST_SAMPLES
    return group if len(alike) > 1 and fits else None


def find_beside(
    group: Group, wanted: list[Beside], mono_of: Callable[[str], NDArray[np.float32]]
) -> Iterator[tuple[Beside, Candidates]]:
    """What is found on some of a group, each as soon as it is, on the session's time line; ``mono_of`` gives
    the samples (frames,) that the detector hears of a file.
    """
    begin_s, _ = _span_s(group)
    signals, asked = dict[str, NDArray[np.float32]](), {one.source_id for one in wanted}
    for one in group.members:
        try:
            signals[one.source_id] = _laid_out(one.clips, begin_s, group.rate_hz, mono_of)
        except Problem:
            # One that cannot be read helps nobody, and must not keep the others from being heard.
            if one.source_id in asked:
                raise
    same = {one.source_id: one.piece for one in group.members}
    asked_for = {one.source_id: one for one in wanted}
    for source_id, found in found_one_by_one(signals, group.rate_hz, same, list(asked_for)):
        one = asked_for[source_id]
        if one.look is Look.WAYS:
            found = listen(signals[source_id], found, group.rate_hz)
        yield one, join([found], [begin_s])


def _span_s(group: Group) -> tuple[float, float]:
    clips = [clip for one in group.members for clip in one.clips]
    return min(clip.start_s for clip in clips), max(clip.start_s + clip.length_s for clip in clips)


def _laid_out(
    clips: tuple[Clip, ...], begin_s: float, rate_hz: int, mono_of: Callable[[str], NDArray[np.float32]]
) -> NDArray[np.float32]:
    """The clips of a source at their places, (frames,), the first sample ``begin_s`` on the time line."""
    heard = [(round((clip.start_s - begin_s) * rate_hz), mono_of(clip.audio)) for clip in clips]
    if len(heard) == 1 and heard[0][0] == 0:
        return heard[0][1]
    out = np.zeros(max(at + len(mono) for at, mono in heard), np.float32)
    for at, mono in heard:
        out[at : at + len(mono)] += mono
    return out
