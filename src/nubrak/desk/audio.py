"""Audio in memory while there is room: samples as they are and as voices play them, sources as one signal."""

from __future__ import annotations

import threading
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from cachetools import LRUCache, cachedmethod
from numpy.typing import NDArray

from nubrak.core.layer import Voice, as_stereo, made_ready, ready_key, with_own
from nubrak.core.mix import Mend, mended, touching
from nubrak.core.samples import Sample
from nubrak.core.session import Source
from nubrak.store.cache import Cache

_MOST_BYTES = 256 << 20  # for each of the four: some minutes of sources, some thousand samples

Ready = tuple[NDArray[np.float32], int]
Placed = tuple[int, NDArray[np.float32]]


def _bytes_of(thing: NDArray[Any] | Ready | Placed) -> int:
    if isinstance(thing, tuple):
        return int(sum(one.nbytes for one in thing if isinstance(one, np.ndarray)))
    return thing.nbytes


def _room() -> LRUCache[Hashable, Any]:
    return LRUCache(_MOST_BYTES, _bytes_of)


@dataclass
class Audio:
    """What is heard, over the disk cache. Two threads may make a thing at once; both get the same one."""

    cache: Cache
    _samples: LRUCache[Hashable, NDArray[np.float32]] = field(default_factory=_room)
    _voiced: LRUCache[Hashable, Ready] = field(default_factory=_room)
    _sources: LRUCache[Hashable, NDArray[np.float32]] = field(default_factory=_room)
    _placed: LRUCache[Hashable, Placed] = field(default_factory=_room)
    _lock: threading.RLock = field(default_factory=threading.RLock)

    @cachedmethod(
        lambda self: self._samples,
        key=lambda _, sample, rate_hz: (sample.audio, rate_hz),
        lock=lambda self: self._lock,
    )
    def sample(self, sample: Sample, rate_hz: int) -> NDArray[np.float32]:
        """A sample's audio at a rate, (frames, 1 or 2); of more channels their mean."""
        audio = self.cache.decoded(sample.audio, rate_hz)
        few = audio.shape[1] <= 2
        return np.array(audio if few else audio.mean(axis=1, keepdims=True, dtype=np.float32))

    @cachedmethod(
        lambda self: self._voiced,
        key=lambda _, sample, voice, rate_hz: (
            sample.audio,
            sample.attack_s,
            sample.begin_s,
            rate_hz,
            *ready_key(with_own(voice, sample)),
        ),
        lock=lambda self: self._lock,
    )
    def voiced(self, sample: Sample, voice: Voice, rate_hz: int) -> Ready:
        """A sample as a voice plays it, and the frame its attack is at."""
        audio = self.sample(sample, rate_hz)[round(sample.begin_s * rate_hz) :]
        attack_s = max(sample.attack_s - sample.begin_s, 0.0)
        return made_ready(audio, attack_s, rate_hz, with_own(voice, sample))

    @cachedmethod(
        lambda self: self._sources,
        key=lambda _, source, rate_hz: (rate_hz, *((clip.audio, clip.start_s) for clip in source.clips)),
        lock=lambda self: self._lock,
    )
    def source_mono(self, source: Source, rate_hz: int) -> NDArray[np.float32]:
        """A source on the session's time line as one signal, (frames,); where takes overlap, both."""
        out = np.zeros(round(source.end_s * rate_hz) + 1, np.float32)
        for clip in source.clips:
            audio, begin = self.cache.decoded(clip.audio, rate_hz), round(clip.start_s * rate_hz)
            used = min(len(audio), len(out) - begin)
            out[begin : begin + used] += np.asarray(audio[:used]).mean(axis=1, dtype=np.float32)
        out.flags.writeable = False
        return out

    @cachedmethod(
        lambda self: self._placed,
        key=lambda _, source, rate_hz, mends=(): (
            rate_hz,
            *((clip.audio, clip.start_s) for clip in source.clips),
            *((one.time_s, one.from_s, one.length_s) for one in mends),
        ),
        lock=lambda self: self._lock,
    )
    def placed(self, source: Source, rate_hz: int, mends: Sequence[Mend] = ()) -> Placed:
        """The sample at which a source begins on the session's time line, and its clips from there on,
        (frames, 1 or 2), with the strokes that were mended.
        """
        clips = [
            (round(one.start_s * rate_hz), self.cache.decoded(one.audio, rate_hz)) for one in source.clips
        ]
        begin = min(start for start, _ in clips)
        mono = all(audio.shape[1] == 1 for _, audio in clips)
        out = np.zeros(
            (max(start + len(audio) for start, audio in clips) - begin, 1 if mono else 2), np.float32
        )
        for start, audio in clips:
            out[start - begin : start - begin + len(audio)] += audio if mono else as_stereo(np.asarray(audio))
        plain = out

        def recorded(start: int, frames: int) -> NDArray[np.float32]:
            sound = np.zeros((frames, plain.shape[1]), np.float32)
            low, high = max(start, begin), min(start + frames, begin + len(plain))
            if low < high:
                sound[low - start : high - start] = plain[low - begin : high - begin]
            return sound

        out = mended(out, touching(mends, rate_hz, begin, len(out)), recorded, rate_hz, begin)
        out.flags.writeable = False
        return begin, out
