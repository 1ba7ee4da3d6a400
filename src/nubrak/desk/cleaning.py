"""The gaps of a source as they are drawn, and how long its strokes ring."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from nubrak.core.mix import SILENCE_DB, Cleaning, GapMark, Openings, openings_of
from nubrak.core.shape import Notes
from nubrak.core.signal import nearest_of
from nubrak.desk.standing import Standing

_SHORTEST_S = 0.01  # a note that receivers do not swallow (common practice)
_APART_S = 0.001  # a note ends so long before the next one of its number


class GapColumns(BaseModel):
    """Where a source is open, in order, in seconds: whole from ``opens_s`` to ``closes_s``, rising from
    ``rises_s`` on and down by ``down_s``.
    """

    rises_s: list[float]
    opens_s: list[float]
    closes_s: list[float]
    down_s: list[float]
    first_s: list[float] = Field(description="the attack of the stroke that each opening begins with")
    last_s: list[float] = Field(description="and of the one that it ends with")
    first_found_s: list[float] = Field(description="where those were found: what a mark speaks of")
    last_found_s: list[float]
    down_db: list[float] = Field(
        description="how far it goes down before the first, between them, and after the last"
    )
    marks: dict[str, GapMark] = Field(description="what a hand set")
    turned_down: float = Field(description="the share of the source that is turned down")


def gaps_of(standing: Standing, source_id: str, cleaning: Cleaning | None) -> GapColumns:
    """The gaps of a source as it stands, or as other settings would have them."""
    source, rate = standing.document.source(source_id), standing.document.rate_hz
    settings = cleaning or source.cleaning
    settings = settings.model_copy(update={"marks": source.cleaning.marks})
    strokes = standing.gap_strokes(source_id, settings.rings_db)
    found = openings_of(settings, strokes, rate)

    def seconds(samples: NDArray[np.int64]) -> list[float]:
        return [round(one, 5) for one in (samples / rate).tolist()]

    def at(times: NDArray[np.float64], rows: NDArray[np.int64]) -> list[float]:
        return [round(one, 6) for one in times[rows].tolist()]

    down_db = -20 * np.log10(np.maximum(found.gain, 10 ** (-SILENCE_DB / 20)))
    return GapColumns(
        rises_s=seconds(found.opens - found.rise),
        opens_s=seconds(found.opens),
        closes_s=seconds(found.closes),
        down_s=seconds(found.closes + found.fall),
        first_s=at(strokes.time_s, found.first),
        last_s=at(strokes.time_s, found.last),
        first_found_s=at(strokes.found_s, found.first),
        last_found_s=at(strokes.found_s, found.last),
        down_db=[round(one, 2) for one in down_db.tolist()],
        marks=source.cleaning.marks,
        turned_down=round(_share(found, source.end_s * rate), 4),
    )


def _share(found: Openings, end: float) -> float:
    opens = float(np.clip(found.closes + found.fall, 0, end).sum() - np.clip(found.opens, 0, end).sum())
    return max(1.0 - opens / max(end, 1.0), 0.0)


def keying_notes(standing: Standing, part_id: str, lead_s: float) -> Notes:
    """The strokes of a part as notes that key a gate on its recording: each begins ``lead_s`` before its
    attack and lasts until it has rung out, or until the next one.
    """
    notes, decided = standing.notes(part_id), standing.decisions(part_id)
    # As they were struck, and not as they are played: the gate stands on the recording.
    struck = np.nonzero(notes.row >= 0)[0]
    struck = struck[np.argsort(decided.time_s[notes.row[struck]], kind="stable")]
    at_s = decided.time_s[notes.row[struck]]
    begin_s = np.maximum(at_s - lead_s, 0.0)
    end_s = np.minimum(_rung_out_s(standing, part_id, at_s), np.append(begin_s[1:], np.inf) - _APART_S)
    return Notes(
        begin_s,
        notes.velocity[struck],
        notes.number,
        notes.channel,
        notes.length_beats,
        None if notes.numbers is None else notes.numbers[struck],
        np.maximum(end_s - begin_s, _SHORTEST_S),
        notes.row[struck],
    )


def _rung_out_s(standing: Standing, part_id: str, at_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """When strokes at ``at_s`` (n,), in order, have rung out, (n,); where a gap follows, when it begins to
    close, wherever a hand has put that.
    """
    document = standing.document
    sources = document.part(part_id).sources
    if not sources or not len(at_s):
        return at_s
    cleaning = document.source(sources[0]).cleaning
    strokes = standing.gap_strokes(sources[0], cleaning.rings_db)
    found = openings_of(cleaning, strokes, document.rate_hz)
    ends_s = strokes.time_s + strokes.rings_s
    ends_s[found.last] = found.closes / document.rate_hz
    return np.asarray(ends_s[nearest_of(at_s, strokes.time_s)])
