"""SoundFont 2 (SoundFont Technical Specification 2.04, from memory) and its variant with Vorbis samples
(SF3): the drum kits of the percussion bank, as the regions that sound for each key and velocity.

A file is a RIFF of three lists: what it is called (INFO), sample data (sdta), and nine tables of fixed
records (pdta): presets have zones, zones name instruments, instruments have zones, those name samples.
What a preset's zone says is added to what the instrument's says. How a region sounds is told by
`sound_font_voice.py`.
"""

from __future__ import annotations

import io
import struct
from collections import Counter
from dataclasses import dataclass, field
from enum import IntEnum
from itertools import pairwise

import numpy as np
import soundfile
from numpy.typing import NDArray

from nubrak.core.problem import Problem

PERCUSSION_BANK = 128
_TODO = "Fetch or copy the file once more, or choose another."
_VORBIS = 0x10  # of a sample's type: its data is an Ogg Vorbis stream (SF3)
_ROM = 0x8000  # the same: it lies in the memory of a sound card
_SIZES = {
    b"phdr": 38,
    b"pbag": 4,
    b"pmod": 10,
    b"pgen": 4,
    b"inst": 22,
    b"ibag": 4,
    b"imod": 10,
    b"igen": 4,
    b"shdr": 46,
}
_MOST_FRAMES = 1 << 23  # of a packed sample: 20 s at 384 kHz
_MOST_REGIONS = 100_000  # of one file: more is no kit but a trap


class Generator(IntEnum):
    """What a zone can set, by its number in the specification; others are left out. The *other* envelope is
    that of the filter.
    """

    START = 0
    END = 1
    LOOP_START = 2
    LOOP_END = 3
    START_COARSE = 4
    FILTER_CENTS = 8
    FILTER_Q = 9
    ENVELOPE_TO_FILTER = 11
    END_COARSE = 12
    CHORUS = 15
    REVERB = 16
    PAN = 17
    OTHER_DELAY = 25
    OTHER_ATTACK = 26
    OTHER_HOLD = 27
    OTHER_DECAY = 28
    OTHER_SUSTAIN = 29
    KEY_TO_OTHER_HOLD = 31
    KEY_TO_OTHER_DECAY = 32
    DELAY = 33
    ATTACK = 34
    HOLD = 35
    DECAY = 36
    SUSTAIN = 37
    RELEASE = 38
    KEY_TO_HOLD = 39
    KEY_TO_DECAY = 40
    INSTRUMENT = 41
    KEYS = 43
    VELOCITIES = 44
    LOOP_START_COARSE = 45
    KEY = 46
    VELOCITY = 47
    ATTENUATION = 48
    LOOP_END_COARSE = 50
    COARSE_TUNE = 51
    FINE_TUNE = 52
    SAMPLE = 53
    LOOPS = 54
    SCALE = 56
    EXCLUSIVE = 57
    ROOT_KEY = 58
    LEVEL_BY_VELOCITY = 1000  # no generator: the modulator from velocity to attenuation, centibels


DEFAULTS: dict[int, int] = {
    Generator.FILTER_CENTS: 13500,
    Generator.OTHER_DELAY: -12000,
    Generator.OTHER_ATTACK: -12000,
    Generator.OTHER_HOLD: -12000,
    Generator.OTHER_DECAY: -12000,
    Generator.DELAY: -12000,
    Generator.ATTACK: -12000,
    Generator.HOLD: -12000,
    Generator.DECAY: -12000,
    Generator.RELEASE: -12000,
    Generator.KEY: -1,
    Generator.VELOCITY: -1,
    Generator.SCALE: 100,
    Generator.ROOT_KEY: -1,
    Generator.LEVEL_BY_VELOCITY: 960,
}
# What a preset's zone may not set (specification, 8.1.2).
_OF_INSTRUMENTS = frozenset(
    {
        Generator.START,
        Generator.END,
        Generator.LOOP_START,
        Generator.LOOP_END,
        Generator.START_COARSE,
        Generator.END_COARSE,
        Generator.LOOP_START_COARSE,
        Generator.LOOP_END_COARSE,
        Generator.KEY,
        Generator.VELOCITY,
        Generator.LOOPS,
        Generator.EXCLUSIVE,
        Generator.ROOT_KEY,
    }
)
# Source (velocity, concave, falling), destination, and no second source and no transform of that modulator.
_BY_VELOCITY = (0x0502, int(Generator.ATTENUATION), 0, 0)
_MODULATORS = -1  # how many a zone has, beside what it sets
_LEFT_OUT: dict[int, str] = {
    5: "what sways in pitch",
    6: "what sways in pitch",
    7: "envelopes of the pitch",
    10: "what sways in the filter",
    13: "what sways in level",
    Generator.CHORUS: "chorus",
    Generator.REVERB: "reverb",
    _MODULATORS: "modulators",
}


_LOUDNESS = (Generator.ATTENUATION, Generator.EXCLUSIVE, Generator.LEVEL_BY_VELOCITY)


@dataclass(frozen=True)
class FontSample:
    """A sample's header; places are in frames from the start of the sample data, in an SF3 in bytes."""

    name: str
    start: int
    end: int
    loop_start: int
    loop_end: int
    rate_hz: int
    key: int
    correction_cents: int
    kind: int


@dataclass(frozen=True)
class FontRegion:
    """What sounds for a range of keys and velocities: a sample, and all that is set of it."""

    low_key: int
    high_key: int
    low_velocity: int
    high_velocity: int
    sample: int
    amounts: tuple[tuple[int, int], ...]

    @property
    def sounding(self) -> tuple[tuple[int, int], ...]:
        """What is set, besides how loud it is and whom it silences."""
        return tuple(one for one in self.amounts if one[0] not in _LOUDNESS)

    def amount(self, of: Generator) -> int:
        """What is set of a generator, else what the specification says."""
        return dict(self.amounts).get(of, DEFAULTS.get(of, 0))


@dataclass(frozen=True)
class FontKit:
    """A preset of the percussion bank."""

    name: str
    program: int
    regions: tuple[FontRegion, ...]


@dataclass
class SoundFont:
    """A sound font: its kits, its samples, and what was left out, a sentence each."""

    name: str
    kits: list[FontKit]
    samples: list[FontSample]
    skipped: list[str]
    data: memoryview = field(repr=False)
    data_24: memoryview | None = field(default=None, repr=False)

    def frames(self, number: int) -> tuple[NDArray[np.float32], int]:
        """The sound of a sample, (frames,), full scale 1, and the frame its header's places count from. A
        ``ValueError`` where the file does not hold it.
        """
        of = self.samples[number]
        if of.kind & _ROM:
            raise ValueError("it lies in a sound card's own memory")
        if of.kind & _VORBIS:
            if not 0 <= of.start < of.end <= len(self.data):
                raise ValueError("its data lies outside the file")
            try:
                packed = io.BytesIO(self.data[of.start : of.end])
                audio, _ = soundfile.read(packed, frames=_MOST_FRAMES, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError) as error:
                raise ValueError("its Vorbis data cannot be read") from error
            return np.ascontiguousarray(audio[:, 0]), 0
        if not 0 <= of.start < of.end <= len(self.data) // 2:
            raise ValueError("its data lies outside the file")
        whole = np.frombuffer(self.data[2 * of.start : 2 * of.end], "<i2").astype(np.float32) / 32768.0
        if self.data_24 is not None and of.end <= len(self.data_24):
            whole += np.frombuffer(self.data_24[of.start : of.end], "u1").astype(np.float32) / (
                32768.0 * 256.0
            )
        return whole, of.start


def read_sound_font(data: bytes | memoryview) -> SoundFont:
    """The percussion bank of a sound font. A ``Problem`` where the file is damaged, or none is in it."""
    view = memoryview(data)
    if len(view) < 12 or bytes(view[:4]) != b"RIFF" or bytes(view[8:12]) != b"sfbk":
        raise Problem("This is no sound font.", "Nothing was kept.", "Choose an SF2 or SF3 file.")
    lists = {
        bytes(body[:4]): body[4:] for name, body in _chunks(view[12:]) if name == b"LIST" and len(body) >= 4
    }
    for wanted in (b"INFO", b"sdta", b"pdta"):
        if wanted not in lists:
            raise _damaged(f"its part “{wanted.decode()}” is missing")
    info, sound = dict(_chunks(lists[b"INFO"])), dict(_chunks(lists[b"sdta"]))
    if b"smpl" not in sound:
        raise _damaged("it holds no sample data")
    tables = {name: body for name, body in _chunks(lists[b"pdta"]) if name in _SIZES}
    for name, size in _SIZES.items():
        if len(tables.get(name, b"")) < size or len(tables[name]) % size:
            raise _damaged(f"its table “{name.decode()}” is missing or cut off")
    reader = _Reader(tables)
    samples = reader.samples()
    kits = reader.kits(len(samples))
    if not kits:
        raise Problem(
            "This sound font has no drum kit: its percussion bank is empty.",
            "Nothing was kept.",
            "Choose one with drums in it.",
        )
    return SoundFont(
        name=_text(bytes(info.get(b"INAM", b""))) or "Sound font",
        kits=kits,
        samples=samples,
        skipped=reader.said(),
        data=sound[b"smpl"],
        data_24=sound.get(b"sm24"),
    )


def _chunks(body: memoryview) -> list[tuple[bytes, memoryview]]:
    """The chunks of a list. A ``Problem`` where one is longer than what holds it."""
    out, at = [], 0
    while at + 8 <= len(body):
        name, size = bytes(body[at : at + 4]), struct.unpack_from("<I", body, at + 4)[0]
        if at + 8 + size > len(body):
            raise _damaged("it is cut off")
        out.append((name, body[at + 8 : at + 8 + size]))
        at += 8 + size + size % 2
    return out


class _Reader:
    """The nine tables. All that is read is checked against how long its table is."""

    def __init__(self, tables: dict[bytes, memoryview]) -> None:
        self.tables = tables
        self.left_out: Counter[str] = Counter()
        self.regions = 0
        self.twins: list[str] = []

    def said(self) -> list[str]:
        """What is left out, a sentence each."""
        return [
            f"Left out: {what} ({count} {'place' if count == 1 else 'places'})."
            for what, count in sorted(self.left_out.items())
        ] + self.twins

    def _rows(self, name: bytes, layout: str) -> list[tuple[int, ...]]:
        return list(struct.iter_unpack(layout, self.tables[name]))

    def samples(self) -> list[FontSample]:
        out = []
        for raw, start, end, loop_start, loop_end, rate, key, cents, _, kind in self._rows(
            b"shdr", "<20s5IBbHH"
        )[:-1]:
            name = _text(raw)  # type: ignore[arg-type]
            out.append(FontSample(name, start, end, loop_start, loop_end, rate, key, cents, kind))
        return out

    def kits(self, samples: int) -> list[FontKit]:
        instruments = self._instruments(samples)
        heads = self._rows(b"phdr", "<20sHHHIII")
        bags, generators = self._rows(b"pbag", "<HH"), self._generators(b"pgen")
        modulators = self._modulators(b"pmod")
        out: list[FontKit] = []
        seen: set[int] = set()
        for head, after in pairwise(heads):
            if head[2] != PERCUSSION_BANK:
                continue
            zones = self._zones(bags, generators, head[3], after[3], modulators)
            shared: dict[int, int] = {}
            regions: list[FontRegion] = []
            for number, zone in enumerate(zones):
                if Generator.INSTRUMENT not in zone:
                    if number == 0:
                        shared = zone
                    continue
                place = zone[Generator.INSTRUMENT] & 0xFFFF
                if place >= len(instruments):
                    raise _damaged("a preset names an instrument that is not there")
                regions += [
                    joined
                    for inner in instruments[place]
                    if (joined := _joined(shared | zone, inner)) is not None
                ]
                self._note(zone)
                if place not in seen:
                    seen.add(place)
                    for inner in instruments[place]:
                        self._note(inner)
                self.regions += len(instruments[place])
                if self.regions > _MOST_REGIONS:
                    raise _damaged("it has more zones than any kit needs")
            name = _text(head[0])  # type: ignore[arg-type]
            twin = next((one for one in out if one.regions == tuple(regions)), None)
            if twin is not None:
                self.twins.append(f"“{name}” is the same as “{twin.name}” and came in once.")
            elif regions:
                out.append(FontKit(name or f"Kit {head[1]}", head[1], tuple(regions)))
        return sorted(out, key=lambda kit: kit.program)

    def _instruments(self, samples: int) -> list[list[dict[int, int]]]:
        heads, bags = self._rows(b"inst", "<20sH"), self._rows(b"ibag", "<HH")
        generators = self._generators(b"igen")
        modulators = self._modulators(b"imod")
        out = []
        for head, after in pairwise(heads):
            shared: dict[int, int] = {}
            kept = []
            for number, zone in enumerate(self._zones(bags, generators, head[1], after[1], modulators)):
                if Generator.SAMPLE in zone:
                    if zone[Generator.SAMPLE] & 0xFFFF >= samples:
                        raise _damaged("an instrument names a sample that is not there")
                    kept.append(shared | zone)
                elif number == 0:
                    shared = zone
            out.append(kept)
        return out

    def _generators(self, name: bytes) -> list[tuple[int, int]]:
        return [(of, amount) for of, amount in struct.iter_unpack("<Hh", self.tables[name])]

    def _modulators(self, name: bytes) -> list[tuple[tuple[int, int, int, int], int]]:
        """From where to where each modulator leads, and how much it does."""
        rows = struct.iter_unpack("<HHhHH", self.tables[name])
        return [((source, to, second, form), amount) for source, to, amount, second, form in rows]

    def _zones(
        self,
        bags: list[tuple[int, ...]],
        generators: list[tuple[int, int]],
        begin: int,
        end: int,
        modulators: list[tuple[tuple[int, int, int, int], int]],
    ) -> list[dict[int, int]]:
        if not begin <= end < len(bags):
            raise _damaged("its tables do not fit each other")
        out = []
        for bag, after in zip(bags[begin:end], bags[begin + 1 : end + 1], strict=True):
            if not (bag[0] <= after[0] < len(generators) + 1 and bag[1] <= after[1] <= len(modulators)):
                raise _damaged("its tables do not fit each other")
            zone = dict(generators[bag[0] : after[0]])
            for what, amount in modulators[bag[1] : after[1]]:
                if what == _BY_VELOCITY:
                    zone[Generator.LEVEL_BY_VELOCITY] = amount
                elif amount:  # one of nothing only switches off what we do not do either
                    zone[_MODULATORS] = zone.get(_MODULATORS, 0) + 1
            out.append(zone)
        return out

    def _note(self, zone: dict[int, int]) -> None:
        """What a zone of a drum kit sets that is left out."""
        self.left_out.update(what for of, what in _LEFT_OUT.items() if zone.get(of))


def _joined(preset: dict[int, int], instrument: dict[int, int]) -> FontRegion | None:
    """What a preset's zone makes of an instrument's; None where they share no key or velocity."""
    ranges = []
    for of in (Generator.KEYS, Generator.VELOCITIES):
        low, high = 0, 127
        for zone in (preset, instrument):
            own = zone.get(of, 127 << 8) & 0xFFFF
            low, high = max(low, own & 0xFF), min(high, own >> 8)
        if low > high:
            return None
        ranges.append((low, high))
    amounts = dict(instrument)
    ranges_of = (Generator.KEYS, Generator.VELOCITIES, Generator.INSTRUMENT)
    for number, amount in preset.items():
        if number not in _OF_INSTRUMENTS and number not in ranges_of:
            amounts[number] = amounts.get(number, DEFAULTS.get(number, 0)) + amount
    (low_key, high_key), (low, high) = ranges
    sample = amounts.pop(Generator.SAMPLE) & 0xFFFF
    known = tuple(sorted((one, amount) for one, amount in amounts.items() if one in set(Generator)))
    return FontRegion(low_key, high_key, max(low, 1), max(high, 1), sample, known)


def _text(raw: bytes) -> str:
    return raw.partition(b"\0")[0].decode("latin-1").strip()


def _damaged(why: str) -> Problem:
    return Problem(f"This sound font is damaged: {why}.", "Nothing was kept.", _TODO)
