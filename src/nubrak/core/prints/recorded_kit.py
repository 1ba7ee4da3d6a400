"""A kit out of a recording as files: each piece's clearest strokes as WAV, and SFZ with their layers and
turns, one text for each microphone they were heard by. The texts are alike but for the files, so that
loaded together they are one kit with a level for each microphone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nubrak.core.pieces import file_name
from nubrak.core.samples import Cutout, Instrument, Kit, Layered, as_sample, cut_out, louder_by, write_sfz
from nubrak.core.signal import db_to_gain

CLOSE = "close"


@dataclass(frozen=True)
class Taken:
    """A piece out of a recording: its strokes and where each is cut out, and the audio (frames, channels)
    of every microphone that hears it, its own as ``CLOSE``.
    """

    name: str
    piece: str
    strokes: Sequence[Layered]
    cutouts: Sequence[Cutout]
    heard: Mapping[str, NDArray[np.float32]]


@dataclass(frozen=True)
class KitPrint:
    """The files, (frames, channels) by path below the folder, and an SFZ text for each microphone by its
    name.
    """

    files: dict[str, NDArray[np.float32]]
    sfz: dict[str, str]


def print_kit(name: str, pieces: Sequence[Taken], rate_hz: int) -> KitPrint:
    """A kit of pieces out of one recording at one rate."""
    microphones = list(dict.fromkeys(one for piece in pieces for one in piece.heard))
    microphones.sort(key=lambda one: one != CLOSE)
    files: dict[str, NDArray[np.float32]] = {}
    texts = {}
    for microphone in microphones:
        instruments, paths = {}, {}
        for number, piece in enumerate(one for one in pieces if microphone in one.heard):
            samples = []
            for turn, (stroke, where) in enumerate(zip(piece.strokes, piece.cutouts, strict=True), start=1):
                stem = file_name(f"{piece.name} v{stroke.velocity:03d} {turn}")
                # Nothing is stored here, so a number stands where the content's hash would.
                audio = f"{len(files):064x}"
                paths[audio] = f"{file_name(microphone)}/{stem}.wav"
                files[paths[audio]] = cut_out(piece.heard[microphone], where)
                samples.append(as_sample(stroke, where, rate_hz, audio, f"{stem}.wav"))
            if samples:
                instruments[str(number)] = Instrument(name=piece.name, piece=piece.piece, samples=samples)
        if instruments:
            kit = Kit(name=f"{name} {microphone}", instruments=instruments)
            louder_db = louder_by(kit)
            for audio, louder in louder_db.items():
                files[paths[audio]] = files[paths[audio]] * np.float32(db_to_gain(louder))
            texts[kit.name] = write_sfz(kit, paths, dict.fromkeys(paths, rate_hz), louder_db)
    return KitPrint(files, texts)
