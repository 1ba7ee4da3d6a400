"""How loud what is heard is: matched loudness, and meters."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, ValidationError

from nubrak.core.decide import FindSettings
from nubrak.core.mix import Bus, render_click
from nubrak.core.pieces import ONLY_HEARD
from nubrak.core.session import out_of_bounds
from nubrak.core.signal import EARLY_S, SILENT_LKFS, STEP_S, loudness_lkfs, metered
from nubrak.desk.chains import Whose, Without
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

_MOST_MEASURED_S = 600.0  # of a stretch whose loudness is asked for
_WINDOW_FRAMES = 1 << 18  # rendered at a time
_APART: tuple[Bus, Bus] = ("recording", "layers")


class Matched(BaseModel):
    """How loud recording, layers and both are over a stretch, and what brings them to one loudness: never
    louder, so that nothing clips.
    """

    recording_lkfs: float
    layers_lkfs: float
    both_lkfs: float
    recording_db: float
    layers_db: float
    both_db: float


class MeterColumns(BaseModel):
    """Peak and momentary loudness ten times a second."""

    peak_db: list[float]
    loudness_lkfs: list[float]


class PartMeters(BaseModel):
    """One part's meters."""

    part_id: str
    recording: MeterColumns
    layers: MeterColumns


class Meters(BaseModel):
    """The meters of a stretch."""

    step_s: float
    start_s: float
    parts: list[PartMeters]
    whole: MeterColumns


def settings_of(text: str | None) -> FindSettings | None:
    """Find settings that are still being moved, as JSON; a ``Problem`` where they do not fit."""
    if text is None:
        return None
    try:
        return FindSettings.model_validate_json(text)
    except ValidationError as error:
        raise out_of_bounds(error) from error


class AskWithout(BaseModel):
    """Stages that are not heard: of a part, of its layers or of a bus; one of them, or all."""

    part_id: str | None = None
    layers: bool = False
    bus_id: str | None = None
    stage: int | None = Field(default=None, ge=0, le=15)
    trim_db: float = Field(default=0.0, ge=-40, le=40, description="what makes up for it")


def without_of(text: str | None) -> Without | None:
    """Stages that are not heard, as JSON; a ``Problem`` where they do not fit."""
    if text is None:
        return None
    try:
        asked = AskWithout.model_validate_json(text)
    except ValidationError as error:
        raise out_of_bounds(error) from error
    return Without(Whose(asked.part_id, asked.layers, asked.bus_id), asked.stage, asked.trim_db)


def heard_parts(standing: Standing, part: str | None, backing: bool = True) -> list[str]:
    """The parts that are heard: one, all, or all but those that are only played along to."""
    if part is not None:
        standing.document.part(part)
        return [part]
    return [
        part_id for part_id, one in standing.document.ordered_parts() if backing or one.piece != ONLY_HEARD
    ]


def packed(sound: NDArray[np.float32]) -> bytes:
    """Sound (frames, 2) as little-endian float32, interleaved."""
    return sound.astype("<f4").tobytes()


def with_click(standing: Standing, sound: NDArray[np.float32], start: int) -> NDArray[np.float32]:
    """Sound (frames, 2) from sample ``start`` on with a click on every beat of the session's tempo."""
    document = standing.document
    click = render_click(document.tempo, document.rate_hz, start, len(sound))
    return np.asarray(sound + click[:, None])


def matched(
    desk: Desk, standing: Standing, parts: list[str], start: int, end: int, bussed: bool = False
) -> Matched:
    """The loudness of what is heard from sample ``start`` to ``end``, and the gains that bring the three to
    one.
    """
    loud = {}
    buses: tuple[Bus, ...] = ("recording", "layers", "both")
    for bus in buses:
        loud[bus] = loudness_lkfs(
            _windows(desk, standing, bus, parts, start, end, bussed), standing.document.rate_hz
        )
    sounding = [value for value in loud.values() if value > SILENT_LKFS]
    least = min(sounding, default=SILENT_LKFS)
    down = {bus: round(least - value, 2) if value > SILENT_LKFS else 0.0 for bus, value in loud.items()}
    return Matched(
        recording_lkfs=round(loud["recording"], 1),
        layers_lkfs=round(loud["layers"], 1),
        both_lkfs=round(loud["both"], 1),
        recording_db=down["recording"],
        layers_db=down["layers"],
        both_db=down["both"],
    )


def _windows(
    desk: Desk, standing: Standing, bus: Bus, parts: list[str], start: int, end: int, bussed: bool
) -> Iterator[NDArray[np.float32]]:
    at_all = range(start, end, _WINDOW_FRAMES)
    most = round(_MOST_MEASURED_S * standing.document.rate_hz / _WINDOW_FRAMES)
    # Of what is longer, as many spread over all of it: loudness is a mean, and somebody waits for it.
    for at in at_all[:: max(1, -(-len(at_all) // most))]:
        yield desk.window(
            standing, bus, parts, at, min(_WINDOW_FRAMES, end - at), solo=True, bussed=bussed, mastered=True
        )


def meters(desk: Desk, standing: Standing, parts: list[str], start: int, frames: int) -> Meters:
    """The meters of these parts and of all of them together, from sample ``start`` on."""
    rate = standing.document.rate_hz
    early = min(round(EARLY_S * rate), start)
    lines = []
    for part_id in parts:
        recording, layers = (
            desk.window(standing, bus, [part_id], start - early, early + frames, solo=True, mastered=True)
            for bus in _APART
        )
        lines.append(
            PartMeters(
                part_id=part_id,
                recording=_columns(recording, rate, early),
                layers=_columns(layers, rate, early),
            )
        )
    # Not the sum of the lines: a source that two parts share sounds once.
    whole = desk.window(
        standing, "both", parts, start - early, early + frames, solo=True, bussed=True, mastered=True
    )
    return Meters(step_s=STEP_S, start_s=start / rate, parts=lines, whole=_columns(whole, rate, early))


def _columns(sound: NDArray[np.float32], rate_hz: int, early: int) -> MeterColumns:
    peak, loud = metered(sound, rate_hz, early)
    return MeterColumns(peak_db=np.round(peak, 1).tolist(), loudness_lkfs=np.round(loud, 1).tolist())
