"""What the stages of a part, of its layers or of a bus do, as it is drawn while they are set."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.mix import (
    AnyStage,
    Bus,
    Mix,
    Played,
    Stage,
    StartingPoint,
    curve_db,
    drawn_hz,
    played,
    render,
    spectrum_db,
    starting_points,
    through,
    turned_down_db,
)
from nubrak.core.session import Document, known_bus
from nubrak.core.signal import SILENT_LKFS, loudness_lkfs
from nubrak.desk.chains import Whose, with_chain
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

_MOST_HEARD_S = 12.0  # of a stretch that is looked at: its middle
_COLUMNS = 400
_STROKE_COLUMNS, _STROKE_BEFORE_S, _STROKE_S = 220, 0.005, 0.12  # of a stroke that is laid over itself


class AskStages(BaseModel):
    """Look at a stretch of somebody through their stages, or through others that are still being moved."""

    part_id: str | None = None
    layers: bool = Field(default=False, description="of the part only its layers")
    bus_id: str | None = None
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    chain: list[AnyStage] | None = Field(default=None, max_length=16)
    stage: int | None = Field(default=None, ge=0, le=15, description="whose turning down is drawn")


class StrokeSeen(BaseModel):
    """One stroke before and after: the lowest and highest sample in equal columns."""

    at_s: float
    start_s: float
    end_s: float
    before_low: list[float]
    before_high: list[float]
    after_low: list[float]
    after_high: list[float]


class StagesSeen(BaseModel):
    """Spectra before and after, the filters' curve, what dynamics takes, and how loud both are."""

    at_hz: list[float]
    before_db: list[float]
    after_db: list[float]
    curve_db: list[float]
    down_db: list[float] = Field(description="of the stage asked for, over the stretch in equal columns")
    before_lkfs: float
    after_lkfs: float
    without_all_db: float = Field(description="what makes it as loud without any stage as with all")
    without_stage_db: float = Field(description="what makes it as loud without the stage asked for")
    stroke: StrokeSeen | None = Field(description="the loudest stroke there")
    starting_points: list[StartingPoint]


def stages_seen(desk: Desk, standing: Standing, asked: AskStages) -> StagesSeen:
    """What the stages of a part, of its layers or of a bus do to a stretch of it."""
    document, rate = standing.document, standing.document.rate_hz
    whose = Whose(asked.part_id, asked.layers, asked.bus_id)
    kept = whose.chain(document)
    chain: list[Stage] = kept if asked.chain is None else list(asked.chain)
    mix, plain = _plain(desk, standing, whose)
    knows = played(mix, whose.bus_id or whose.part_id or "")
    start, end = (round(min(time_s, document.length_s) * rate) for time_s in (asked.start_s, asked.end_s))
    most = round(_MOST_HEARD_S * rate)
    first = start if end - start <= most else (start + end - most) // 2
    heard = max(min(end - start, most), 0)

    def made(of: list[Stage]) -> NDArray[np.float32]:
        return through(of, plain, knows, first, heard)

    before, after = plain(first, heard), made(chain)
    loud, becomes = (loudness_lkfs(iter([one]), rate) for one in (before, after))
    stage = asked.stage if asked.stage is not None and asked.stage < len(chain) else None
    left = [one for k, one in enumerate(chain) if k != stage]
    without = loudness_lkfs(iter([made(left)]), rate) if stage is not None and left else loud
    hz = drawn_hz()
    down = (
        turned_down_db(chain, stage, plain, knows, start, max(end - start, 0), _COLUMNS)
        if stage is not None and end - start <= 4 * most
        else np.zeros(0)
    )
    part = document.parts.get(whose.part_id or "")
    return StagesSeen(
        at_hz=np.round(hz, 2).tolist(),
        before_db=np.round(spectrum_db(before, rate, hz), 2).tolist(),
        after_db=np.round(spectrum_db(after, rate, hz), 2).tolist(),
        curve_db=np.round(curve_db(chain, hz, rate), 3).tolist(),
        down_db=np.round(down, 2).tolist(),
        before_lkfs=round(loud, 2),
        after_lkfs=round(becomes, 2),
        without_all_db=_made_up(becomes, loud),
        without_stage_db=_made_up(becomes, without),
        stroke=_stroke(before, after, knows, first),
        starting_points=starting_points(part.piece if part else "bus"),
    )


def _plain(
    desk: Desk, standing: Standing, whose: Whose
) -> tuple[Mix, Callable[[int, int], NDArray[np.float32]]]:
    """What comes to the stages of somebody: the mix it is made of, and any stretch of it."""
    bare = with_chain(standing, whose, [])
    if whose.bus_id is not None:
        bare = replace(
            bare, state=bare.state.model_copy(update={"document": _even(bare.document, whose.bus_id)})
        )
        parts = bare.chosen(None)
        mix = desk.mix(bare, "both", parts)
        of, bus_id = parts, whose.bus_id

        def bussed(begin: int, frames: int) -> NDArray[np.float32]:
            return _from_zero(
                lambda a, n: render(mix, "both", of, a, n, bussed=True, bus_id=bus_id), begin, frames
            )

        return replace(mix, hits=_hits(standing, list(known_bus(bare.document, bus_id).parts))), bussed
    part_id = whose.part_id or ""
    if whose.layers:
        bare = with_chain(bare, Whose(part_id), [])
    bus: Bus = "layers" if whose.layers else "both"
    mix = desk.mix(bare, bus, [part_id])

    def plain(begin: int, frames: int) -> NDArray[np.float32]:
        return _from_zero(lambda a, n: render(mix, bus, [part_id], a, n), begin, frames)

    return replace(mix, hits=_hits(standing, [part_id])), plain


def _even(document: Document, bus_id: str) -> Document:
    """A bus as it comes to its stages: on, neither louder nor to a side."""
    out = document.model_copy()
    even = known_bus(document, bus_id).model_copy(update={"on": True, "level_db": 0.0, "pan": 0.0})
    out.buses = document.buses | {bus_id: even}
    return out


def _hits(standing: Standing, part_ids: list[str]) -> dict[str, NDArray[np.int64]]:
    parts = standing.document.parts
    return {one: standing.struck(one) for one in part_ids if one in parts and parts[one].sources}


def _from_zero(
    plain: Callable[[int, int], NDArray[np.float32]], begin: int, frames: int
) -> NDArray[np.float32]:
    """A stretch that may begin before the session does."""
    before = min(max(-begin, 0), frames)
    there = plain(begin + before, frames - before) if before < frames else np.zeros((0, 2), np.float32)
    return np.concatenate([np.zeros((before, 2), np.float32), there]) if before else there


def _made_up(wanted_lkfs: float, lkfs: float) -> float:
    """What brings one loudness to another, in dB."""
    both = wanted_lkfs > SILENT_LKFS and lkfs > SILENT_LKFS
    return round(float(np.clip(wanted_lkfs - lkfs, -40, 40)), 2) if both else 0.0


def _stroke(
    before: NDArray[np.float32], after: NDArray[np.float32], knows: Played, first: int
) -> StrokeSeen | None:
    """The stroke with the largest sample in a stretch, laid over itself."""
    rate = knows.rate_hz
    early, length = round(_STROKE_BEFORE_S * rate), round(_STROKE_S * rate)
    at = knows.hit_samples - first
    at = at[(at >= early) & (at + length <= len(before))]
    if not len(at):
        return None
    loudest = at[int(np.argmax([np.abs(before[one : one + length // 4]).max() for one in at]))]
    part = slice(int(loudest) - early, int(loudest) + length)
    edges = np.linspace(0, part.stop - part.start, _STROKE_COLUMNS + 1).astype(np.int64)[:-1]

    def low_and_high(sound: NDArray[np.float32]) -> tuple[list[float], list[float]]:
        middle = sound[part].mean(axis=1)
        low, high = np.minimum.reduceat(middle, edges), np.maximum.reduceat(middle, edges)
        return np.round(low, 5).tolist(), np.round(high, 5).tolist()

    (before_low, before_high), (after_low, after_high) = low_and_high(before), low_and_high(after)
    return StrokeSeen(
        at_s=(first + int(loudest)) / rate,
        start_s=(first + part.start) / rate,
        end_s=(first + part.stop) / rate,
        before_low=before_low,
        before_high=before_high,
        after_low=after_low,
        after_high=after_high,
    )
