"""How sound fonts sound: levels, tuning, envelopes and chokes by the specification, and read back beside
fluidsynth.
"""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
import soxr
from numpy.typing import NDArray

from nubrak.core.samples import Kit, Sample, kit_of_font, read_sound_font
from nubrak.core.samples.sound_font import Generator as G
from tests.conftest import decaying_strokes
from tests.core.samples.fonts import RATE_HZ, MadeFont, span

GENERAL = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")  # Debian: fluid-soundfont-gm
Kept = dict[str, tuple[NDArray[np.float32], int]]


def kit_of(data: bytes, program: int = 0) -> tuple[Kit, Kept, list[str]]:
    """A font's kit with the sounds of its samples."""
    font, sounds = read_sound_font(data), {}

    def keep(audio: NDArray[np.float32], rate_hz: int, name: str) -> Sample:
        key = f"{len(sounds):064x}"
        sounds[key] = (audio, rate_hz)
        return Sample(audio=key, name=name)

    (of,) = [one for one in font.kits if one.program == program]
    read = kit_of_font(font, of, keep, {})
    return read.kit, sounds, read.skipped


def one_zone(audio: NDArray[np.float32], loop: tuple[int, int] = (0, 0), **amounts: int) -> MadeFont:
    font = MadeFont()
    zone = {G[name]: amount for name, amount in amounts.items()}
    zone.setdefault(G.KEYS, span(38, 38))
    made = font.instrument("I", {**zone, G.SAMPLE: font.sample("Paper snare", audio, 38, loop=loop)})
    font.preset("Kit", {G.INSTRUMENT: made})
    return font


def sound_of(font: MadeFont, velocity: int = 127) -> NDArray[np.float64]:
    """What key 38 sounds like, (frames, channels)."""
    kit, sounds, _ = kit_of(font.data)
    (sample,) = [
        one for one in kit.instruments["key-38"].samples if one.low_velocity <= velocity <= one.high_velocity
    ]
    audio, _ = sounds[sample.audio]
    return audio.astype(np.float64) * 10 ** (sample.level_db / 20) * (velocity / 127) ** 2


STEADY = np.full(RATE_HZ, 0.5, np.float32)


def test_a_zones_attenuation_counts_four_tenths_as_the_hardware_played_it() -> None:
    plain, soft = sound_of(one_zone(STEADY)), sound_of(one_zone(STEADY, ATTENUATION=100))
    assert 20 * np.log10(plain.max() / soft.max()) == pytest.approx(4.0, abs=0.01)


def test_an_envelope_rises_holds_and_falls_at_its_times() -> None:
    # Timecents: 1200 log2 of seconds; 100 ms, 200 ms, 400 ms; a sustain of 200 centibels is 20 dB down.
    tc = {name: round(1200 * np.log2(s)) for name, s in (("ATTACK", 0.1), ("HOLD", 0.2), ("DECAY", 0.4))}
    sound = sound_of(one_zone(STEADY, **tc, SUSTAIN=200))[:, 0]
    level_db = 20 * np.log10(np.maximum(sound / 0.5, 1e-6))
    at = lambda s: level_db[round(s * RATE_HZ)]  # noqa: E731
    assert at(0.05) == pytest.approx(-6.02, abs=0.1), "half way up"
    assert at(0.2) == pytest.approx(0, abs=0.01)
    # The decay's time is that of the whole way, 96 dB: after 50 ms of it 12 dB.
    assert at(0.35) == pytest.approx(-12.0, abs=0.3)
    assert at(0.6) == pytest.approx(-20.0, abs=0.1)


def test_a_sample_is_tuned_by_its_root_key_and_what_is_set() -> None:
    t = np.arange(RATE_HZ) / RATE_HZ
    sine = (0.5 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)
    for amounts, hz in (
        ({"ROOT_KEY": 26}, 880.0),  # an octave over its root
        ({"ROOT_KEY": 26, "SCALE": 50}, 440 * 2**0.5),
        ({"COARSE_TUNE": -12, "FINE_TUNE": 50}, 220 * 2 ** (0.5 / 12)),
    ):
        sound = sound_of(one_zone(sine, **amounts))[:, 0]
        power = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 1 << 18))
        found = np.fft.rfftfreq(1 << 18, 1 / RATE_HZ)[np.argmax(power)]
        assert found == pytest.approx(hz, rel=2e-3)


def test_left_and_right_become_one_sample_of_two_channels() -> None:
    font = MadeFont()
    left = font.sample("Snare(L)", decaying_strokes([0.0], [0.5], 0.3, hz=200, seed=1), 38)
    right = font.sample("Snare(R)", decaying_strokes([0.0], [0.25], 0.3, hz=200, seed=1), 38)
    font.preset(
        "Kit",
        {G.INSTRUMENT: font.instrument("I", {G.PAN: -500, G.SAMPLE: left}, {G.PAN: 500, G.SAMPLE: right})},
    )
    kit, sounds, said = kit_of(font.data)
    snare = kit.instruments["key-38"]
    # It lies over the whole keyboard, so each key's name says which.
    assert snare.name == "Snare, acoustic snare" and snare.piece == "snare" and len(snare.samples) == 1
    audio, _ = sounds[snare.samples[0].audio]
    assert audio.shape[1] == 2
    # Hard to one side is as loud as it was in the middle, in power.
    assert np.abs(audio[:, 0]).max() / np.abs(audio[:, 1]).max() == pytest.approx(2.0, rel=0.01)
    assert said == ["What lies over the whole keyboard was taken on keys 27 to 87."]


def test_what_shares_a_class_silences_each_other() -> None:
    font = MadeFont()
    hat = font.sample("Hat", decaying_strokes([0.0], [0.5], 0.2))
    font.preset(
        "Kit",
        {
            G.INSTRUMENT: font.instrument(
                "I",
                *({G.KEYS: span(key, key), G.EXCLUSIVE: 1, G.SAMPLE: hat} for key in (42, 44, 46)),
                {G.KEYS: span(49, 49), G.SAMPLE: hat},
            )
        },
    )
    kit, _, _ = kit_of(font.data)
    assert kit.instruments["key-46"].silenced_by == [42, 44]
    assert kit.instruments["key-42"].silenced_by == [44, 46]
    assert kit.instruments["key-49"].silenced_by == []
    assert {one.piece for key, one in kit.instruments.items() if key != "key-49"} == {"hi-hat"}


def test_layers_follow_their_velocities_and_ranges_leave_no_gap() -> None:
    font = MadeFont()
    soft, hard, both = (
        font.sample(n, decaying_strokes([0.0], [0.4], 0.2, hz=hz))
        for n, hz in (("a", 150), ("b", 250), ("c", 900))
    )
    zones = [
        {G.KEYS: span(36, 36), G.ROOT_KEY: 36, G.VELOCITIES: span(0, 60), G.SAMPLE: soft},
        {G.KEYS: span(36, 36), G.ROOT_KEY: 36, G.VELOCITIES: span(61, 127), G.SAMPLE: hard},
        {G.KEYS: span(36, 36), G.ROOT_KEY: 36, G.VELOCITIES: span(100, 127), G.SAMPLE: both},
    ]
    font.preset("Kit", {G.INSTRUMENT: font.instrument("I", *zones)})
    kit, sounds, _ = kit_of(font.data)
    samples = kit.instruments["key-36"].samples
    assert [(one.low_velocity, one.high_velocity) for one in samples] == [(1, 60), (61, 99), (100, 127)]
    # The last is what two zones sound like together.
    middle, top = (sounds[one.audio][0][:, 0] * 10 ** (one.level_db / 20) for one in samples[1:])
    alone, _ = read_sound_font(font.data).frames(both)
    assert np.abs(top - middle - alone).max() < 1e-3


def test_a_loop_goes_on_for_as_long_as_its_envelope_lets_it() -> None:
    burst = decaying_strokes([0.0], [0.6], 0.05, hz=500)
    decay = round(1200 * np.log2(1.5))
    sound = sound_of(one_zone(burst, loop=(1000, 2000), LOOPS=1, DECAY=decay, SUSTAIN=1000))
    assert len(sound) / RATE_HZ == pytest.approx(1.5, abs=0.05)
    _, _, said = kit_of(one_zone(burst, loop=(1000, 2000), LOOPS=1).data)
    assert said == ["What is looped for as long as a key is held was taken for 4 s."]


def test_what_cannot_be_read_is_said_and_the_rest_comes() -> None:
    font = MadeFont()
    good, bad = (font.sample(name, decaying_strokes([0.0], [0.5], 0.2)) for name in ("Good", "Bad"))
    header, data = font.samples[bad]
    font.samples[bad] = (header[:36] + (0).to_bytes(4, "little") + header[40:], data)  # no sample rate
    zones = ({G.KEYS: span(36, 36), G.SAMPLE: good}, {G.KEYS: span(38, 38), G.SAMPLE: bad})
    font.preset("Kit", {G.INSTRUMENT: font.instrument("I", *zones)})
    kit, _, said = kit_of(font.data)
    assert list(kit.instruments) == ["key-36"] and said == ["“Bad” is left out: its sample rate is 0 Hz."]


def played(font: Path, program: int, notes: list[tuple[int, int]], folder: Path) -> list[NDArray[np.float64]]:
    """Each note (key, velocity) as fluidsynth sounds it, 2 s of (frames, 2), from where it is struck."""
    every = 64 * 1500
    ticks = 9600 * 2 / RATE_HZ
    track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)])
    track.append(mido.Message("program_change", channel=9, program=program))
    now = 0
    for number, (key, velocity) in enumerate(notes):
        for at, hard in ((every * (number + 1), velocity), (every * (number + 2) - 6400, 0)):
            tick = round(at * ticks)
            track.append(mido.Message("note_on", channel=9, note=key, velocity=hard, time=tick - now))
            now = tick
        track.append(mido.Message("control_change", channel=9, control=120, value=0))
    mido.MidiFile(type=0, ticks_per_beat=9600, tracks=[track]).save(folder / "a.mid")
    dry = ["-R", "0", "-C", "0", "-g", "0.5", "-o", "synth.polyphony=1024", "-r", str(RATE_HZ), "-O", "float"]
    subprocess.run(
        ["fluidsynth", "-ni", "-q", *dry, "-T", "wav", "-F", folder / "a.wav", font, folder / "a.mid"],
        check=True,
        capture_output=True,
    )
    audio, _ = soundfile.read(folder / "a.wav", always_2d=True)
    return [audio[every * (n + 1) : every * (n + 1) + 2 * RATE_HZ] for n in range(len(notes))]


def ours(kit: Kit, sounds: Kept, key: int, velocity: int) -> NDArray[np.float64]:
    (sample,) = [
        one
        for one in kit.instruments[f"key-{key}"].samples
        if one.low_velocity <= velocity <= one.high_velocity
    ]
    audio, rate_hz = sounds[sample.audio]
    sound = audio * 10 ** (sample.level_db / 20) * (velocity / 127) ** 2
    if rate_hz != RATE_HZ:
        sound = soxr.resample(sound, rate_hz, RATE_HZ, quality="VHQ")
    return np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else sound


# Gain 0.5 and half of the amplitude on each side: what fluidsynth leaves of a sample at full scale.
_GAIN_DB = 12.04


@pytest.mark.skipif(shutil.which("fluidsynth") is None, reason="fluidsynth is not installed")
@pytest.mark.parametrize("program", [0, 16, 40])
def test_recorded_kits_sound_as_fluidsynth_sounds_them(program: int, tmp_path: Path) -> None:
    kit, sounds, _ = kit_of(GENERAL.read_bytes(), program)
    notes = [
        (key, velocity)
        for key in (36, 37, 38, 42, 43, 46, 48, 49, 51, 54, 56, 63, 70)
        for velocity in (127, 64)
    ]
    heard = played(GENERAL, program, notes, tmp_path)
    late = []
    for (key, velocity), there in zip(notes, heard, strict=True):
        here = ours(kit, sounds, key, velocity)[: len(there)]
        there_db = 10 * np.log10((there[: len(here)] ** 2).sum())
        here_db = 10 * np.log10((here**2).sum()) - _GAIN_DB
        assert here_db == pytest.approx(there_db, abs=1.0), (key, velocity)
        size = 4096
        both = [np.fft.rfft(one[:size].mean(axis=1), 2 * size) for one in (there, here)]
        late.append(int(np.argmax(np.fft.irfft(both[0] * np.conj(both[1])))))
    # Fluidsynth begins a note with a block of 64 frames; but for those it begins with ours, to two samples.
    assert all(abs((one + 32) % 64 - 32) <= 2 for one in late), late


@pytest.mark.skipif(shutil.which("fluidsynth") is None, reason="fluidsynth is not installed")
def test_zones_of_our_own_sound_as_fluidsynth_sounds_them(tmp_path: Path) -> None:
    stroke = decaying_strokes([0.0], [0.7], 1.0, hz=330)
    settings = [
        {},
        {"ATTENUATION": 150},
        {"COARSE_TUNE": 5, "FINE_TUNE": -30},
        {"FILTER_CENTS": 9000},
        {"FILTER_CENTS": 9500, "FILTER_Q": 120},
        {"FILTER_CENTS": 7000, "ENVELOPE_TO_FILTER": 4000, "OTHER_DECAY": -2400, "OTHER_SUSTAIN": 1000},
        {"ATTACK": -6000},
        {"HOLD": -5000, "DECAY": -1200, "SUSTAIN": 1000},
        {"PAN": -300},
    ]
    font = MadeFont()
    sample = font.sample("Paper", stroke, 60)
    zones = [
        {
            **{G[name]: amount for name, amount in one.items()},
            G.KEYS: span(36 + n, 36 + n),
            G.ROOT_KEY: 36 + n,
            G.SAMPLE: sample,
        }
        for n, one in enumerate(settings)
    ]
    font.preset("Kit", {G.INSTRUMENT: font.instrument("I", *zones)})
    path = tmp_path / "own.sf2"
    path.write_bytes(font.data)
    kit, sounds, _ = kit_of(font.data)
    notes = [(36 + n, 100) for n in range(len(settings))]
    for (key, velocity), there, one in zip(notes, played(path, 0, notes, tmp_path), settings, strict=True):
        here = ours(kit, sounds, key, velocity)[: len(there)]
        there_db = 10 * np.log10((there[: len(here)] ** 2).sum())
        assert 10 * np.log10((here**2).sum()) - _GAIN_DB == pytest.approx(there_db, abs=1.0), one
