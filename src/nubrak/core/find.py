"""Find: where something may have been struck, at full sensitivity, once per source.

Energies over 1 ms are compared with the loudest that rang in the 22 ms before; the comparison is made on the plain signal
and on two steepened ones, so that a soft bright stroke shows over a loud dark ringing. Every place that rises is kept with
its features; which of them count is decided later, without analysing again.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from scipy.fft import rfft
from scipy.ndimage import maximum_filter1d

from nubrak.core.attack import refine_attacks
from nubrak.core.level import FLOOR_DB, power_to_db
from nubrak.core.windows import windows_at

VERSION = 1  # a new number makes everything derived from candidates anew
LEAST_RISE_DB = 3.0
_FRAME_S = 0.001
_BEFORE_FRAMES = 22
_GAP_FRAMES = 2
_AHEAD_FRAMES = 4
_APART_FRAMES = 6
_BLOCK_FRAMES = 1 << 14
_LEAST_SHARE = 0.005  # of a band that does not rise, what is left to the level
_WINDOW_HIDES_DB = 4.0
_LOW_HZ = 250.0
_WINDOW_S = 0.0232  # the attack window of the spectra: 1024 samples at 44.1 kHz
BAND_EDGES_HZ = np.concatenate([[0.0], 31.25 * 2.0 ** (np.arange(0, 29) / 3.0), [1e6]])  # third octaves up to 20 kHz


@dataclass(frozen=True)
class Candidates:
    """Everything that may have been struck in one source, one row each, in order of time.

    ``time_s`` (n,) the attack; ``rise_db`` (n,) how far the level jumps above what rang just before;
    ``peak_db`` (n,) the largest sample of the stroke in dBFS; ``attack_power`` (n, bands) mean square per third octave in the
    attack window; ``before_power`` (n, bands) the same for what rang before, decayed to where the stroke is.
    """

    time_s: NDArray[np.float64]
    rise_db: NDArray[np.float64]
    peak_db: NDArray[np.float64]
    attack_power: NDArray[np.float32]
    before_power: NDArray[np.float32]

    def __len__(self) -> int:
        return len(self.time_s)


def no_candidates() -> Candidates:
    """What silence gives."""
    bands = len(BAND_EDGES_HZ) - 1
    return Candidates(np.zeros(0), np.zeros(0), np.zeros(0), np.zeros((0, bands), np.float32), np.zeros((0, bands), np.float32))


def join(parts: list[Candidates], starts_s: list[float]) -> Candidates:
    """Candidates of several clips, each moved to its start, as one list in order of time."""
    if not parts:
        return no_candidates()
    times = np.concatenate([part.time_s + start for part, start in zip(parts, starts_s, strict=True)])
    order = np.argsort(times, kind="stable")
    rest = {f.name: np.concatenate([getattr(part, f.name) for part in parts])[order] for f in fields(Candidates) if f.name != "time_s"}
    return Candidates(time_s=times[order], **rest)


def find_candidates(mono: NDArray[np.float32], rate_hz: int) -> Candidates:
    """All candidates of a signal ``mono`` (frames,), full scale 1.

    Nothing is invented at the edges: what comes before the first sample counts as silence only if the signal starts with a
    stroke, that is if its first milliseconds are not simply the level that goes on.
    """
    if len(mono) < rate_hz // 200 or not np.any(mono):
        return no_candidates()
    frame = max(1, round(_FRAME_S * rate_hz))
    plain, rises = _rises(mono, frame)
    places = _peaks_of(rises)
    if not len(places):
        return no_candidates()
    coarse = _steepest(plain, places) * frame
    attacks = refine_attacks(mono, coarse.astype(np.int64), rate_hz)
    order = np.argsort(attacks, kind="stable")
    attacks, rise = attacks[order], rises[places][order]
    single = _one_per_stroke(attacks, rise, round(_APART_FRAMES * frame))
    attacks, rise = attacks[single], rise[single]
    attack_power, before_power, peak = _spectra(mono, attacks, rate_hz)
    return Candidates(
        time_s=attacks / rate_hz,
        rise_db=rise,
        peak_db=np.maximum(20.0 * np.log10(np.maximum(peak, 1e-9)), FLOOR_DB),
        attack_power=attack_power,
        before_power=before_power,
    )


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
    for level in _frame_levels(mono, frame):
        floor = max(float(np.percentile(level[:: max(1, len(level) // 20000)], 5)), FLOOR_DB + 15.0) - 3.0
        level = np.maximum(level, floor)
        width = _BEFORE_FRAMES - _GAP_FRAMES + 1
        # Before the first frame stands the floor if the file starts on a stroke, else the level it starts with.
        start = float(level[:15].max())
        goes_on = float(np.median(level[15:60])) if len(level) > 30 else floor
        edge = floor if start > goes_on + 6.0 else start
        padded = np.concatenate([np.full(_BEFORE_FRAMES + 1, edge), level])
        trailing = maximum_filter1d(padded, width, origin=(width - 1) // 2)  # the max of the width frames up to here
        rang = trailing[_BEFORE_FRAMES + 1 - _GAP_FRAMES : len(padded) - _GAP_FRAMES]
        ahead = maximum_filter1d(level, _AHEAD_FRAMES + 1, origin=-(_AHEAD_FRAMES // 2), mode="nearest")
        rise = ahead - rang
        plain = level if plain is None else plain
        rises = rise if rises is None else np.maximum(rises, rise)
    assert plain is not None and rises is not None
    return plain, rises


def _peaks_of(rises: NDArray[np.float64]) -> NDArray[np.int64]:
    """Frames where the rise is largest around and large enough; of a plateau, its first frame."""
    largest = maximum_filter1d(rises, 2 * _APART_FRAMES + 1, mode="nearest")
    top = (rises >= largest) & (rises >= LEAST_RISE_DB)
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
    short, long = round(_WINDOW_S * rate_hz), 2 * round(_WINDOW_S * rate_hz)
    after_short, before_short, peak = _powers(mono, attacks, rate_hz, short)
    after_long, before_long, _ = _powers(mono, attacks, rate_hz, long)
    low = BAND_EDGES_HZ[1:] <= _LOW_HZ
    return np.where(low, after_long, after_short), np.where(low, before_long, before_short), peak


def _powers(mono: NDArray[np.float32], attacks: NDArray[np.int64], rate_hz: int, size: int) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float64]]:
    lead = round(0.001 * rate_hz)
    taper = np.cos(np.linspace(0.0, np.pi / 2, size)).astype(np.float32) ** 2
    taper[:lead] = np.sin(np.linspace(0.0, np.pi / 2, lead)) ** 2
    power = float(np.mean(taper.astype(np.float64) ** 2))
    columns = np.fft.rfftfreq(size, 1 / rate_hz)
    band_of = np.searchsorted(BAND_EDGES_HZ, columns, side="right") - 1
    to_bands = np.zeros((len(columns), len(BAND_EDGES_HZ) - 1), np.float32)
    to_bands[np.arange(len(columns)), band_of] = 2.0 / (size * size * power)
    out = [np.empty((len(attacks), to_bands.shape[1]), np.float32) for _ in range(2)]
    peak = np.empty(len(attacks))
    for at in range(0, len(attacks), 512):
        begin = attacks[at : at + 512] - lead
        after, before = windows_at(mono, begin, size), windows_at(mono, begin - size, size)
        peak[at : at + 512] = np.abs(after).max(axis=1)
        for window, table in ((after * taper, out[0]), (before * taper[::-1], out[1])):
            table[at : at + 512] = np.abs(rfft(window, axis=1)) ** 2 @ to_bands
    return out[0], out[1], peak


def _inside(low_hz: float, high_hz: float) -> NDArray[np.bool_]:
    centres = np.sqrt(np.maximum(BAND_EDGES_HZ[:-1], 15.6) * np.minimum(BAND_EDGES_HZ[1:], 25000.0))
    return np.asarray((centres >= low_hz) & (centres <= high_hz))


def level_in_band(candidates: Candidates, low_hz: float, high_hz: float) -> NDArray[np.float64]:
    """The level of each candidate's attack between ``low_hz`` and ``high_hz``, in dBFS, (n,); what rang before is taken off."""
    inside = _inside(low_hz, high_hz)
    after, before = candidates.attack_power[:, inside], candidates.before_power[:, inside]
    # Band by band, so that a dark ringing does not hide a bright stroke and does not pass for one either.
    return power_to_db(np.maximum(after - before, _LEAST_SHARE * after).sum(axis=1, dtype=np.float64))


def rise_in_band(candidates: Candidates, low_hz: float, high_hz: float) -> NDArray[np.float64]:
    """The rise of each candidate, in dB, (n,), as a part hears it that listens between ``low_hz`` and ``high_hz``.

    The attack window is longer than the rise, so what it shows of a jump is less than the jump: up to ``_WINDOW_HIDES_DB``
    are given back, and never more than the rise over single milliseconds. A place that falls in its band is no stroke there.
    """
    inside = _inside(low_hz, high_hz)
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
