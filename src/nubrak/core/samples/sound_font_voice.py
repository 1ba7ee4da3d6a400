"""How the regions of a sound font sound: its kits as instruments of samples that are made once.

Whatever sounds together on one key (pairs of left and right, layers) is added up, tuned, filtered and
shaped by its envelope, as the specification's model does (SoundFont Technical Specification 2.04, 9, from
memory). Attenuation of a zone counts four tenths, as the hardware did that the format was made for, and
as fluidsynth plays it. A drum rings out: how long a key is held changes nothing.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numba
import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.signal import sosfilt

from nubrak.core.pieces import GENERAL_MIDI, PIECES, guess_from_name, piece_of_key
from nubrak.core.samples.kit import LONGEST_SAMPLE_S, Instrument, Kit, Sample
from nubrak.core.samples.measure import character
from nubrak.core.samples.sound_font import FontKit, FontRegion, Generator, SoundFont

_ATTENUATION = 0.04  # dB per centibel that a zone sets: the EMU8000's four tenths
_FALL_DB = 96.0  # what a decay falls by over its time
_OPEN_CENTS = 13500  # from here on the filter does nothing
_PERCUSSION_KEYS = range(27, 88)  # of what lies over the whole keyboard (General MIDI 2's percussion keys)
_WIDE = 24  # keys: a wider region is no drum's own
_LOOPED_S = 4.0  # how long what is looped for ever is taken
_FADE_S = 0.05
_BLOCK = 64  # frames in which a moving filter stands still
_STEP_DB = 1.0  # in which a level follows a velocity that does otherwise than ours
_LEAST_RATE_HZ, _MOST_RATE_HZ = 22050, 384_000  # at which anything is kept, and what is believed of a header
_NO_KIT = re.compile(r"timpan|kettle|taiko|gong", re.IGNORECASE)
_SIDES = re.compile(r"[\s_.\-(]*\b(?:left|right|l|r)\)?$", re.IGNORECASE)

Audio = NDArray[np.float32]
Keep = Callable[[Audio, int, str], Sample]
"""Stores a sound (frames, channels) of a rate in Hz under a name; its sample, measured."""


@dataclass(frozen=True)
class FontKitRead:
    """A kit of a sound font, and what of it was left out, a sentence each."""

    kit: Kit
    skipped: list[str]


def kit_of_font(font: SoundFont, of: FontKit, keep: Keep, kept: dict[object, Sample]) -> FontKitRead:
    """A kit of a sound font: an instrument for each key that sounds; ``kept`` are the samples that other kits
    of it brought already.
    """
    skipped: list[str] = []
    wide = [one for one in of.regions if one.high_key - one.low_key >= _WIDE]
    if wide:
        first, last = _PERCUSSION_KEYS[0], _PERCUSSION_KEYS[-1]
        skipped.append(f"What lies over the whole keyboard was taken on keys {first} to {last}.")
    classes: dict[int, set[int]] = defaultdict(set)
    by_key: dict[int, list[FontRegion]] = defaultdict(list)
    for region in of.regions:
        for key in range(region.low_key, region.high_key + 1):
            if region not in wide or key in _PERCUSSION_KEYS:
                by_key[key].append(region)
                classes[region.amount(Generator.EXCLUSIVE)].add(key)
    instruments: dict[str, Instrument] = {}
    uses = Counter(sample for regions in by_key.values() for sample in {one.sample for one in regions})
    for key, regions in sorted(by_key.items()):
        samples = []
        for low, high, sounding in _velocities(regions):
            made = _sample(font, key, sounding, keep, kept, skipped)
            if made is not None:
                samples += [made.model_copy(update=part) for part in _by_velocity(made, low, high, sounding)]
        if not samples:
            continue
        name = _name(font, regions, uses) or f"Note {key}"
        mine = {one.amount(Generator.EXCLUSIVE) for one in regions} - {0}
        one = Instrument(
            name=name[:120],
            piece=_piece(name, key),
            samples=samples,
            key=key,
            silenced_by=sorted({other for group in mine for other in classes[group]} - {key}),
        )
        instruments[f"key-{key}"] = one.model_copy(update={"words": character(one)})
    _tell_apart(instruments)
    return FontKitRead(Kit(name=of.name[:120], instruments=instruments), list(dict.fromkeys(skipped)))


def _name(font: SoundFont, regions: list[FontRegion], uses: Mapping[int, int]) -> str:
    """What sounds on a key is called as the sample that the fewest keys have: a click that lies over many
    drums names none of them.
    """
    own = min(regions, key=lambda one: uses[one.sample])
    return _SIDES.sub("", font.samples[own.sample].name).strip()


def _tell_apart(instruments: dict[str, Instrument]) -> None:
    """Add to names that several have what General MIDI calls their key, else its number."""
    count = Counter(one.name for one in instruments.values())
    for one in instruments.values():
        if count[one.name] > 1 and one.key is not None:
            called = GENERAL_MIDI.get(one.key)
            one.name = f"{one.name[:90]}, {called.lower() if called else f'note {one.key}'}"


def _piece(name: str, key: int) -> str:
    """The piece by the sound's name, else by its key: an orchestra's kit has kettledrums where others
    have hats.
    """
    named = guess_from_name(f"{name}.wav")
    if named is not None and PIECES[named.piece].noted and PIECES[named.piece].family != "whole":
        return named.piece
    return "else" if _NO_KIT.search(name) else piece_of_key(key) or "else"


def _velocities(regions: list[FontRegion]) -> list[tuple[int, int, list[FontRegion]]]:
    """The ranges of velocity in which the same regions sound, and those."""
    edges = sorted({one.low_velocity for one in regions} | {one.high_velocity + 1 for one in regions})
    out: list[tuple[int, int, list[FontRegion]]] = []
    for low, after in pairwise(edges):
        sounding = [one for one in regions if one.low_velocity <= low <= one.high_velocity]
        if sounding and out and out[-1][2] == sounding and out[-1][1] == low - 1:
            out[-1] = (out[-1][0], after - 1, sounding)
        elif sounding:
            out.append((low, after - 1, sounding))
    return out


def _by_velocity(made: Sample, low: int, high: int, regions: list[FontRegion]) -> list[dict[str, Any]]:
    """A range of velocities as what it changes of a sample: in parts, each of its own level, where velocity
    does more or less than the square that ours is.
    """
    share = 1.0 - regions[0].amount(Generator.LEVEL_BY_VELOCITY) / 960.0
    if abs(share) < 1e-3:
        return [{"low_velocity": low, "high_velocity": high}]
    off_db = share * 40.0 * np.log10(127.0 / np.arange(low, high + 1))
    step = np.floor((off_db - off_db[-1]) / (np.sign(share) * _STEP_DB)).astype(int)
    out = []
    for one in np.unique(step)[::-1]:
        inside = np.flatnonzero(step == one)
        level_db = float(np.clip(made.level_db + off_db[inside].mean(), -144.0, 24.0))
        ends = {"low_velocity": low + int(inside[0]), "high_velocity": low + int(inside[-1])}
        out.append({**ends, "level_db": round(level_db, 3)})
    return out


def _sample(
    font: SoundFont,
    key: int,
    regions: list[FontRegion],
    keep: Keep,
    kept: dict[object, Sample],
    skipped: list[str],
) -> Sample | None:
    """What sounds together, as one sample; None where nothing of it can be read."""
    softest_db = min(_attenuation_db(one) for one in regions)
    same = tuple(
        (one.sample, one.sounding, _cents(font, one, key), round(_attenuation_db(one) - softest_db, 3))
        for one in regions
    )
    made = kept.get(same)
    if made is None:
        made = _added_up(font, key, regions, softest_db, keep, skipped)
        if made is None:
            return None
        kept[same] = made
    level_db = float(np.clip(made.level_db - softest_db, -144.0, 24.0))
    return made.model_copy(update={"level_db": round(level_db, 3)})


def _added_up(
    font: SoundFont, key: int, regions: list[FontRegion], softest_db: float, keep: Keep, skipped: list[str]
) -> Sample | None:
    """The sound of regions that sound together, the least attenuated of them at full level."""
    rate_hz = max(_LEAST_RATE_HZ, *(font.samples[one.sample].rate_hz for one in regions))
    parts = []
    for region in regions:
        try:
            mono = _rendered(font, region, key, rate_hz, skipped)
        except ValueError as error:
            skipped.append(f"“{font.samples[region.sample].name}” is left out: {error}.")
            continue
        gain = 10 ** ((softest_db - _attenuation_db(region)) / 20)
        parts.append((mono * np.float32(gain), _sides(region)))
    if not parts:
        return None
    centred = all(left == right for _, (left, right) in parts)
    out = np.zeros((max(len(mono) for mono, _ in parts), 1 if centred else 2), np.float32)
    for mono, sides in parts:
        for channel in range(out.shape[1]):
            out[: len(mono), channel] += mono * np.float32(sides[channel])
    peak = float(np.abs(out).max(initial=0.0))
    if peak == 0.0:
        return None
    turned_db = max(20.0 * float(np.log10(peak)), 0.0)
    out = np.asarray(out * 10 ** (-turned_db / 20), np.float32)
    sample = keep(out, rate_hz, font.samples[regions[0].sample].name[:200])
    return sample.model_copy(update={"level_db": turned_db})


def _attenuation_db(region: FontRegion) -> float:
    return _ATTENUATION * float(np.clip(region.amount(Generator.ATTENUATION), -600, 1440))


def _sides(region: FontRegion) -> tuple[float, float]:
    """Gains of left and right, 1 and 1 in the middle; with the same power everywhere."""
    place = float(np.clip(region.amount(Generator.PAN), -500, 500)) / 1000.0 + 0.5
    if place == 0.5:
        return 1.0, 1.0
    return float(np.sqrt(2) * np.cos(0.5 * np.pi * place)), float(np.sqrt(2) * np.sin(0.5 * np.pi * place))


def _cents(font: SoundFont, region: FontRegion, key: int) -> float:
    """How far a sample is tuned on a key."""
    of = font.samples[region.sample]
    root = region.amount(Generator.ROOT_KEY)
    root = root if 0 <= root <= 127 else of.key if of.key <= 127 else 60
    struck = region.amount(Generator.KEY)
    away = (struck if 0 <= struck <= 127 else key) - root
    own = 100 * region.amount(Generator.COARSE_TUNE) + region.amount(Generator.FINE_TUNE)
    return float(away * region.amount(Generator.SCALE) + own + of.correction_cents)


def _rendered(
    font: SoundFont, region: FontRegion, key: int, rate_hz: int, skipped: list[str]
) -> NDArray[np.float32]:
    """One region on one key, (frames,), at the full level of its sample."""
    of = font.samples[region.sample]
    if not 400 <= of.rate_hz <= _MOST_RATE_HZ:
        raise ValueError(f"its sample rate is {of.rate_hz} Hz")
    whole, zero = font.frames(region.sample)
    amount = region.amount
    begin = max(amount(Generator.START) + 32768 * amount(Generator.START_COARSE), 0)
    end = len(whole) + min(amount(Generator.END) + 32768 * amount(Generator.END_COARSE), 0)
    if begin >= end:
        raise ValueError("nothing of it is left between its begin and its end")
    ratio = 2.0 ** (_cents(font, region, key) / 1200.0) * of.rate_hz / rate_hz
    if not 1 / 64 <= ratio <= 64:
        raise ValueError("it is tuned by more than six octaves")
    sound = whole[begin:end]
    if amount(Generator.LOOPS) in (1, 3):
        loop = (
            of.loop_start
            - zero
            + amount(Generator.LOOP_START)
            + 32768 * amount(Generator.LOOP_START_COARSE)
            - begin,
            of.loop_end
            - zero
            + amount(Generator.LOOP_END)
            + 32768 * amount(Generator.LOOP_END_COARSE)
            - begin,
        )
        sound = _looped(sound, loop, round(_length_s(region, key) * rate_hz * ratio))
        if amount(Generator.SUSTAIN) < 1000:
            skipped.append(f"What is looped for as long as a key is held was taken for {_LOOPED_S:.0f} s.")
    sound = sound[: round(LONGEST_SAMPLE_S * rate_hz * ratio)]
    if abs(ratio - 1.0) > 1e-6:
        sound = np.asarray(soxr.resample(sound, rate_hz * ratio, rate_hz, quality="VHQ"), np.float32)
    sound = _filtered(sound, region, key, rate_hz)
    return np.asarray(sound * _levels(len(sound), region, key, rate_hz), np.float32)


def _looped(sound: NDArray[np.float32], loop: tuple[int, int], frames: int) -> NDArray[np.float32]:
    """A sample gone through its loop until it is so long, faded out where it would go on."""
    begin, end = loop
    if not 0 <= begin < end <= len(sound) or frames <= end:
        return sound
    times = -(-(frames - begin) // (end - begin))
    out = np.concatenate([sound[:begin], np.tile(sound[begin:end], times)])[:frames]
    fade = min(round(_FADE_S * 44100), len(out))
    out[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)
    return out


def _seconds(timecents: float) -> float:
    return 0.0 if timecents <= -12000 else float(2.0 ** (min(timecents, 8000) / 1200.0))


@dataclass(frozen=True)
class _Envelope:
    """Delay, attack, hold and decay in s; ``sustain`` is how far it falls, as a share of the whole way."""

    delay: float
    attack: float
    hold: float
    decay: float
    sustain: float


def _of_level(region: FontRegion, key: int) -> _Envelope:
    """The envelope of the level, whose whole way is 96 dB."""
    away, amount = 60 - key, region.amount
    return _Envelope(
        _seconds(amount(Generator.DELAY)),
        _seconds(amount(Generator.ATTACK)),
        _seconds(amount(Generator.HOLD) + amount(Generator.KEY_TO_HOLD) * away),
        _seconds(amount(Generator.DECAY) + amount(Generator.KEY_TO_DECAY) * away),
        float(np.clip(amount(Generator.SUSTAIN), 0, 1440)) / (10.0 * _FALL_DB),
    )


def _of_filter(region: FontRegion, key: int) -> _Envelope:
    """The envelope that moves the filter."""
    away, amount = 60 - key, region.amount
    return _Envelope(
        _seconds(amount(Generator.OTHER_DELAY)),
        _seconds(amount(Generator.OTHER_ATTACK)),
        _seconds(amount(Generator.OTHER_HOLD) + amount(Generator.KEY_TO_OTHER_HOLD) * away),
        _seconds(amount(Generator.OTHER_DECAY) + amount(Generator.KEY_TO_OTHER_DECAY) * away),
        float(np.clip(amount(Generator.OTHER_SUSTAIN), 0, 1000)) / 1000.0,
    )


def _over_time(of: _Envelope, t: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How far an envelope has risen, 0 to 1, and how far fallen since, as a share of its whole way."""
    t = t - of.delay
    up = np.clip(t / of.attack, 0.0, 1.0) if of.attack > 0 else (t >= 0).astype(float)
    since = np.maximum(t - of.attack - of.hold, 0.0)
    return np.asarray(up), np.minimum(since / max(of.decay, 1e-4), of.sustain)


def _length_s(region: FontRegion, key: int) -> float:
    """How long what is looped sounds."""
    of = _of_level(region, key)
    if of.sustain < 1.0:
        return _LOOPED_S
    return min(of.delay + of.attack + of.hold + of.decay, LONGEST_SAMPLE_S)


def _levels(frames: int, region: FontRegion, key: int, rate_hz: int) -> NDArray[np.float64]:
    """What a sound of so many frames is multiplied by, (frames,)."""
    up, down = _over_time(_of_level(region, key), np.arange(frames) / rate_hz)
    return np.asarray(up * np.where(down >= 1.0, 0.0, 10 ** (-_FALL_DB * down / 20)))


def _filtered(sound: NDArray[np.float32], region: FontRegion, key: int, rate_hz: int) -> NDArray[np.float32]:
    """Through the low-pass of two poles that a zone may set, moved by its envelope block by block."""
    amount = region.amount
    cents, moved = amount(Generator.FILTER_CENTS), amount(Generator.ENVELOPE_TO_FILTER)
    q_db = float(np.clip(amount(Generator.FILTER_Q), 0, 960)) / 10.0
    if cents >= _OPEN_CENTS and moved >= 0 and q_db == 0:
        return sound
    if not moved:
        section = _low_pass(np.array([float(cents)]), q_db, rate_hz)
        return np.asarray(sosfilt(section, sound.astype(np.float64)), np.float32)
    begins = np.arange(0, len(sound), _BLOCK)
    up, down = _over_time(_of_filter(region, key), begins / rate_hz)
    # An attack of the filter bends: it is fast first (the specification's convex curve).
    risen = np.where(up < 1.0, np.clip(1.0 + 40.0 / 96.0 * np.log10(np.maximum(up, 1e-3)), 0.0, 1.0), up)
    places = cents + moved * np.maximum(risen - down, 0.0)
    sections = _low_pass(places, q_db, rate_hz)
    return _through(np.ascontiguousarray(sound, np.float32), sections, _BLOCK)


@numba.njit(cache=True, nogil=True)
def _through(sound: NDArray[np.float32], sections: NDArray[np.float64], block: int) -> NDArray[np.float32]:
    """A sound (frames,) through a second-order section (blocks, 6) that changes from block to block (direct
    form II, transposed).
    """
    out = np.empty_like(sound)
    first, second = 0.0, 0.0
    for n in range(len(sound)):
        section = sections[n // block]
        x = np.float64(sound[n])
        y = section[0] * x + first
        first = section[1] * x - section[4] * y + second
        second = section[2] * x - section[5] * y
        out[n] = y
    return out


def _low_pass(cents: NDArray[np.float64], q_db: float, rate_hz: int) -> NDArray[np.float64]:
    """A low-pass at places in absolute cents (n,), as second-order sections (n, 6); its resonance rises by
    ``q_db`` over a flat one, half of which is taken from the whole.
    """
    hz = np.minimum(8.176 * 2.0 ** (np.clip(cents, 1500, _OPEN_CENTS) / 1200.0), 0.45 * rate_hz)
    q = 10 ** ((q_db - 3.01) / 20)
    omega = 2 * np.pi * hz / rate_hz
    alpha = np.sin(omega) / (2 * q)
    b = 0.5 * (1 - np.cos(omega)) * 10 ** (-q_db / 40)
    rows = np.stack([b, 2 * b, b, 1 + alpha, -2 * np.cos(omega), 1 - alpha], axis=1) / (1 + alpha)[:, None]
    rows[:, 3] = 1.0
    return np.asarray(rows)
