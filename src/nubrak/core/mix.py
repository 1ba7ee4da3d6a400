"""What is heard: the recording and the layers of one part or of all, for any window of time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from nubrak.core.document import Document
from nubrak.core.layer import SampleAudio, as_stereo, render_layer
from nubrak.core.level import db_to_gain
from nubrak.core.shape import Notes

Bus = Literal["recording", "layers", "both"]
ClipAudio = Callable[[str], NDArray[np.float32]]  # content hash → (frames, channels) at the session's rate


def render(
    document: Document, notes: dict[str, Notes], clip_audio: ClipAudio, sample_audio: SampleAudio,
    bus: Bus, part_ids: list[str], start: int, frames: int,
) -> NDArray[np.float32]:
    """Samples ``start`` to ``start + frames`` of the chosen parts, (frames, 2) float32 at the document's rate.

    The same function serves listening and printing; windows joined equal the whole.
    """
    out = np.zeros((frames, 2), np.float32)
    if bus in ("recording", "both"):
        _add_recordings(out, document, clip_audio, part_ids, start)
    if bus in ("layers", "both"):
        for part_id in part_ids:
            part = document.parts[part_id]
            gain = np.float32(db_to_gain(part.blend.layers_db))
            for layer in part.layers.values():
                out += gain * render_layer(layer, notes[part_id], sample_audio, document.rate_hz, start, frames)
    return out


def _add_recordings(out: NDArray[np.float32], document: Document, clip_audio: ClipAudio, part_ids: list[str], start: int) -> None:
    """Add every source of the parts once, at the blend of the first part that has it."""
    frames, done = len(out), set()
    for part_id in part_ids:
        part = document.parts[part_id]
        for source_id in part.sources:
            if source_id in done or not part.blend.recording_on:
                continue
            done.add(source_id)
            gain = np.float32(db_to_gain(part.blend.recording_db))
            for clip in document.sources[source_id].clips:
                begin = round(clip.start_s * document.rate_hz)
                if begin >= start + frames or begin + (clip.length_s + 1) * document.rate_hz <= start:
                    continue
                audio = clip_audio(clip.audio)
                low, high = max(begin, start), min(begin + len(audio), start + frames)
                if low < high:
                    out[low - start : high - start] += gain * as_stereo(audio[low - begin : high - begin])
