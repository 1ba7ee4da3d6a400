"""Sound fonts put together byte by byte, after the SoundFont Technical Specification 2.04 (from memory)."""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass, field

import numpy as np
import soundfile
from numpy.typing import NDArray

from nubrak.core.samples.sound_font import Generator

RATE_HZ = 44100
Zone = dict[int, int]
_PAD = 46  # frames of silence after each sample, as the specification asks


@dataclass
class MadeFont:
    """A font to be: samples, instruments and presets are added, and ``data`` is the file."""

    vorbis: bool = False
    samples: list[tuple[bytes, bytes]] = field(default_factory=list)  # header, data
    instruments: list[tuple[str, list[Zone]]] = field(default_factory=list)
    presets: list[tuple[str, int, int, list[Zone]]] = field(default_factory=list)
    modulators: dict[int, list[tuple[int, int, int, int, int]]] = field(default_factory=dict)
    at: int = 0

    def sample(
        self,
        name: str,
        audio: NDArray[np.float32],
        key: int = 60,
        rate_hz: int = RATE_HZ,
        loop: tuple = (0, 0),
    ) -> int:
        """Add a sample (frames,); its number."""
        if self.vorbis:
            buffer = io.BytesIO()
            soundfile.write(buffer, audio, rate_hz, format="OGG", subtype="VORBIS")
            data, kind, count, first, pad = buffer.getvalue(), 0x11, len(buffer.getvalue()), loop[0], b""
            last = loop[1]
        else:
            data = np.round(np.clip(audio, -1, 1) * 32767).astype("<i2").tobytes()
            kind, count, pad = 1, len(audio), bytes(2 * _PAD)
            first, last = self.at + loop[0], self.at + loop[1]
        header = struct.pack(
            "<20s5IBbHH", name.encode(), self.at, self.at + count, first, last, rate_hz, key, 0, 0, kind
        )
        self.samples.append((header, data + pad))
        self.at += count + (0 if self.vorbis else _PAD)
        return len(self.samples) - 1

    def instrument(self, name: str, *zones: Zone) -> int:
        """Add an instrument; its number."""
        self.instruments.append((name, list(zones)))
        return len(self.instruments) - 1

    def preset(self, name: str, *zones: Zone, program: int = 0, bank: int = 128) -> None:
        """Add a preset, to the percussion bank where nothing else is said."""
        self.presets.append((name, program, bank, list(zones)))

    @property
    def data(self) -> bytes:
        """The file."""
        phdr, pbag, pgen, pmod = self._tables([(n, z, (p, b)) for n, p, b, z in self.presets], {})
        inst, ibag, igen, imod = self._tables([(n, z, ()) for n, z in self.instruments], self.modulators)
        shdr = b"".join(header for header, _ in self.samples) + struct.pack("<20s26x", b"EOS")
        sound = b"".join(data for _, data in self.samples)
        info = _chunk(b"ifil", struct.pack("<HH", 3 if self.vorbis else 2, 1)) + _chunk(
            b"INAM", b"Lanterns\0\0"
        )
        tables = (
            (b"phdr", phdr),
            (b"pbag", pbag),
            (b"pmod", pmod),
            (b"pgen", pgen),
            (b"inst", inst),
            (b"ibag", ibag),
            (b"imod", imod),
            (b"igen", igen),
            (b"shdr", shdr),
        )
        body = (
            b"sfbk"
            + _chunk(b"LIST", b"INFO" + info)
            + _chunk(b"LIST", b"sdta" + _chunk(b"smpl", sound))
            + _chunk(b"LIST", b"pdta" + b"".join(_chunk(name, rows) for name, rows in tables))
        )
        return _chunk(b"RIFF", body)

    def _tables(
        self, named: list[tuple[str, list[Zone], tuple[int, ...]]], modulators: dict[int, list[tuple]]
    ) -> tuple[bytes, bytes, bytes, bytes]:
        """Heads, bags, generators and modulators; ``modulators`` by the number of the zone."""
        heads, bags, generators, moves = b"", b"", b"", b""
        zones = of_zone = of_moves = 0
        for name, own, about in [*named, ("EOP", [], (0, 0) if named and named[0][2] else ())]:
            heads += (
                struct.pack("<20sHHHIII", name.encode(), *about, zones, 0, 0, 0)
                if about
                else struct.pack("<20sH", name.encode(), zones)
            )
            for zone in own:
                bags += struct.pack("<HH", of_zone, of_moves)
                for row in modulators.get(zones, []):
                    moves += struct.pack("<HHhHH", *row)
                    of_moves += 1
                # Ranges come first and what is named last, as the specification asks.
                for number in sorted(zone, key=_order):
                    amount = zone[number]
                    generators += struct.pack("<HH", number, amount & 0xFFFF)
                    of_zone += 1
                zones += 1
        end = struct.pack("<HH", of_zone, of_moves)
        return heads, bags + end, generators + bytes(4), moves + bytes(10)


def span(low: int, high: int) -> int:
    """A range as a generator's amount."""
    return low | high << 8


def _order(number: int) -> tuple[int, int]:
    first = {int(Generator.KEYS): 0, int(Generator.VELOCITIES): 1}
    last = {int(Generator.SAMPLE): 9, int(Generator.INSTRUMENT): 9}
    return first.get(number, last.get(number, 5)), number


def _chunk(name: bytes, data: bytes) -> bytes:
    return name + struct.pack("<I", len(data)) + data + bytes(len(data) % 2)
