"""The recordings of parts, each source once. Parts that were told from the same moments share a source:
each has its own share of it, with its own blend, under the blend of the part they were told from.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from nubrak.core.mix.blend import Blend, as_recorded, cut, ducking_gain, pan_gains
from nubrak.core.signal import Stretch, db_to_gain

_NO_HITS = np.zeros(0, np.int64)  # of a part that plays nothing


class SharingPart(Protocol):
    """What a part must say of itself to have a share."""

    @property
    def sources(self) -> Sequence[str]: ...
    @property
    def blend(self) -> Blend: ...
    @property
    def sorted_from(self) -> str | None: ...
    @property
    def divided_from(self) -> str | None: ...


def sharing(parts: Mapping[str, SharingPart], head_id: str) -> list[str]:
    """The parts that have a share of a part's sources: those told from its moments or divided from it,
    and itself where only some of its strokes were taken out by hand. None where it has them for itself.
    """
    under = [key for key, part in parts.items() if part.sorted_from == head_id]
    divided = all(parts[key].divided_from == head_id for key in under)
    return [head_id, *under] if under and divided else under


def head_of(parts: Mapping[str, SharingPart], part_id: str) -> str:
    """The part whose sources a part has a share of, or itself."""
    head = parts[part_id].sorted_from
    return part_id if head is None or head not in parts else head


def are_apart(parts: Mapping[str, SharingPart], sharers: list[str], head_id: str, alone: bool) -> bool:
    """Whether the shares have to be told apart to be heard together: one of them is not as it was
    recorded, or only some are heard.
    """
    of = [parts[one].blend for one in sharers if one != head_id]
    if alone and not parts[head_id].blend.recording_solo:
        return any(one.recording_solo for one in of)
    return not all(as_recorded(one) for one in of)


def blended(
    blend: Blend, hits: NDArray[np.int64] | None, plain: Stretch, rate_hz: int, start: int, frames: int
) -> NDArray[np.float32]:
    """The samples ``start`` to ``start + frames`` of what ``plain`` gives, (frames, 2), as a blend has
    it: cut, making room for its hits, at its level and place.
    """
    from nubrak.core.mix.recursions import placed

    sound = cut(blend, plain, rate_hz, start, frames)
    room = ducking_gain(blend, _NO_HITS if hits is None else hits, rate_hz, start, frames)
    if room is not None:
        sound = sound * room[:, None]
    if not blend.recording_db and not blend.recording_pan:
        return sound
    left, right = np.float32(db_to_gain(blend.recording_db)) * pan_gains(blend.recording_pan)
    return np.asarray(placed(sound, left, right))
