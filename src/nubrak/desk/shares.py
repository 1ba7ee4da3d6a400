"""What each part has of a source that several were told from, kept while there is room."""

from __future__ import annotations

import threading
from collections.abc import Hashable
from dataclasses import dataclass, field

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from nubrak.core.layer import as_stereo
from nubrak.core.mix import head_of, sharing
from nubrak.core.problem import Problem
from nubrak.core.session import Source
from nubrak.core.signal import db_to_gain
from nubrak.core.sort import Shares, Struck, apart, by_itself, turned_down
from nubrak.desk.audio import Audio
from nubrak.desk.standing import Standing

_MOST_BYTES = 256 << 20
_NONE_DB = -60.0
_LONGEST_S = 1200.0  # told apart at once: some hundred megabytes


@dataclass
class Told:
    """Shares of sources, each told apart once for the strokes that are known. Threads may share it."""

    audio: Audio
    _kept: LRUCache[Hashable, Shares] = field(
        default_factory=lambda: LRUCache(_MOST_BYTES, lambda shares: shares.share.nbytes)
    )
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def share(
        self, standing: Standing, part_id: str, source_id: str, start: int, frames: int
    ) -> NDArray[np.float32]:
        """The samples ``start`` to ``start + frames`` of what a part has of a source, (frames, 2)."""
        document, rate = standing.document, standing.document.rate_hz
        source = document.source(source_id)
        sharers = sharing(document.parts, head_of(document.parts, part_id))
        begin, sound = self.audio.placed(source, rate, document.mends)
        _, shares = self._shares(standing, source, sharers, begin, sound)
        return as_stereo(by_itself(sound, shares, sharers.index(part_id), start - begin, frames))

    def less(
        self, standing: Standing, part_id: str, source_id: str, start: int, frames: int
    ) -> NDArray[np.float32]:
        """The samples ``start`` to ``start + frames`` of a source with less of other parts, as a part wants
        it, (frames, 2).
        """
        document, rate = standing.document, standing.document.rate_hz
        source, less_of = document.source(source_id), document.part(part_id).less_of
        begin, sound = self.audio.placed(source, rate, document.mends)
        heard = [one for one, _ in document.ordered_parts() if document.is_noted(one)]
        if not any(one in heard for one in less_of):
            return as_stereo(_stretch(sound, start - begin, frames))
        about, shares = self._shares(standing, source, heard, begin, sound)
        gain = tuple(_gain(less_of.get(one, 0.0)) for one in heard)
        key = "less", about, gain
        with self._lock:
            if key not in self._kept:
                self._kept[key] = turned_down(shares, gain)
            whole = self._kept[key]
        return as_stereo(by_itself(sound, whole, 0, start - begin, frames))

    def _shares(
        self, standing: Standing, source: Source, sharers: list[str], begin: int, sound: NDArray[np.float32]
    ) -> tuple[Hashable, Shares]:
        """The shares of these parts, and the key under which they are kept."""
        document, rate = standing.document, standing.document.rate_hz
        if len(sound) > _LONGEST_S * rate:
            raise Problem(
                f"“{source.name}” is longer than {_LONGEST_S / 60:.0f} minutes: its pieces cannot be "
                "heard by themselves.",
                todo="Listen to all of it, or bring in a shorter stretch of it.",
            )
        pieces = []
        for one in sharers:
            struck = standing.struck(one) - begin
            inside = struck[(struck >= 0) & (struck < len(sound))]
            pieces.append(Struck(document.parts[one].piece, inside / rate))
        clips = tuple((clip.audio, clip.start_s) for clip in source.clips)
        mends = tuple((one.time_s, one.from_s, one.length_s) for one in document.mends)
        key = rate, clips, mends, tuple((one.piece, one.time_s.tobytes()) for one in pieces)
        with self._lock:
            if key not in self._kept:
                self._kept[key] = apart(sound, rate, pieces)
            return key, self._kept[key]


def _gain(less_db: float) -> float:
    return 0.0 if less_db <= _NONE_DB else float(db_to_gain(less_db))


def _stretch(sound: NDArray[np.float32], start: int, frames: int) -> NDArray[np.float32]:
    """Samples of a sound, silent where it is not."""
    out = np.zeros((frames, sound.shape[1]), np.float32)
    low, high = max(start, 0), min(start + frames, len(sound))
    if low < high:
        out[low - start : high - start] = sound[low:high]
    return out
