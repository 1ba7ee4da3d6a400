"""Lock: polarity and offset of a layer against the recording.

Two cases. Where layer and recording are the same sound, the correlation of their attacks peaks on one sample,
and the layer goes there. Where they are different sounds, their attacks belong together: the layer's attack
stays on the hit, and only polarity, or a very small offset, is taken from the low end of the sum, and only
where that gains a decibel.

The low end is the energy of recording and layer together between 20 and 250 Hz, over all hits. Written out,
it is a constant plus twice the cross-correlation of the recording with the layer passed through the band
twice, so one correlation per hit judges every offset and both polarities at once.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft
from scipy.ndimage import maximum_filter1d

from nubrak.core.layer.lock_settings import LockSettings
from nubrak.core.signal import REACH, cross_correlation, in_band, windows_at

# Where two drums can cancel: below, nothing sounds; above, phases are chance from hit to hit.
LOW_HZ, HIGH_HZ = 20.0, 250.0
REACH_S = 0.005  # 1.7 m of sound: layers further off are not out of lock, they are late
PER_HIT_S = 0.001  # how far one hit may stray from the others’ place
WORTH_DB = 1.0  # low end that a flip or a shift of a different sound must gain to be done
_LENGTH_S = 0.25  # of the layer: where a drum's low end lies
_ATTACK_S = 0.03  # what of a stroke two attacks are compared by
# Likeness of two attacks from which they may be the same sound: the same one reaches 0.46 and more. Different
# drums of one kind stay under it, but for tones of nearly one pitch (`./nubrak benchmark lock`).
_SAME = 0.45
# The highest likeness of one sound stands so far over the next one, 0.5 ms away and more. Two tones are alike
# at every period, and say nothing of where an attack is.
_STANDS_OUT, _PEAK_S = 1.25, 0.0005
_LOW_SHARE = 0.01  # with less of its energy down there a sound has no low end to lose
_LOSS_DB = 0.05  # low end that the right place of the same sound may seem to cost, by noise
_LOUDEST_COUNT = 3.0  # no hit speaks louder than so many usual ones
_AT_ONCE = 64  # hits at a time: what fits the cache


@dataclass(frozen=True)
class Place:
    """A ``polarity``, 1 or -1, and an offset later than the layer's attack on the hit, with what they add to
    the low end of the sum over doing nothing.
    """

    polarity: int
    offset_samples: int
    gain_db: float


@dataclass(frozen=True)
class Lock:
    """How a layer is put: ``polarity`` 1 or -1, and ``offset_samples`` later than its attack on the hit.

    ``gain_db`` is what that adds to the low end of the sum over doing nothing, ``over_wrong_db`` over the
    other polarity there; ``similarity`` 0 to 1 how alike the attacks are, ``same_sound`` whether that makes
    them one sound; ``widest`` the place with the most low end within 5 ms, wherever the attacks lie then;
    ``each_samples`` (n,) the offset of every hit, kept within 1 ms of the common one; ``wanders_ms`` how far
    half of them lie from it. Hits of different sounds have no offsets of their own.
    """

    polarity: int
    offset_samples: int
    gain_db: float
    over_wrong_db: float
    similarity: float
    same_sound: bool
    widest: Place
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
    recording: NDArray[np.float32],
    hits: NDArray[np.int64],
    sounds: list[Sounding],
    rate_hz: int,
    settings: LockSettings | None = None,
) -> Lock:
    """The lock of a layer on a part: ``recording`` (frames,) mono, its ``hits`` (n,) in samples, and what
    sounds on them, at the same rate.
    """
    settings = settings or LockSettings()
    reach = round(REACH_S * rate_hz)
    judge = _judge(recording, hits, sounds, rate_hz)
    if judge is None:
        return Lock(1, 0, 0.0, 0.0, 0.0, False, Place(1, 0, 0.0), np.zeros(len(hits), np.int64), 0.0)
    alike = _likeness(_guide(recording, hits, sounds, reach, rate_hz, steepness=1)[judge.heard], rate_hz)
    if not alike.same_sound:
        # In a dark sound the attack itself shows in what is steeper.
        steeper = _likeness(
            _guide(recording, hits, sounds, reach, rate_hz, steepness=2)[judge.heard], rate_hz
        )
        alike = steeper if steeper.same_sound else alike
    place, polarity, same = _chosen(judge, alike, reach, rate_hz, settings)
    common = place - reach
    each = np.full(len(hits), common, np.int64)
    if same:
        own = _each(judge.cross, place, polarity, round(PER_HIT_S * rate_hz)) - reach
        each = np.where(judge.heard, own, common)
    return Lock(
        polarity=polarity,
        offset_samples=common,
        gain_db=judge.gain_db(place, polarity),
        over_wrong_db=10.0 * float(np.log10(judge.energy(place, polarity) / judge.energy(place, -polarity))),
        similarity=min(alike.similarity, 1.0),
        same_sound=same,
        widest=_widest(judge, reach),
        each_samples=each,
        wanders_ms=1000.0 / rate_hz * float(np.median(np.abs(each[judge.heard] - common))),
    )


def _chosen(
    judge: _Judge, alike: _Likeness, reach: int, rate_hz: int, settings: LockSettings
) -> tuple[int, int, bool]:
    """The place of a layer among the 2 * reach + 1 offsets, its polarity, and whether it is the same sound as
    the recording.
    """
    same = alike.same_sound
    if same and not settings.polarity_only and judge.gain_db(alike.place, alike.polarity) >= -_LOSS_DB:
        return alike.place, alike.polarity, True
    if judge.low_share <= _LOW_SHARE:
        return reach, 1, same  # a cymbal has no low end to judge by
    flip = -1 if judge.gain_db(reach, -1) >= WORTH_DB else 1
    if settings.polarity_only:
        return reach, flip, same
    near = round(settings.most_offset_ms * rate_hz / 1000.0)
    low, high = max(reach - near, 0), min(reach + near, 2 * reach)
    place = low + int(np.argmax(np.abs(judge.sums[low : high + 1])))
    polarity = 1 if judge.sums[place] >= 0 else -1
    if judge.gain_db(place, polarity) >= WORTH_DB + max(judge.gain_db(reach, flip), 0.0):
        return place, polarity, same
    return reach, flip, same


@dataclass(frozen=True)
class _Likeness:
    """How alike the attacks of layer and recording are, whether that makes them one sound, and the place and
    polarity at which they are most alike.
    """

    similarity: float
    same_sound: bool
    place: int
    polarity: int


def _likeness(guide: NDArray[np.float64], rate_hz: int) -> _Likeness:
    """Likeness over all hits at one place; where the hits wander, over places near each other.

    ``guide`` (n, 2 * reach + 1) is the correlation of the attacks of each hit at each offset.
    """
    common = guide.mean(axis=0)
    place = int(np.argmax(np.abs(common)))
    polarity = 1 if common[place] >= 0 else -1
    wide = round(_PEAK_S * rate_hz)
    found = _Likeness(*_stands_out(np.abs(common), place, wide), place, polarity)
    if found.same_sound:
        return found
    near = round(PER_HIT_S * rate_hz)
    # The highest likeness of each hit within a millisecond of each place.
    by_polarity = [maximum_filter1d(sign * guide, 2 * near + 1, axis=1).mean(axis=0) for sign in (1, -1)]
    polarity = 1 if by_polarity[0].max() >= by_polarity[1].max() else -1
    around = by_polarity[0 if polarity == 1 else 1]
    middle = int(np.argmax(around))
    similarity, same = _stands_out(around, middle, 2 * near + wide)
    if not same:
        return found
    low = max(middle - 2 * near, 0)
    own = low + np.argmax(polarity * guide[:, low : middle + 2 * near + 1], axis=1)
    return _Likeness(similarity, True, round(float(np.median(own))), polarity)


def _stands_out(size: NDArray[np.float64], place: int, wide: int) -> tuple[float, bool]:
    """The likeness at a place, and whether it is that of one sound: high, and higher than anywhere further
    off than ``wide``.
    """
    elsewhere = np.concatenate([size[: max(place - wide, 0)], size[place + wide + 1 :]])
    wanted = max(_SAME, _STANDS_OUT * float(elsewhere.max(initial=0.0)))
    return float(size[place]), bool(size[place] >= wanted)


def _widest(judge: _Judge, reach: int) -> Place:
    """Where the low end of the sum is largest; a sound without low end stays."""
    if judge.low_share <= _LOW_SHARE:
        return Place(1, 0, 0.0)
    place = int(np.argmax(np.abs(judge.sums)))
    polarity = 1 if judge.sums[place] >= 0 else -1
    return Place(polarity, place - reach, judge.gain_db(place, polarity))


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
    return judge.gain_db(reach + offset_samples, polarity)


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

    def gain_db(self, place: int, polarity: int) -> float:
        """What a place and a polarity add over the layer as it is, on the hit."""
        middle = len(self.sums) // 2
        return 10.0 * float(np.log10(self.energy(place, polarity) / self.energy(middle, 1)))


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
    sounds: list[Sounding],
    reach: int,
    rate_hz: int,
    steepness: int,
) -> NDArray[np.float64]:
    """Correlation of the attacks of each hit at every offset, -1 to 1, (n, 2 * reach + 1). Both are
    pre-emphasised: differenced ``steepness`` times.
    """
    out = np.zeros((len(hits), 2 * reach + 1))
    for one in sounds:
        lead = min(one.attack, round(0.002 * rate_hz))
        head = one.sample[one.attack - lead : one.attack - lead + round(_ATTACK_S * rate_hz)]
        head = np.diff(np.pad(head.astype(np.float64), (steepness, 0)), steepness)
        energy = float(head @ head)
        if energy <= 0:
            continue
        begins, size = hits[one.rows] - lead - reach, len(head) + 2 * reach
        for at in range(0, len(begins), _AT_ONCE):
            windows = windows_at(recording, begins[at : at + _AT_ONCE] - steepness, size + steepness)
            steep = np.diff(windows.astype(np.float64), steepness, axis=1)
            sums = np.cumsum(np.pad(steep * steep, ((0, 0), (1, 0))), axis=1)
            around = np.maximum(sums[:, len(head) :] - sums[:, : -len(head)], 1e-20)
            here = cross_correlation(steep, head, 2 * reach + 1) / np.sqrt(around * energy)
            out[one.rows[at : at + _AT_ONCE]] = here
    return out


def _each(cross: NDArray[np.float64], place: int, polarity: int, near: int) -> NDArray[np.int64]:
    """Per hit the lag near the common one at which its own low end is largest, (n,)."""
    low, high = max(place - near, 0), min(place + near + 1, cross.shape[1])
    return np.asarray(low + np.argmax(polarity * cross[:, low:high], axis=1), np.int64)
