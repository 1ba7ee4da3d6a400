"""One drum of a loop by itself: which share of the sound at each moment and frequency is whose.

When each piece is struck is known. What follows a stroke is the piece's own sound, the same at every
stroke but for how loud it is: its spectrum over time, scaled by one gain a stroke, summed over strokes
and pieces, makes what is heard. Sounds and gains are found by multiplicative updates (Smaragdis,
"Non-negative matrix factor deconvolution", 2004, with the places of all activations given; Févotte and
Idier, 2011, at a beta of one half), begun with what such a piece usually sounds like, which settles whose
the sound is of pieces that are always struck together. The shares are those of the models' amplitudes to
a power, as in Wiener's filter, so they add up to one, and the pieces to the recording.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, rfft
from scipy.ndimage import gaussian_filter1d
from scipy.sparse import csr_matrix

from nubrak.core.sort.usual_sound import UsualSounds, usual_sounds

_WINDOW_S = 2048 / 44100  # the window nearest to this that is a power of two
_OVERLAP = 4
_BANDS_FROM_HZ, _BANDS_PER_OCTAVE = 400.0, 12  # below, each frequency is a band of its own
_LEAD = 1  # frames before the attack that hear it already
_FIRST = 6  # frames a sound is scaled by
_RINGS_S = {"crash": 3.0, "ride": 3.0}
_RINGS_OTHERS_S = 1.15
_STOPPED = ("hi-hat",)  # each stroke ends the one before
_RANG_BEFORE = 0.3  # of the usual stroke: what rings in from before the beginning
_FLOOR, _QUIET = 3e-5, 1e-4  # of the loudest: added to what is heard, and to what is made
_GAIN_STEPS, _STEPS, _LAST_STEPS = 4, 10, 5
_USUAL_STROKES = 0.5  # for how many strokes of the recording the usual sound stands
_SETTLED = 3  # frames after which a sound only falls
_SMOOTH_FRAMES = 1.5
_POWER = 1.6  # between amplitude and power
_SILENT_SHARE = 0.03  # where nothing is struck, a band belongs to those it mostly belongs to
_STRETCH_S = 300.0  # learnt from at a time
_TINY = 1e-12
Array = NDArray[np.float32]


@dataclass(frozen=True)
class Struck:
    """A piece and when it is struck, ``time_s`` (n,) in order, in s from the beginning of the audio."""

    piece: str
    time_s: NDArray[np.float64]


@dataclass(frozen=True)
class Shares:
    """Whose the sound is: ``share`` (pieces, frames, bands), but for the piece ``rest``, which has what
    the others leave; ``band`` (frequencies,) says in which band each frequency of a window lies.
    """

    share: NDArray[np.float16]
    rest: int
    band: NDArray[np.int64]
    window: int

    def of(self, piece: int, begin: int, end: int) -> Array:
        """A piece's share of the frames from ``begin`` to ``end``, (end - begin, frequencies)."""
        if piece == self.rest:
            found = 1.0 - self.share[:, begin:end].sum(axis=0, dtype=np.float32)
        else:
            found = self.share[piece, begin:end].astype(np.float32)
        return np.asarray(found[:, self.band])


def apart(audio: Array, rate_hz: int, pieces: Sequence[Struck], usual: UsualSounds | None = None) -> Shares:
    """Whose the sound of audio (frames, channels) is, told from when each of its pieces is struck.

    A piece that is never struck has no share; where none is, all is the first one's.
    """
    window = 1 << round(np.log2(_WINDOW_S * rate_hz))
    hop, known = window // _OVERLAP, usual or usual_sounds()
    heard, band, centre_hz = _heard(audio, rate_hz, window)
    share = np.zeros((len(pieces), len(heard), heard.shape[1]), np.float16)
    struck = [k for k, one in enumerate(pieces) if len(one.time_s)]
    rest = max(struck, key=lambda k: len(pieces[k].time_s), default=0)
    stretch = max(round(_STRETCH_S * rate_hz / hop), 1)
    for begin in range(0, len(heard), stretch):
        models = [
            _Model.begun(
                pieces[k], heard, (begin, min(begin + stretch, len(heard))), rate_hz / hop, centre_hz, known
            )
            for k in struck
        ]
        if models:
            for k, one in zip(struck, _told_apart(models, heard[begin : begin + stretch]), strict=True):
                if k != rest:
                    share[k, begin : begin + stretch] = one
    return Shares(share, rest, band, window)


def turned_down(shares: Shares, gain: Sequence[float]) -> Shares:
    """One share, the whole, in which each piece is multiplied by its ``gain`` (pieces,) where the sound is
    its own.
    """
    told = shares.share.astype(np.float32)
    own = np.array(gain, np.float32) - np.float32(gain[shares.rest])
    # What no other piece has is the rest's.
    whole = np.float32(gain[shares.rest]) + np.einsum("pfb,p->fb", told, own)
    return Shares(np.clip(whole, 0.0, None)[None].astype(np.float16), -1, shares.band, shares.window)


def by_itself(audio: Array, shares: Shares, piece: int, start: int, frames: int) -> Array:
    """The samples ``start`` to ``start + frames`` of one piece, (frames, channels), out of the audio (frames,
    channels) it was told apart in. Windows joined equal the whole, and all pieces together the audio.
    """
    if start < 0:
        silence = np.zeros((min(-start, frames), audio.shape[1]), np.float32)
        rest = by_itself(audio, shares, piece, 0, max(frames + start, 0))
        return np.concatenate([silence, rest])
    window = shares.window
    hop, count = window // _OVERLAP, _frames(len(audio), window)
    first, last = max(start // hop, 0), min((start + frames - 1) // hop + _OVERLAP, count - 1)
    out = np.zeros((frames, audio.shape[1]), np.float32)
    if last < first or frames <= 0:
        return out
    taper = _taper(window)
    mask = shares.of(piece, first, last + 1)
    for channel in range(audio.shape[1]):
        cut = _windows(audio[:, channel], window, first, last + 1)
        made = irfft(rfft(cut * taper, axis=1) * mask, window, axis=1) * (taper * np.float32(1.0 / 1.5))
        line = np.zeros((last - first + _OVERLAP) * hop, np.float32)
        for k in range(_OVERLAP):
            line[k * hop : k * hop + made.shape[0] * hop] += made[:, k * hop : (k + 1) * hop].reshape(-1)
        # Frame ``first`` begins at sample first * hop - window.
        at = start - (first * hop - window)
        out[:, channel] = (
            line[at : at + frames]
            if at + frames <= len(line)
            else np.pad(line[at:], (0, at + frames - len(line)))
        )
    out[max(len(audio) - start, 0) :] = 0.0  # there the pieces cancel each other; alone each is silent
    return out


def _taper(window: int) -> Array:
    """Hann's window: squared and overlapped by three quarters it adds up to 1.5."""
    return np.hanning(window + 1)[:window].astype(np.float32)


def _frames(length: int, window: int) -> int:
    return -(-(length + window) // (window // _OVERLAP))


def _windows(signal: Array, window: int, begin: int, end: int) -> Array:
    """The windows ``begin`` to ``end`` of a signal (n,), (end - begin, window): the k-th begins at
    ``k * hop - window``.
    """
    hop = window // _OVERLAP
    low, high = begin * hop - window, (end - 1) * hop
    inside = signal[max(low, 0) : max(min(high, len(signal)), 0)]
    padded = np.zeros(high - low, np.float32)
    padded[max(-low, 0) : max(-low, 0) + len(inside)] = inside
    return np.lib.stride_tricks.sliding_window_view(padded, window)[::hop]


def _heard(audio: Array, rate_hz: int, window: int) -> tuple[Array, NDArray[np.int64], NDArray[np.float64]]:
    """The amplitude in each band, (frames, bands), of all channels together, the band of each frequency,
    and the middle of each band in Hz.
    """
    hz = np.arange(window // 2 + 1) * rate_hz / window
    octaves = np.log2(np.maximum(hz, _BANDS_FROM_HZ) / _BANDS_FROM_HZ)
    edge = np.where(hz < _BANDS_FROM_HZ, np.arange(len(hz)), len(hz) + np.floor(octaves * _BANDS_PER_OCTAVE))
    band = np.unique(edge, return_inverse=True)[1].astype(np.int64)
    starts = np.searchsorted(band, np.arange(band[-1] + 1))
    width = np.diff(np.append(starts, len(band)))
    count, taper = _frames(len(audio), window), _taper(window)
    power = np.zeros((count, len(starts)), np.float32)
    for channel in range(audio.shape[1]):
        for begin in range(0, count, 4096):
            end = min(begin + 4096, count)
            spectrum = rfft(_windows(audio[:, channel], window, begin, end) * taper, axis=1)
            power[begin:end] += np.add.reduceat(spectrum.real**2 + spectrum.imag**2, starts, axis=1) / width
    heard = np.sqrt(power)
    middle = np.bincount(band, hz) / np.bincount(band)
    return heard + np.float32(_FLOOR) * heard.max(initial=_TINY), band, middle


@dataclass
class _Model:
    """One piece: its ``sound`` (lags, bands) from a frame before the attack on, and the ``gain``
    (strokes,) of each stroke, begun at frame ``begin`` and ended before frame ``end``.
    """

    sound: Array
    usual: Array
    gain: Array
    begin: NDArray[np.int64]
    rows: NDArray[np.int64]
    counts: NDArray[np.bool_]

    @classmethod
    def begun(
        cls,
        piece: Struck,
        heard: Array,
        stretch: tuple[int, int],
        frames_per_s: float,
        centre_hz: NDArray[np.float64],
        usual: UsualSounds,
    ) -> _Model:
        """A piece as it usually sounds, at its strokes between the two frames of a stretch; those before
        that still ring into them are strokes as well. What rings into the beginning is taken to have been
        struck at the end, as in a loop that was cut out of its own repeat.
        """
        (low, high), frames = stretch, stretch[1] - stretch[0]
        lags = round(_RINGS_S.get(piece.piece, _RINGS_OTHERS_S) * frames_per_s)
        lag_s = (np.arange(lags) - _LEAD) / frames_per_s
        shape = usual.of(piece.piece, lag_s, centre_hz).astype(np.float32)
        # The window in whose middle the attack lies, half a window after the first that hears it.
        at = np.round(piece.time_s * frames_per_s + _OVERLAP / 2).astype(np.int64) - _LEAD
        early = (
            at[at > len(heard) - lags] - len(heard) + _OVERLAP
            if low == 0
            else at[(at > low - lags) & (at < low)]
        )
        here = at[(at >= low) & (at < high)]
        begin = np.concatenate([early[early < here[0]] if len(here) else early, here]) - low
        rows = begin[:, None] + np.arange(lags)
        counts = (rows >= 0) & (rows < frames)
        if piece.piece in _STOPPED and len(begin):
            counts &= rows < np.append(begin[1:] + _LEAD, frames)[:, None]
        rows = np.clip(rows, 0, frames - 1)
        first = heard[low:high][rows[:, :_FIRST]]
        gain = (first * shape[:_FIRST]).sum(axis=(1, 2)) / (shape[:_FIRST] ** 2).sum()
        gain[: len(begin) - len(here)] = _RANG_BEFORE * (np.median(gain) if len(gain) else 0.0)
        return cls(shape.copy(), shape, gain.astype(np.float32), begin, rows, counts)

    def placed(self, frames: int) -> csr_matrix:
        """The gains where they count, (frames, lags)."""
        lag = np.broadcast_to(np.arange(self.rows.shape[1]), self.rows.shape)[self.counts]
        gain = np.broadcast_to(self.gain[:, None], self.rows.shape)[self.counts]
        return csr_matrix((gain, (self.rows[self.counts], lag)), (frames, self.rows.shape[1]))

    def made(self, frames: int) -> Array:
        """What it adds to what is heard, (frames, bands)."""
        return np.asarray(self.placed(frames) @ self.sound)

    def pull_gain(self, up: Array, down: Array) -> None:
        """One update of the gains, by both sides of the gradient, (frames, bands) each."""
        lag = np.broadcast_to(np.arange(self.rows.shape[1]), self.rows.shape)
        raised, lowered = (
            ((side @ self.sound.T)[self.rows, lag] * self.counts).sum(axis=1) for side in (up, down)
        )
        self.gain *= (raised + _TINY) / (lowered + _TINY)

    def pull_sound(self, up: Array, down: Array) -> None:
        """One update of the sound, by both sides of the gradient, (frames, bands) each."""
        by_lag = self.placed(len(up)).T.tocsr()
        self.learn(self.sound * (by_lag @ up + _TINY) / (by_lag @ down + _TINY))

    def learn(self, sound: Array) -> None:
        """Take a sound, leaning on the usual one where strokes are few; it falls from its attack on."""
        leans = _USUAL_STROKES / (_USUAL_STROKES + len(self.gain))
        own, usual = np.log(sound + _TINY), np.log(self.usual + _TINY)
        apart = np.average(own - usual, weights=self.usual)
        out = np.exp((1 - leans) * own + leans * (usual + apart))
        out[_SETTLED:] = np.minimum.accumulate(out[_SETTLED:], axis=0)
        size = np.sqrt((out[:_FIRST] ** 2).sum()) + _TINY
        self.sound, self.gain = (out / size).astype(np.float32), (self.gain * size).astype(np.float32)

    def learn_share(self, share: Array) -> None:
        """Take the mean of its share of what is heard, (frames, bands), over its strokes."""
        by_lag = self.placed(len(share)).T.tocsr()
        weight = (self.counts * self.gain[:, None] ** 2).sum(axis=0)
        self.learn(np.asarray(by_lag @ share) / (weight[:, None] + _TINY))


def _told_apart(models: list[_Model], heard: Array) -> list[Array]:
    """Each model's share of what is heard, (frames, bands)."""
    frames, quiet = len(heard), np.float32(_QUIET) * heard.max(initial=_TINY)
    made = [one.made(frames) for one in models]

    def pulls() -> tuple[Array, Array]:
        # Both sides of the gradient of the beta divergence, at a beta of one half.
        whole = np.sum(made, axis=0) + quiet
        down = 1.0 / np.sqrt(whole)
        return heard * down / whole, down

    for step in range(_GAIN_STEPS + _STEPS):
        if step == _GAIN_STEPS:
            whole = np.sum([one**2 for one in made], axis=0) + _TINY
            for one, own in zip(models, made, strict=True):
                one.learn_share(heard * own**2 / whole)
            made = [one.made(frames) for one in models]
        for k, one in enumerate(models):
            up, down = pulls()
            one.pull_gain(up, down)
            if step >= _GAIN_STEPS:
                one.pull_sound(up, down)
            made[k] = one.made(frames)
    # At the end each piece may ring a little louder or softer than it usually does.
    usual, level = list(made), [np.ones(frames, np.float32) for _ in models]
    for _ in range(_LAST_STEPS):
        for k, own in enumerate(usual):
            up, down = ((own * side).sum(axis=1) for side in pulls())
            level[k] *= (gaussian_filter1d(up, _SMOOTH_FRAMES) + _TINY) / (
                gaussian_filter1d(down, _SMOOTH_FRAMES) + _TINY
            )
            made[k] = own * level[k][:, None]
    claims = [own**_POWER for own in made]
    claims = [own + _SILENT_SHARE * own.mean(axis=0) + _TINY * quiet**_POWER for own in claims]
    whole = np.sum(claims, axis=0)
    return [own / whole for own in claims]
