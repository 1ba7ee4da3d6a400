"""A listener: microphones handed over in blocks of any size, strokes given back as soon as they are sure."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from nubrak.core.decide import FindSettings, State, forest_in, log_odds
from nubrak.core.live.bands import HOP_S, inside
from nubrak.core.live.features import FEATURES
from nubrak.core.live.hearing import MOST_EVENTS, Kit, hear, memory, room_for_heard
from nubrak.core.live.learnt import Learnt, band_levels, unheard
from nubrak.core.live.settling import Settled, Unsettled, is_due, settled_power, unsettled
from nubrak.core.pieces import PIECES, material_of
from nubrak.core.problem import Problem
from nubrak.core.signal import power_ratio_to_db, power_to_db
from nubrak.core.spill import kind_of

TAUGHT = Path(__file__).parent / "first_milliseconds.npz"
KINDS = ("kick", "drum", "cymbal", "overall")
MOST_CHANNELS = MOST_EVENTS
_UNDER_SOFTEST_DB = 20.0  # where a line lies that nobody set, under the softest stroke that was learnt
_LOWEST_RISE_DB = 3.0
_BELIEVED_NATS = 8.0
_NATS_PER_DB = 0.35  # what a decibel of margin is worth in log odds, as offline
_SPILL_SPEAKS_DB = 14.0  # a candidate further over the spill than this is not explained by it
# A rise is asked about again where it goes on, with no look-ahead in every hop, and each time may pass for
# a stroke: so much surer it must be, by look-ahead in ms. Chosen on teaching sessions of libraries left out.
_CHANCES_NATS = ((0.0, 5.0), (1.2, 0.4))
_NEVER_DB = -120.0
_STEP_HOPS = 64  # heard at a time: strengths are read before their levels leave the ring


@dataclass(frozen=True)
class LivePart:
    """What one microphone is there for."""

    piece: str
    find: FindSettings = field(default_factory=FindSettings)


@dataclass(frozen=True)
class LiveStroke:
    """A candidate as it was decided: its microphone, when it began (``time_s``), by when it was decided
    (``decided_s``), both in seconds of what was heard; levels in dBFS; and what it was found to be.
    """

    channel: int
    time_s: float
    decided_s: float
    level_db: float
    strength_db: float
    rise_db: float
    spill_db: float
    line_db: float
    stroke_probability: float
    state: State


def inside_of(part: LivePart) -> NDArray[np.float64]:
    """What of each band a part listens to, (BANDS,)."""
    piece = PIECES[part.piece]
    low = piece.low_hz if part.find.low_hz is None else part.find.low_hz
    high = piece.high_hz if part.find.high_hz is None else part.find.high_hz
    if material_of(piece, part.find.material).whole_band:
        low, high = part.find.low_hz or 30.0, part.find.high_hz or 18000.0
    return inside(min(low, high), max(low, high))


def kit_of(learnt: Learnt, parts: list[LivePart], look_ahead_ms: float) -> Kit:
    """What was learnt, as it is listened with."""
    within = np.stack([inside_of(part) for part in parts])
    at_home = np.einsum("ccb->cb", learnt.heard)
    usual = np.einsum("cb,cb->c", at_home, within)
    noise = np.einsum("cb,cb->c", learnt.floor, within)
    profile = at_home / np.maximum(at_home.max(axis=1, keepdims=True), 1e-13)
    return Kit(
        within,
        learnt.heard,
        np.maximum(usual, 1e-12),
        np.maximum(power_ratio_to_db(profile), -40.0),
        2.0 * learnt.floor + 1e-12,
        np.maximum(4.0 * noise, usual * 10.0 ** (-4.8)),
        learnt.own,
        learnt.spilt,
        learnt.rings,
        np.array([KINDS.index(kind_of(PIECES[part.piece])) for part in parts], np.int64),
        round(look_ahead_ms / 1000.0 / HOP_S),
    )


class Listener:
    """Strokes out of microphones while they are played.

    ``parts`` are what the microphones are there for, in their order; what it remembers does not grow.
    """

    def __init__(
        self, parts: list[LivePart], learnt: Learnt, rate_hz: int, look_ahead_ms: float, taught: Path = TAUGHT
    ) -> None:
        if not 0 < len(parts) <= MOST_CHANNELS:
            raise Problem(
                f"{len(parts)} microphones are more than can be listened to while they are played",
                kept="everything as it was",
                todo=f"choose up to {MOST_CHANNELS}",
            )
        self.rate_hz = rate_hz
        self._forest = forest_in(taught, FEATURES)
        self._memory, self._heard = memory(len(parts), rate_hz), room_for_heard()
        self._unsettled: dict[int, Unsettled] = {}
        self.settled: list[Settled] = []
        self.set(parts, learnt, look_ahead_ms)

    def set(self, parts: list[LivePart], learnt: Learnt, look_ahead_ms: float) -> None:
        """Other settings from now on; what was heard stays heard."""
        self.parts, self.learnt = list(parts), learnt
        self._kit = kit_of(learnt, self.parts, look_ahead_ms)
        self._strength = np.stack([_strength_bands(part) for part in self.parts])
        at_home = np.einsum("ccb,cb->c", learnt.heard, self._strength)
        self.usual_strength_db = power_to_db(at_home) + learnt.level_offset_db
        usual_db = power_to_db(self._kit.usual) + learnt.level_offset_db
        self.line_db = np.array(
            [
                usual + softest - _UNDER_SOFTEST_DB
                if part.find.threshold_db is None
                else part.find.threshold_db
                for part, usual, softest in zip(self.parts, usual_db, learnt.softest_db, strict=True)
            ]
        )

    def hear(self, block: NDArray[np.float32]) -> list[LiveStroke]:
        """The next samples of all microphones, (frames, c): what was decided by the end of them. The strokes
        whose strength could be told in full by then are ``settled``.
        """
        self.settled = []
        block = np.ascontiguousarray(block, np.float32)
        if block.ndim != 2 or block.shape[1] != len(self.parts):
            raise Problem(
                f"{block.shape[-1]} microphones came where {len(self.parts)} were expected",
                kept="what was heard until then",
                todo="start listening again",
            )
        out: list[LiveStroke] = []
        at = 0
        step = _STEP_HOPS * self._memory.hop
        for end in range(step, len(block) + step, step):
            part = block[:end]
            while at < len(part):
                count, at = hear(part, at, self._kit, self._memory, self._heard)
                if count:
                    odds = log_odds(self._heard.features[:count], self._forest)
                    out += [self._decided(row, float(odds[row])) for row in range(count)]
            for one in list(self._unsettled.values()):
                if is_due(one, int(self._memory.heard[1])):
                    self._settle(one, None)
        return out

    def _settle(self, one: Unsettled, next_hop: int | None) -> None:
        power = settled_power(self._memory.levels, one, next_hop, int(self._memory.heard[1]))
        strength_db = float(power_to_db(power @ self._strength[one.channel]))
        self.settled.append(Settled(one.channel, one.time_s, strength_db))
        del self._unsettled[one.channel]

    def _decided(self, row: int, odds: float) -> LiveStroke:
        heard, known = self._heard, dict(zip(FEATURES, self._heard.features[row].tolist(), strict=True))
        c, attack = int(heard.channel[row]), int(heard.attack[row])
        part, offset_db = self.parts[c], float(self.learnt.level_offset_db[c])
        level_db = float(power_to_db(heard.power[row])) + offset_db
        strength = float(power_to_db(heard.bands[row] @ self._strength[c])) + offset_db
        over_spill_db = known["over_spill_db"]
        find, piece = part.find, PIECES[part.piece]
        material = material_of(piece, find.material)
        weighs = material.weighs and find.surety_percent > 0
        odds = min(max(odds, -_BELIEVED_NATS), _BELIEVED_NATS)
        if find.spill_margin_db is None:
            odds = _BELIEVED_NATS if over_spill_db < _SPILL_SPEAKS_DB else odds
        elif over_spill_db < _SPILL_SPEAKS_DB:
            odds += _NATS_PER_DB * (4.0 - find.spill_margin_db)
        wanted = np.log(find.surety_percent / (100.0 - find.surety_percent)) if weighs else 0.0
        wanted += float(np.interp(known["look_ahead_ms"], *_CHANCES_NATS))
        rise_needed = material.rise_db if find.rise_db is None else find.rise_db
        hold_off_ms = next(
            one for one in (find.hold_off_ms, material.hold_off_ms, piece.hold_off_ms) if one is not None
        )
        since_ms = (attack - int(self._memory.struck[c])) / self.rate_hz * 1000
        state = State.HIT
        if weighs and odds < wanted:
            state = State.SPILL if over_spill_db < _SPILL_SPEAKS_DB else State.UNLIKE
        elif not weighs and find.spill_margin_db is not None and over_spill_db < find.spill_margin_db:
            state = State.SPILL
        if rise_needed > 0 and known["rise_db"] < max(rise_needed, _LOWEST_RISE_DB):
            state = State.SOFT_RISE
        if level_db < self.line_db[c]:
            state = State.UNDER
        if state is State.HIT and since_ms < hold_off_ms:
            state = State.HELD_OFF
        if state is State.HIT:
            self._memory.struck[c], self._memory.struck_power[c] = attack, heard.power[row]
            self._memory.opened[c] = -1
            hop = attack // self._memory.hop
            if (last := self._unsettled.get(c)) is not None:
                self._settle(last, hop)
            self._unsettled[c] = unsettled(self._memory.levels, c, attack / self.rate_hz, hop)
        return LiveStroke(
            c,
            attack / self.rate_hz,
            int(heard.at[row]) / self.rate_hz,
            level_db,
            strength,
            known["rise_db"],
            max(level_db - over_spill_db, _NEVER_DB),
            float(self.line_db[c]),
            1.0 / (1.0 + float(np.exp(-odds))) if weighs else 1.0,
            state,
        )


def _strength_bands(part: LivePart) -> NDArray[np.float64]:
    piece = PIECES[part.piece]
    return inside(piece.strength_low_hz, piece.strength_high_hz)


def made_ready(rate_hz: int = 44100) -> None:
    """Let everything be compiled that listening needs; kept beside the sources, it is quick from then on."""
    learnt = unheard(1)
    silence = np.zeros((rate_hz // 10, 1), np.float32)
    band_levels(silence, rate_hz)
    clicks = silence.copy()
    clicks[rate_hz // 20 :: 400] = 0.5
    Listener([LivePart("snare")], learnt, rate_hz, 1.0).hear(clicks)
