"""Lock: polarity and offset of a layer against the recording, so that both together are bigger and never
thinner.

The judge is the low end: the energy of recording and layer together between 20 and 250 Hz, over all hits.
Written out, that energy is a constant plus twice the cross-correlation of the recording with the layer passed
through the band twice, so one correlation per hit judges every offset and both polarities at once. The guide
is the correlation of the attacks themselves, pre-emphasised and brought to one level: where the sounds are
the same it peaks on one sample, which the low end alone is too broad to tell.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft

from nubrak.core.signal import REACH, cross_correlation, in_band, windows_at

# Where two drums can cancel: below, nothing sounds; above, phases are chance from hit to hit.
LOW_HZ, HIGH_HZ = 20.0, 250.0
REACH_S = 0.005  # 1.7 m of sound: layers further off are not out of lock, they are late
PER_HIT_S = 0.001  # how far one hit may stray from the others’ place
_LENGTH_S = 0.25  # of the layer: where a drum's low end lies
_ATTACK_S = 0.03  # what of a stroke two attacks are compared by
_SAME = 0.45  # likeness from which two attacks are taken for one sound
_TOLD = 0.25  # and from which it is worth following at all
_LOW_SHARE = 0.01  # with less of its energy down there a sound has no low end to lose
_WORTH_DB = 0.3  # of low end that the guide may cost
_LOUDEST_COUNT = 3.0  # no hit speaks louder than so many usual ones
_AT_ONCE = 64  # hits at a time: what fits the cache


@dataclass(frozen=True)
class Lock:
    """How a layer is put: ``polarity`` 1 or -1, and ``offset_samples`` later than its attack on the hit.

    ``gain_db`` is what that adds to the low end of the sum over doing nothing, ``over_wrong_db`` over the
    other polarity there; ``similarity`` 0 to 1 how alike the attacks are; ``each_samples`` (n,) the offset of
    every hit, kept within 1 ms of the common one; ``wanders_ms`` how far half of them lie from it.
    """

    polarity: int
    offset_samples: int
    gain_db: float
    over_wrong_db: float
    similarity: float
    each_samples: NDArray[np.int64]
    wanders_ms: float


@dataclass(frozen=True)
class Sounding:
    """One sample of a layer: mono, (length,), its attack, and which hits it sounds on, ``rows`` (m,), with
    which gains, (m,).
    """

    sample: NDArray[np.float32]
    attack: int
    rows: NDArray[np.int64]
    gains: NDArray[np.float64]


def find_lock(
    recording: NDArray[np.float32], hits: NDArray[np.int64], sounds: list[Sounding], rate_hz: int
) -> Lock:
    """The lock of a layer on a part: ``recording`` (frames,) mono, its ``hits`` (n,) in samples, and what
    sounds on them, at the same rate.
    """
    reach = round(REACH_S * rate_hz)
    judge = _judge(recording, hits, sounds, rate_hz)
    if judge is None:
        return Lock(1, 0, 0.0, 0.0, 0.0, np.zeros(len(hits), np.int64), 0.0)
    guide, strokes = np.zeros(2 * reach + 1), 0
    for one in sounds:
        guide += _guide(recording, hits[one.rows], one.sample, one.attack, reach, rate_hz)
        strokes += len(one.rows)
    guide /= max(strokes, 1)
    likeness = float(np.clip(np.abs(guide).max(), 0.0, 1.0))
    told = int(np.argmax(np.abs(guide)))
    says = 1 if guide[told] >= 0 else -1
    if judge.low_share > _LOW_SHARE:
        place = int(np.argmax(np.abs(judge.sums)))
        polarity = 1 if judge.sums[place] >= 0 else -1
    else:
        # A cymbal has no low end to judge by: where its attack is not told, it stays on the hit.
        place, polarity = (told, says) if likeness >= _TOLD else (reach, 1)
    if (
        likeness >= _SAME
        and 10.0 * np.log10(judge.energy(place, polarity) / judge.energy(told, says)) <= _WORTH_DB
    ):
        place, polarity = told, says
    common = place - reach
    each = np.where(
        judge.heard, _each(judge.cross, place, polarity, round(PER_HIT_S * rate_hz)) - reach, common
    )
    return Lock(
        polarity=polarity,
        offset_samples=common,
        gain_db=10.0 * float(np.log10(judge.energy(place, polarity) / judge.energy(reach, 1))),
        over_wrong_db=10.0 * float(np.log10(judge.energy(place, polarity) / judge.energy(place, -polarity))),
        similarity=likeness,
        each_samples=each,
        wanders_ms=1000.0 / rate_hz * float(np.median(np.abs(each[judge.heard] - common))),
    )


def judged(
    recording: NDArray[np.float32],
    hits: NDArray[np.int64],
    sounds: list[Sounding],
    rate_hz: int,
    offset_samples: int,
    polarity: int,
) -> float:
    """What an offset and a polarity add to the low end of the sum with a recording, in dB over the layer on
    the hit as it is.

    ``recording`` is (frames,), ``hits`` (n,) in samples; the answer is in dB.
    """
    reach = round(REACH_S * rate_hz)
    judge = _judge(recording, hits, sounds, rate_hz)
    if judge is None or abs(offset_samples) > reach:
        return 0.0
    return 10.0 * float(np.log10(judge.energy(reach + offset_samples, polarity) / judge.energy(reach, 1)))


@dataclass(frozen=True)
class _Judge:
    """Cross-correlations in the low band per hit, (n, 2 * reach + 1), their robust sum, and the energy that
    recording and layer have apart.
    """

    cross: NDArray[np.float64]
    heard: NDArray[np.bool_]
    sums: NDArray[np.float64]
    apart: float
    low_share: float

    def energy(self, place: int, polarity: int) -> float:
        return max(self.apart + 2.0 * polarity * float(self.sums[place]), 1e-12 * self.apart, 1e-30)


def _judge(
    recording: NDArray[np.float32], hits: NDArray[np.int64], sounds: list[Sounding], rate_hz: int
) -> _Judge | None:
    reach = round(REACH_S * rate_hz)
    cross, apart = np.zeros((len(hits), 2 * reach + 1)), np.zeros(len(hits))
    low_energy = all_energy = 0.0
    for one in sounds:
        body = one.sample[: one.attack + round(_LENGTH_S * rate_hz)]
        if not len(one.rows) or not np.any(body):
            continue
        here = hits[one.rows]
        low = _twice_in_band(body, rate_hz)  # begins 2 * REACH before the sample does
        cross[one.rows] = (
            _correlations(recording, here - one.attack - 2 * REACH - reach, low, reach) * one.gains[:, None]
        )
        own = float(low[2 * REACH : 2 * REACH + len(body)] @ body.astype(np.float64))
        apart[one.rows] = _low_energy(recording, here - one.attack, len(body), rate_hz) + one.gains**2 * own
        low_energy += float(np.sum(one.gains**2)) * own
        all_energy += float(np.sum(one.gains**2)) * float(body.astype(np.float64) @ body)
    heard = apart > 0
    if not heard.any():
        return None
    # A clipped or doubled stroke must not outvote the rest.
    size = np.abs(cross).max(axis=1)
    weight = np.where(
        heard, np.minimum(1.0, _LOUDEST_COUNT * float(np.median(size[heard])) / np.maximum(size, 1e-20)), 0.0
    )
    return _Judge(cross, heard, weight @ cross, float(weight @ apart), low_energy / max(all_energy, 1e-30))


def _twice_in_band(body: NDArray[np.float32], rate_hz: int) -> NDArray[np.float64]:
    """A sound through the low band twice, with the filter's reach on both sides, (len + 4 * REACH,)."""
    around = np.pad(body, (4 * REACH, 4 * REACH)).astype(np.float32)[:, None]
    once = in_band(around, LOW_HZ, HIGH_HZ, rate_hz)
    return in_band(once, LOW_HZ, HIGH_HZ, rate_hz)[:, 0].astype(np.float64)


def _correlations(
    recording: NDArray[np.float32], begins: NDArray[np.int64], model: NDArray[np.float64], reach: int
) -> NDArray[np.float64]:
    """The recording from each place (n,) on against ``model`` (m,), at lags 0 to 2 * reach, (n, 2 * reach +
    1).
    """
    out = np.empty((len(begins), 2 * reach + 1))
    for at in range(0, len(begins), _AT_ONCE):
        windows = windows_at(recording, begins[at : at + _AT_ONCE], len(model) + 2 * reach).astype(np.float64)
        out[at : at + _AT_ONCE] = cross_correlation(windows, model, 2 * reach + 1)
    return out


def _low_energy(
    recording: NDArray[np.float32], begins: NDArray[np.int64], length: int, rate_hz: int
) -> NDArray[np.float64]:
    """The recording's own energy in the low band over ``length`` samples from each place, (n,)."""
    size = next_fast_len(length, real=True)
    frequencies = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = (frequencies >= LOW_HZ) & (frequencies <= HIGH_HZ)
    out = np.empty(len(begins))
    for at in range(0, len(begins), _AT_ONCE):
        spectra = rfft(windows_at(recording, begins[at : at + _AT_ONCE], length).astype(np.float64), size)[
            :, inside
        ]
        out[at : at + _AT_ONCE] = 2.0 * (np.abs(spectra) ** 2).sum(axis=1) / size
    return out


def _guide(
    recording: NDArray[np.float32],
    hits: NDArray[np.int64],
    sample: NDArray[np.float32],
    attack: int,
    reach: int,
    rate_hz: int,
) -> NDArray[np.float64]:
    """Correlation of the attacks at every offset, -1 to 1, summed over hits, (2 * reach + 1,)."""
    length, lead = round(_ATTACK_S * rate_hz), min(attack, round(0.002 * rate_hz))
    head = np.diff(np.pad(sample[attack - lead : attack - lead + length].astype(np.float64), (1, 0)))
    energy = float(head @ head)
    total = np.zeros(2 * reach + 1)
    if energy <= 0:
        return total
    begins = hits - lead - reach
    for at in range(0, len(hits), _AT_ONCE):
        steep = np.diff(
            windows_at(recording, begins[at : at + _AT_ONCE] - 1, len(head) + 2 * reach + 1).astype(
                np.float64
            ),
            axis=1,
        )
        sums = np.cumsum(np.pad(steep * steep, ((0, 0), (1, 0))), axis=1)
        around = np.maximum(sums[:, len(head) :] - sums[:, : -len(head)], 1e-20)
        total += (cross_correlation(steep, head, 2 * reach + 1) / np.sqrt(around * energy)).sum(axis=0)
    return total


def _each(cross: NDArray[np.float64], place: int, polarity: int, near: int) -> NDArray[np.int64]:
    """Per hit the lag near the common one at which its own low end is largest, (n,)."""
    low, high = max(place - near, 0), min(place + near + 1, cross.shape[1])
    return np.asarray(low + np.argmax(polarity * cross[:, low:high], axis=1), np.int64)
