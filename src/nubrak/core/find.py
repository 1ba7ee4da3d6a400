"""Find: where something may have been struck, at full sensitivity, once per source.

Energies over 1 ms are compared with the loudest that rang in the 22 ms before; the comparison is made on the plain signal
and on two steepened ones, so that a soft bright stroke shows over a loud dark ringing. Every place that rises is kept with
its features; which of them count is decided later, without analysing again.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d

from nubrak.core.attack import refine_attacks
from nubrak.core.course import attack_taper, course_of, into_bands, laid_out, low_bands, low_powers_in, no_course, powers_in
from nubrak.core.exemplar import Exemplars, Likeness, exemplars_of, lay_over
from nubrak.core.level import FLOOR_DB, power_to_db
from nubrak.core.windows import windows_at

VERSION = 12  # a new number makes everything derived from candidates anew
LEAST_RISE_DB = 3.0
CLOSE_RISE_DB = 1.5  # a mix hides soft strokes under everything else that sounds
_FRAME_S = 0.001
_BEFORE_FRAMES = 22
_GAP_FRAMES = 2
_AHEAD_FRAMES = 4
_APART_FRAMES = 6
_BLOCK_FRAMES = 1 << 14
_AT_ONCE = 128
_LEAST_SHARE = 0.005  # of a band that does not rise, what is left to the level
_WINDOW_HIDES_DB = 4.0
_SURE_ALIKE = 0.6
_BRIGHT_START_DB = 8.0
_SAME_S = 0.002
_STEP_AWAY_S, _BETTER_ALIKE = 0.004, 0.02
_UNDER_ALIKE, _UNDER_DB, _UNDER_APART_S = 0.5, -20.0, 0.004
_LOW_HZ = 250.0
_WINDOW_S = 0.0232  # the attack window of the spectra: 1024 samples at 44.1 kHz
BAND_EDGES_HZ = np.concatenate([[0.0], 31.25 * 2.0 ** (np.arange(0, 29) / 3.0), [1e6]])  # third octaves up to 20 kHz


@dataclass(frozen=True)
class Candidates:
    """Everything that may have been struck in one source, one row each, in order of time.

    ``time_s`` (n,) the attack; ``rise_db`` (n,) how far the level jumps above what rang just before;
    ``peak_db`` (n,) the largest sample of the stroke in dBFS; ``attack_power`` (n, bands) mean square per third octave in the
    attack window; ``before_power`` (n, bands) the same for what rang before, decayed to where the stroke is; ``alike`` (n, k)
    how well each lies over each sound the source repeats, 0 to 1, and ``laid_s`` (n, k) where its attack then is; ``alike_under``,
    ``laid_under_s`` and ``under_db`` (n, k) the same for what is left without the sound it is most like (``exemplar.Likeness``).
    ``course`` (steps, regions) is how the level goes on between them (``course.course_of``).
    """

    time_s: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    peak_db: NDArray[np.float64]
    attack_power: NDArray[np.float32]
    before_power: NDArray[np.float32]
    alike: NDArray[np.float32]
    laid_s: NDArray[np.float64]
    alike_under: NDArray[np.float32]
    laid_under_s: NDArray[np.float64]
    under_db: NDArray[np.float32]
    course: NDArray[np.float16] = field(default_factory=no_course)

    def __len__(self) -> int:
        return len(self.time_s)


def no_candidates() -> Candidates:
    """What silence gives."""
    power, none = np.zeros((0, len(BAND_EDGES_HZ) - 1), np.float32), np.zeros((0, 0), np.float32)
    return Candidates(np.zeros(0), np.zeros(0), np.zeros(0), power, power, none, none.astype(np.float64), none, none.astype(np.float64), none)


def join(parts: list[Candidates], starts_s: list[float]) -> Candidates:
    """Candidates of several clips, each moved to its start, as one list in order of time."""
    if not parts:
        return no_candidates()
    if len(parts) == 1 and not starts_s[0]:
        return parts[0]
    times = np.concatenate([part.time_s + start for part, start in zip(parts, starts_s, strict=True)])
    order = np.argsort(times, kind="stable")
    moved = [replace(part, laid_s=part.laid_s + start, laid_under_s=part.laid_under_s + start) for part, start in zip(parts, starts_s, strict=True)]
    rest = {name: np.concatenate([getattr(part, name) for part in moved])[order] for name in ("rise_db", "peak_db", "attack_power", "before_power")}
    # Each clip has sounds of its own, so each keeps its own columns.
    rest |= {name: side_by_side([getattr(part, name) for part in moved])[order] for name in PER_SOUND}
    return Candidates(time_s=times[order], **rest, course=laid_out([part.course for part in parts], starts_s))


PER_SOUND = ("alike", "laid_s", "alike_under", "laid_under_s", "under_db")


def side_by_side(blocks: list[NDArray[np.floating]]) -> NDArray[np.floating]:
    """Blocks (n_i, k_i) on the diagonal of one table, zero elsewhere."""
    out = np.zeros((sum(len(block) for block in blocks), sum(block.shape[1] for block in blocks)), blocks[0].dtype)
    row = column = 0
    for block in blocks:
        out[row : row + len(block), column : column + block.shape[1]] = block
        row, column = row + len(block), column + block.shape[1]
    return out


def find_candidates(mono: NDArray[np.float32], rate_hz: int, closely: bool = False) -> Candidates:
    """All candidates of a signal ``mono`` (frames,), full scale 1; with ``closely`` also places that hardly rise.

    Nothing is invented at the edges: what comes before the first sample counts as silence only if the signal starts with a
    stroke, that is if its first milliseconds are not simply the level that goes on.
    """
    if len(mono) < rate_hz // 200 or not np.any(mono):
        return no_candidates()
    frame = max(1, round(_FRAME_S * rate_hz))
    plain, rises = _rises(mono, frame)
    places = _peaks_of(rises, CLOSE_RISE_DB if closely else LEAST_RISE_DB)
    if not len(places):
        return no_candidates()
    coarse = (_steepest(plain, places) * frame).astype(np.int64)
    attacks = refine_attacks(mono, coarse, rate_hz)
    single = _apart(attacks, rises[places], round(_APART_FRAMES * frame))
    attacks, coarse, rise = attacks[single], coarse[single], rises[places][single]
    sounds, likeness = exemplars_of(mono, attacks, *_loudness(plain, attacks // frame), rate_hz)
    attacks, rise, likeness = _from_the_step(mono, attacks, coarse, rise, sounds, likeness, rate_hz)
    under = _lying_under(attacks, likeness, rate_hz)
    if len(under):
        attacks = np.concatenate([attacks, under])
        rise = np.concatenate([rise, rises[np.clip(under // frame, 0, len(rises) - 1)]])
        likeness = _both(likeness, lay_over(mono, under, sounds, rate_hz))
    # The sound a candidate is most like knows better than the candidate itself where it began.
    attacks, rise, likeness = _settled(attacks, rise, likeness, rate_hz)
    attack_power, before_power, peak = _spectra(mono, attacks, rate_hz)
    return Candidates(
        time_s=attacks / rate_hz,
        rise_db=rise,
        peak_db=np.maximum(20.0 * np.log10(np.maximum(peak, 1e-9)), FLOOR_DB),
        attack_power=attack_power,
        before_power=before_power,
        alike=likeness.alike,
        laid_s=likeness.attack_s,
        alike_under=likeness.alike_under,
        laid_under_s=likeness.attack_under_s,
        under_db=likeness.under_db,
        course=course_of(mono, rate_hz),
    )


def _lying_under(attacks: NDArray[np.int64], likeness: Likeness, rate_hz: int) -> NDArray[np.int64]:
    """Places, (m,), where a sound of the source lies under another that began some milliseconds before, and nothing rises."""
    if not likeness.alike.shape[1]:
        return np.zeros(0, np.int64)
    rows, best = np.arange(len(attacks)), likeness.alike_under.argmax(axis=1)
    sure = (likeness.alike_under[rows, best] > _UNDER_ALIKE) & (likeness.under_db[rows, best] > _UNDER_DB)
    places = np.sort(np.round(likeness.attack_under_s[rows, best][sure] * rate_hz).astype(np.int64))
    places = places[places > 0]
    apart = round(_UNDER_APART_S * rate_hz)
    right = np.minimum(np.searchsorted(attacks, places), len(attacks) - 1)
    away = np.minimum(np.abs(attacks[right] - places), np.abs(attacks[np.maximum(right - 1, 0)] - places))
    places = places[away > apart]
    return places[np.concatenate([[True], np.diff(places) > apart])] if len(places) else places


def _both(first: Likeness, second: Likeness) -> Likeness:
    return Likeness(**{f.name: np.concatenate([getattr(first, f.name), getattr(second, f.name)]) for f in fields(Likeness)})


def _apart(attacks: NDArray[np.int64], rise: NDArray[np.float64], apart: int) -> NDArray[np.int64]:
    """The rows of those that stand apart, in order of time, (m,)."""
    order = np.argsort(attacks, kind="stable")
    return order[_one_per_stroke(attacks[order], rise[order], apart)]


def _from_the_step(
    mono: NDArray[np.float32], attacks: NDArray[np.int64], coarse: NDArray[np.int64], rise: NDArray[np.float64], sounds: Exemplars, likeness: Likeness, rate_hz: int,
) -> tuple[NDArray[np.int64], NDArray[np.float64], Likeness]:
    """Candidates whose attack was sought far from where their level steps up, laid over once more from there: the better likeness stands.

    A dark stroke over its own ringing shows no attack of its own, and one is then found somewhere in its body.
    """
    rows = np.nonzero(np.abs(attacks - coarse) > round(_STEP_AWAY_S * rate_hz))[0]
    if not len(rows) or not likeness.alike.shape[1]:
        return attacks, rise, likeness
    again = lay_over(mono, coarse[rows], sounds, rate_hz)
    better = again.alike.max(axis=1) > likeness.alike[rows].max(axis=1) + _BETTER_ALIKE
    rows, taken = rows[better], np.nonzero(better)[0]
    attacks = attacks.copy()
    attacks[rows] = coarse[rows]
    columns = {f.name: getattr(likeness, f.name).copy() for f in fields(Likeness)}
    for name, column in columns.items():
        column[rows] = getattr(again, name)[taken]
    order = np.argsort(attacks, kind="stable")
    return attacks[order], rise[order], Likeness(**{name: column[order] for name, column in columns.items()})


def _loudness(plain: NDArray[np.float64], frames: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level of each candidate in its first 20 frames, (n,), and how far under it the loudest of the 20 before stands, (n,)."""
    power = 10.0 ** (plain / 10.0)
    sums = np.concatenate([[0.0], np.cumsum(power)])
    last = len(power)
    after = (sums[np.minimum(frames + 20, last)] - sums[np.minimum(frames, last)]) / 20
    before = maximum_filter1d(plain, 20, origin=9)[np.clip(frames - 2, 0, last - 1)]
    level = 10.0 * np.log10(np.maximum(after, 1e-12))
    return level, np.where(frames < 2, FLOOR_DB, before) - level


def _settled(attacks: NDArray[np.int64], rise: NDArray[np.float64], likeness: Likeness, rate_hz: int) -> tuple[NDArray[np.int64], NDArray[np.float64], Likeness]:
    """Candidates moved to where the sound they are most like begins, in order, and of those that then coincide only one."""
    alike, laid_s = likeness.alike, likeness.attack_s
    if alike.shape[1]:
        best = alike.argmax(axis=1)
        rows = np.arange(len(attacks))
        laid = np.round(laid_s[rows, best] * rate_hz).astype(np.int64)
        attacks = np.where(alike[rows, best] > _SURE_ALIKE, np.maximum(laid, 0), attacks)
    order = np.lexsort((-rise, attacks))
    keep = order[_one_per_stroke(attacks[order], rise[order], round(_SAME_S * rate_hz))]
    return attacks[keep], rise[keep], Likeness(**{f.name: getattr(likeness, f.name)[keep] for f in fields(Likeness)})


def _frame_levels(mono: NDArray[np.float32], frame: int) -> list[NDArray[np.float64]]:
    """Level per frame, (whole frames,), of the signal and of its first and second difference; block by block, so that an
    hour takes no more room than a minute.
    """
    whole = len(mono) // frame
    levels = [np.empty(whole) for _ in range(3)]
    for at in range(0, whole, _BLOCK_FRAMES):
        end = min(at + _BLOCK_FRAMES, whole)
        # Two samples more in front for the differences; extrapolated before the first, so that a signal which begins off
        # zero does not begin with a jump.
        signal = mono[max(at * frame - 2, 0) : end * frame]
        if at == 0:
            step = mono[1] - mono[0] if len(mono) > 1 else np.float32(0)
            signal = np.concatenate([[mono[0] - 2 * step, mono[0] - step], signal]).astype(np.float32)
        for order in range(3):
            blocks = signal[2 - order :].reshape(end - at, frame)
            levels[order][at:end] = power_to_db(np.einsum("ij,ij->i", blocks, blocks) / frame)
            signal = np.diff(signal)
    return levels


def _rises(mono: NDArray[np.float32], frame: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level per frame, and the rise per frame: the largest over the plain and the steepened signals."""
    plain: NDArray[np.float64] | None = None
    rises: NDArray[np.float64] | None = None
    levels = _frame_levels(mono, frame)
    on_stroke = _begins_on_stroke(levels[-1])
    for level in levels:
        floor = max(float(np.percentile(level[:: max(1, len(level) // 20000)], 5)), FLOOR_DB + 15.0) - 3.0
        level = np.maximum(level, floor)
        width = _BEFORE_FRAMES - _GAP_FRAMES + 1
        # Before the first frame stands the floor if the file begins on a stroke, else the level it begins with.
        edge = floor if on_stroke else float(level[:15].max())
        padded = np.concatenate([np.full(_BEFORE_FRAMES + 1, edge), level])
        trailing = maximum_filter1d(padded, width, origin=(width - 1) // 2)  # the max of the width frames up to here
        rang = trailing[_BEFORE_FRAMES + 1 - _GAP_FRAMES : len(padded) - _GAP_FRAMES]
        ahead = maximum_filter1d(level, _AHEAD_FRAMES + 1, origin=-(_AHEAD_FRAMES // 2), mode="nearest")
        rise = ahead - rang
        plain = level if plain is None else plain
        rises = rise if rises is None else np.maximum(rises, rise)
    assert plain is not None and rises is not None
    return plain, rises


def _begins_on_stroke(steepest_db: NDArray[np.float64]) -> bool:
    """Whether a file begins on a stroke, by the level per frame of its second difference, (frames,).

    A stroke has a bright attack that is soon over; something that still rings where the file was cut is as dark as it goes on.
    """
    if len(steepest_db) <= 30:
        return True
    return float(steepest_db[:8].max()) > float(np.median(steepest_db[15:60])) + _BRIGHT_START_DB


def _peaks_of(rises: NDArray[np.float64], least_db: float) -> NDArray[np.int64]:
    """Frames where the rise is largest around and large enough; of a plateau, its first frame."""
    largest = maximum_filter1d(rises, 2 * _APART_FRAMES + 1, mode="nearest")
    top = (rises >= largest) & (rises >= least_db)
    first = top & ~np.concatenate([[False], top[:-1]])
    return np.nonzero(first)[0]


def _steepest(level: NDArray[np.float64], places: NDArray[np.int64]) -> NDArray[np.int64]:
    """The frame near each place at which the level steps up most within 2 ms."""
    offsets = np.arange(-1, _AHEAD_FRAMES + 3)
    at = np.clip(places[:, None] + offsets, 2, max(len(level) - 2, 2))
    at = np.minimum(at, len(level) - 1)
    step = level[np.minimum(at + 1, len(level) - 1)] - level[np.maximum(at - 2, 0)]
    return at[np.arange(len(places)), np.argmax(step, axis=1)]


def _one_per_stroke(attacks: NDArray[np.int64], rise: NDArray[np.float64], apart: int) -> NDArray[np.bool_]:
    """Of candidates whose attacks fall closer than ``apart`` samples, only the one that rises most."""
    keep = np.ones(len(attacks), bool)
    last = -1
    for index in range(len(attacks)):
        if last >= 0 and attacks[index] - attacks[last] < apart:
            weaker = last if rise[index] > rise[last] else index
            keep[weaker] = False
            if weaker == index:
                continue
        last = index
    return keep


def _spectra(mono: NDArray[np.float32], attacks: NDArray[np.int64], rate_hz: int) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float64]]:
    """Power per band after and before each attack, (n, bands) each, and the largest sample after it, (n,).

    Low bands are measured over a window twice as long: a window of hardly one cycle would read its phase, not its level.
    """
    lead, short = round(0.001 * rate_hz), round(_WINDOW_S * rate_hz)
    taper, low_taper = attack_taper(short, lead), attack_taper(2 * short, lead)
    low_edges_hz = BAND_EDGES_HZ[BAND_EDGES_HZ <= _LOW_HZ]
    to_bands, low = into_bands(taper, rate_hz, BAND_EDGES_HZ), len(low_edges_hz) - 1
    after_low, before_low = (low_bands(one, rate_hz, low_edges_hz) for one in (low_taper, low_taper[::-1]))
    out = [np.empty((len(attacks), len(BAND_EDGES_HZ) - 1), np.float32) for _ in range(2)]
    peak = np.empty(len(attacks))
    for at in range(0, len(attacks), _AT_ONCE):
        part = slice(at, at + _AT_ONCE)
        around = windows_at(mono, attacks[part] - lead - 2 * short, 4 * short)
        after, before = around[:, 2 * short :], around[:, : 2 * short]
        peak[part] = np.abs(after[:, :short]).max(axis=1)
        out[0][part], out[1][part] = powers_in(after[:, :short] * taper, to_bands), powers_in(before[:, short:] * taper[::-1], to_bands)
        out[0][part, :low], out[1][part, :low] = low_powers_in(after, after_low), low_powers_in(before, before_low)
    return out[0], out[1], peak


def within(low_hz: float, high_hz: float) -> NDArray[np.bool_]:
    """Which third octaves, (bands,), lie between two frequencies."""
    centres = np.sqrt(np.maximum(BAND_EDGES_HZ[:-1], 15.6) * np.minimum(BAND_EDGES_HZ[1:], 25000.0))
    inside = np.asarray((centres >= low_hz) & (centres <= high_hz))
    # A band narrower than a third octave still hears the one it lies in.
    inside[int(np.argmin(np.abs(np.log(centres / np.sqrt(max(low_hz, 1.0) * max(high_hz, 1.0))))))] |= not inside.any()
    return inside


def net_power(candidates: Candidates) -> NDArray[np.float32]:
    """Power of each attack per third octave, (n, bands), without what rang before.

    Band by band, so that a dark ringing does not hide a bright stroke and does not pass for one either.
    """
    after, before = candidates.attack_power, candidates.before_power
    return np.asarray(np.maximum(after - before, np.float32(_LEAST_SHARE) * after))


def level_in_band(candidates: Candidates, inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The level of each candidate's attack over the third octaves ``inside`` (bands,), in dBFS, (n,); what rang before is taken off."""
    return power_to_db(net_power(candidates)[:, inside].sum(axis=1, dtype=np.float64))


def rise_in_band(candidates: Candidates, inside: NDArray[np.bool_]) -> NDArray[np.float64]:
    """The rise of each candidate, in dB, (n,), as a part hears it that listens to the third octaves ``inside`` (bands,).

    The attack window is longer than the rise, so what it shows of a jump is less than the jump: up to ``_WINDOW_HIDES_DB``
    are given back, and never more than the rise over single milliseconds. A place that falls in its band is no stroke there.
    """
    after = power_to_db(candidates.attack_power[:, inside].sum(axis=1, dtype=np.float64))
    before = power_to_db(candidates.before_power[:, inside].sum(axis=1, dtype=np.float64))
    return np.asarray(np.minimum(candidates.rise_db, after - before + _WINDOW_HIDES_DB))


def to_bytes(candidates: Candidates) -> bytes:
    """Candidates as the bytes of an uncompressed npz file."""
    buffer = BytesIO()
    np.savez(buffer, **{f.name: getattr(candidates, f.name) for f in fields(Candidates)})
    return buffer.getvalue()


def from_bytes(data: bytes) -> Candidates:
    """The reverse of ``to_bytes``."""
    with np.load(BytesIO(data), allow_pickle=False) as stored:
        return Candidates(**{f.name: stored[f.name] for f in fields(Candidates)})
