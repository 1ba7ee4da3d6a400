"""What the stages of a part do, as it is drawn while they are set."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.mix import (
    AnyStage,
    StartingPoint,
    curve_db,
    drawn_hz,
    render,
    spectrum_db,
    starting_points,
    through,
    turned_down_db,
)
from nubrak.core.signal import SILENT_LKFS, loudness_lkfs
from nubrak.desk.desk import Desk
from nubrak.desk.standing import Standing

_MOST_HEARD_S = 12.0  # of a stretch that is looked at: its middle
_COLUMNS = 400
_NO_HITS = np.zeros(0, np.int64)


class AskStages(BaseModel):
    """Look at a stretch of a part through its stages, or through others that are still being moved."""

    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    chain: list[AnyStage] | None = Field(default=None, max_length=16)
    stage: int | None = Field(default=None, ge=0, le=15, description="whose turning down is drawn")


class StagesSeen(BaseModel):
    """Spectra before and after, the filters' curve, what dynamics takes, and how loud both are."""

    at_hz: list[float]
    before_db: list[float]
    after_db: list[float]
    curve_db: list[float]
    down_db: list[float] = Field(description="of the stage asked for, over the stretch in equal columns")
    before_lkfs: float
    after_lkfs: float
    match_db: float = Field(description="what brings what comes out to the loudness of what went in")
    starting_points: list[StartingPoint]


def stages_seen(desk: Desk, standing: Standing, part_id: str, asked: AskStages) -> StagesSeen:
    """What the stages of a part do to a stretch of it."""
    document, rate = standing.document, standing.document.rate_hz
    part = document.part(part_id)
    chain = part.chain if asked.chain is None else asked.chain
    mix = replace(desk.mix(standing, "both", [part_id]), staged=False)
    struck = standing.struck(part_id) if part.sources else _NO_HITS
    start, end = (round(min(time_s, document.length_s) * rate) for time_s in (asked.start_s, asked.end_s))

    def plain(begin: int, frames: int) -> NDArray[np.float32]:
        return render(mix, "both", [part_id], begin, frames)

    most = round(_MOST_HEARD_S * rate)
    first = start if end - start <= most else (start + end - most) // 2
    heard = max(min(end - start, most), 0)
    before, after = plain(first, heard), through(chain, plain, struck, rate, first, heard)
    hz = drawn_hz()
    loud, made = (loudness_lkfs(iter([one]), rate) for one in (before, after))
    both = loud > SILENT_LKFS and made > SILENT_LKFS
    down = (
        turned_down_db(chain, asked.stage, plain, struck, rate, start, max(end - start, 0), _COLUMNS)
        if asked.stage is not None and asked.stage < len(chain) and end - start <= 4 * most
        else np.zeros(0)
    )
    return StagesSeen(
        at_hz=np.round(hz, 2).tolist(),
        before_db=np.round(spectrum_db(before, rate, hz), 2).tolist(),
        after_db=np.round(spectrum_db(after, rate, hz), 2).tolist(),
        curve_db=np.round(curve_db(chain, hz, rate), 3).tolist(),
        down_db=np.round(down, 2).tolist(),
        before_lkfs=round(loud, 2),
        after_lkfs=round(made, 2),
        match_db=round(loud - made, 2) if both else 0.0,
        starting_points=starting_points(part.piece),
    )
