"""SFZ, the open text format for sample sets (SFZ 1.0 opcodes, from memory): read into instruments and written
from a kit.

Read are regions with what they inherit from groups: key, velocity range, turns, volume, tune, offset,
envelope, trigger, and who silences whom. Everything else is left out and named. The velocity law of the
format, (v / 127) squared in amplitude, is the one Nubrak uses.
"""

from __future__ import annotations

import posixpath
import re
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from html import escape, unescape

import numpy as np

from nubrak.core.pieces import PIECES, free_note, guess_from_name, piece_of_key, plain_name
from nubrak.core.problem import Problem
from nubrak.core.samples.arrange import ArrivedSample
from nubrak.core.samples.kit import Instrument, Kit, Sample
from nubrak.core.samples.measure import character

MOST_TEXT = 4 << 20  # bytes: far more than any map of samples
_MOST_REGIONS = 5000  # the same in regions
MOST_KEYS = 128  # that MIDI has
_MOST_KEYS = 4  # a region over more keys is a pitched instrument, not a piece
_PIECE_IS = "// piece: "  # a comment ahead of a group of ours
_PIECE_LINE = re.compile(r"^// piece: ([a-z-]+)\s*\n<group>", re.MULTILINE)
_HEADER = re.compile(r"<(\w+)>")
_OPCODE = re.compile(r"(?:^|(?<=\s))([a-zA-Z0-9_]+)=")
_NOTES = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}  # semitones over C
_UNDERSTOOD = frozenset(
    (
        "sample",
        "key",
        "lokey",
        "hikey",
        "pitch_keycenter",
        "lovel",
        "hivel",
        "seq_position",
        "seq_length",
        "volume",
        "tune",
        "transpose",
        "offset",
        "trigger",
        "group",
        "off_by",
        "ampeg_attack",
        "ampeg_hold",
        "ampeg_decay",
        "ampeg_sustain",
        "default_path",
        "note_offset",
        "group_label",
        "region_label",
        "piece",
    )
)
# What changes nothing for drums that ring out, or says what is so anyway.
_SAFE = frozenset(
    (
        "loop_mode",
        "off_mode",
        "amp_veltrack",
        "pitch_keytrack",
        "ampeg_release",
        "polyphony",
        "global_label",
        "sw_default",
        "lochan",
        "hichan",
    )
)
_KNOWN = _UNDERSTOOD | _SAFE
_LONGEST_PATH = 4096  # of any file system
_MOST_SAID = 200  # of what is left out: nobody reads more
_LEAD_S = 0.0005  # left before an attack, so that no filter rings into its first sample
_LOUDEST_DB = 6.0  # what a player of the format may turn up (SFZ: volume goes to 6 dB)


@dataclass(frozen=True)
class Region:
    """One region, with what it inherits."""

    sample: str
    low_key: int
    high_key: int
    opcodes: dict[str, str]

    def number(self, name: str, otherwise: float) -> float:
        """An opcode's number; a ``ValueError`` where it is none."""
        value = float(self.opcodes.get(name, otherwise))
        if not np.isfinite(value):
            raise ValueError(name)
        return value


@dataclass
class Read:
    """What was read: regions, and what was left out, a sentence each."""

    regions: list[Region] = field(default_factory=list)
    skipped: list[str] = field(default_factory=list)


def read_sfz(text: str) -> Read:
    """The regions of an SFZ text, in one pass over it. A ``Problem`` where it has none."""
    if len(text) > MOST_TEXT:
        raise Problem("This SFZ file is larger than 4 MB.", todo="Split it into several.")
    out = Read()
    # What kind of drum follows stands in a comment of ours, because the format has no word for it.
    text = _without_comments(_PIECE_LINE.sub(r"<group> piece=\1 ", text))
    lines = [re.sub(r"//.*", "", line) for line in text.splitlines()]
    for line in lines:
        if line.lstrip().startswith("#"):
            out.skipped.append(
                f"“{line.strip()[:80]}” is left out: files are not put together from several texts."
            )
    plain = "\n".join(line for line in lines if not line.lstrip().startswith("#"))
    pieces = _HEADER.split(plain)
    levels: dict[str, dict[str, str]] = {name: {} for name in ("control", "global", "master", "group")}
    unknown: Counter[str] = Counter()
    headers: Counter[str] = Counter()
    for header, body in zip(pieces[1::2], pieces[2::2], strict=True):
        opcodes = _opcodes(body)
        header = header.lower()
        unknown.update(name for name in opcodes if name not in _KNOWN)
        # Only what is understood is inherited: a group may hold anything, and every region of it all of that.
        opcodes = {name: value for name, value in opcodes.items() if name in _UNDERSTOOD}
        if header in levels:
            levels[header] = opcodes
            # What stands lower in the order is begun anew.
            order = ["global", "master", "group"]
            for lower in order[order.index(header) + 1 :] if header in order else []:
                levels[lower] = {}
        elif header == "region":
            if len(out.regions) >= _MOST_REGIONS:
                raise Problem(
                    f"This SFZ file has more than {_MOST_REGIONS} regions.", todo="Split it into several."
                )
            _add_region(out, levels, opcodes)
        else:
            headers[f"<{header[:40]}>"] += 1
    out.skipped += [
        f"{name[:80]} is left out ({count} {'place' if count == 1 else 'places'})."
        for name, count in [*sorted(headers.items()), *sorted(unknown.items())]
    ]
    if len(out.skipped) > _MOST_SAID:
        out.skipped[_MOST_SAID:] = [f"{len(out.skipped) - _MOST_SAID} more things are left out."]
    if not out.regions:
        raise Problem(
            "This SFZ file has no region that sounds." + (f" {out.skipped[0]}" if out.skipped else ""),
            todo="Choose another file.",
        )
    return out


def _without_comments(text: str) -> str:
    """A text without what stands between ``/*`` and ``*/``; one that is never closed stays."""
    kept, at = [], 0
    while (begin := text.find("/*", at)) >= 0 and (end := text.find("*/", begin + 2)) >= 0:
        kept.append(text[at:begin])
        at = end + 2
    return "".join([*kept, text[at:]])


def _opcodes(body: str) -> dict[str, str]:
    found: dict[str, str] = {}
    for line in body.splitlines():
        places = list(_OPCODE.finditer(line))
        ends = [*(after.start() for after in places[1:]), len(line)]
        for one, end in zip(places, ends, strict=False):
            found[one.group(1).lower()] = line[one.end() : end].strip()
    return found


def _add_region(out: Read, levels: dict[str, dict[str, str]], own: dict[str, str]) -> None:
    opcodes = levels["global"] | levels["master"] | levels["group"] | own
    named = opcodes.get("sample", "")
    if not named or named.startswith("*"):
        out.skipped.append(f"A region with {'the generator ' + named if named else 'no sample'} is left out.")
        return
    folder = levels["control"].get("default_path", "")
    if len(folder) + len(named) > _LONGEST_PATH:
        out.skipped.append(f"“{named[:80]}…” is left out: its name is too long.")
        return
    path = inside(folder + named)
    if path is None:
        out.skipped.append(f"“{named[:120]}” lies outside the folder of the SFZ file and is left out.")
        return
    if opcodes.get("trigger", "attack") != "attack":
        out.skipped.append(
            f"“{path[-80:]}” sounds on {opcodes['trigger']}, not on a stroke, and is left out."
        )
        return
    try:
        shift = round(float(levels["control"].get("note_offset", 0)))
        low = _key(opcodes.get("key", opcodes.get("lokey", opcodes.get("pitch_keycenter", "60")))) + shift
        high = (
            _key(
                opcodes.get(
                    "key", opcodes.get("hikey", opcodes.get("lokey", opcodes.get("pitch_keycenter", "60")))
                )
            )
            + shift
        )
        region = Region(path, low, high, opcodes)
        for name in (
            "lovel",
            "hivel",
            "seq_position",
            "seq_length",
            "volume",
            "tune",
            "transpose",
            "offset",
            "ampeg_attack",
            "ampeg_hold",
            "ampeg_decay",
            "ampeg_sustain",
        ):
            region.number(name, 0)
    except (ValueError, OverflowError) as error:
        out.skipped.append(f"“{path[-80:]}” is left out: {error}.")
        return
    if not 0 <= low <= 127 or high < 0:
        return  # sounds on no key, which is how a region is switched off
    out.regions.append(region)


def _key(text: str) -> int:
    """A key as a number or as a name in which c4 is 60."""
    found = re.fullmatch(r"([a-gA-G])([#b]?)(-?\d)", text)
    if found:
        return _NOTES[found[1].lower()] + {"#": 1, "b": -1, "": 0}[found[2]] + 12 * (int(found[3]) + 1)
    return int(text)


def inside(path: str) -> str | None:
    """A sample's path below the folder of its SFZ file, with forward slashes; None where it leads out of
    it.
    """
    path = path.replace("\\", "/").strip()
    if path.startswith("/") or re.match(r"[A-Za-z]:", path) or "\0" in path:
        return None
    plain = posixpath.normpath(path)
    return None if plain == ".." or plain.startswith("../") else plain


def instruments_of(read: Read, files: dict[str, ArrivedSample], rate_of: dict[str, int]) -> list[Instrument]:
    """Instruments, one for each key, of the regions whose files arrived; ``files`` by path below the SFZ
    file's folder, ``rate_of`` audio its rate.

    What is missing is named in ``read.skipped``.
    """
    by_lower = {path.lower(): file for path, file in files.items()}
    by_key: dict[int, list[tuple[Region, ArrivedSample]]] = defaultdict(list)
    missing: Counter[str] = Counter()
    for region in read.regions:
        file = files.get(region.sample) or by_lower.get(region.sample.lower())
        if file is None:
            missing[region.sample] += 1
            continue
        if region.high_key - region.low_key >= _MOST_KEYS:
            read.skipped.append(
                f"“{region.sample[-80:]}” sounds on keys {region.low_key} to {region.high_key}; it was "
                f"taken at {region.low_key}."
            )
        keys = (
            range(region.low_key, min(region.high_key, 127) + 1)
            if region.high_key - region.low_key < _MOST_KEYS
            else [region.low_key]
        )
        for key in keys:
            by_key[key].append((region, file))
    read.skipped += [f"“{path[-120:]}” is missing; what needs it is left out." for path in missing]
    groups: dict[str, set[int]] = defaultdict(set)
    for key, regions in by_key.items():
        for region, _ in regions:
            if "group" in region.opcodes:
                groups[region.opcodes["group"]].add(key)
    return [_instrument(key, regions, groups, rate_of, read) for key, regions in sorted(by_key.items())]


def _instrument(
    key: int,
    regions: list[tuple[Region, ArrivedSample]],
    groups: dict[str, set[int]],
    rate_of: dict[str, int],
    read: Read,
) -> Instrument:
    regions = sorted(regions, key=lambda one: (one[0].number("lovel", 0), one[0].number("seq_position", 1)))
    samples = [_sample(region, file, rate_of[file.audio], read) for region, file in regions]
    first = regions[0][0]
    words = [
        guess for guess in (guess_from_name(region.sample) for region, _ in regions) if guess is not None
    ]
    silencers = {
        other
        for region, _ in regions
        for other in groups.get(region.opcodes.get("off_by", ""), set())
        if other != key
    }
    label = unescape(first.opcodes.get("region_label") or first.opcodes.get("group_label") or "") or re.sub(
        r"[_-]+", " ", plain_name(first.sample).rpartition(".")[0]
    )
    named = words[0] if words else guess_from_name(f"{label}.wav")
    told = first.opcodes.get("piece", "")
    piece = told if told in PIECES else named.piece if named else piece_of_key(key) or "else"
    made = Instrument(
        name=label[:120] or f"Note {key}",
        piece=piece,
        samples=samples,
        key=key,
        silenced_by=sorted(silencers),
    )
    made.words = character(made)
    return made


def _sample(region: Region, file: ArrivedSample, rate_hz: int, read: Read) -> Sample:
    begin_s = max(region.number("offset", 0), 0.0) / rate_hz
    low, high = (
        int(np.clip(region.number(name, otherwise), 1, 127))
        for name, otherwise in (("lovel", 1), ("hivel", 127))
    )
    if low > high:
        read.skipped.append(f"“{region.sample[-80:]}” has an empty velocity range; it was taken for all.")
        low, high = 1, 127
    envelope = region.number("ampeg_sustain", 100) < 100 and (
        "ampeg_decay" in region.opcodes or "ampeg_hold" in region.opcodes
    )
    return Sample(
        audio=file.audio,
        name=plain_name(region.sample, 200),
        low_velocity=low,
        high_velocity=high,
        attack_s=max(file.attack_s, begin_s),
        begin_s=begin_s,
        level_db=float(np.clip(region.number("volume", 0), -144, 24)),
        measured=file.measured,
        tune_semitones=float(
            np.clip(region.number("tune", 0) / 100 + region.number("transpose", 0), -36, 36)
        ),
        attack_ms=float(np.clip(1000 * region.number("ampeg_attack", 0), 0, 10000)),
        hold_ms=float(np.clip(1000 * region.number("ampeg_hold", 0), 0, 10000)) if envelope else None,
        decay_ms=float(np.clip(1000 * region.number("ampeg_decay", 0.2), 1, 10000)) if envelope else 200.0,
    )


def keys_of(kit: Kit) -> dict[str, int]:
    """A key for every instrument: its own, else its piece's, else one that General MIDI has for such a drum
    or leaves free. No key of another instrument or piece of the kit is taken. A ``ValueError`` where there
    are more instruments than keys.
    """
    if len(kit.instruments) > MOST_KEYS:
        raise ValueError(f"{len(kit.instruments)} instruments on {MOST_KEYS} keys")
    usual = {PIECES[one.piece].note for one in kit.instruments.values() if one.piece in PIECES}
    out: dict[str, int] = {}
    for instrument_id, one in kit.instruments.items():
        if one.key is not None and one.key not in out.values():
            out[instrument_id] = one.key
    for instrument_id, one in kit.instruments.items():
        if one.key is None and one.piece in PIECES and PIECES[one.piece].note not in out.values():
            out[instrument_id] = PIECES[one.piece].note
    for instrument_id, one in kit.instruments.items():
        if instrument_id not in out:
            taken = set(out.values())
            key = free_note(one.piece, taken | usual, one.name)
            out[instrument_id] = key if key is not None else min(set(range(MOST_KEYS)) - taken)
    return out


def louder_by(kit: Kit) -> dict[str, float]:
    """By how much each sample's file is to be louder than it was recorded, in dB, by its audio: what a
    region asks for over 6 dB, where the format's volume ends.
    """
    out: dict[str, float] = {}
    for one in kit.instruments.values():
        for sample in one.samples:
            out[sample.audio] = max(out.get(sample.audio, 0.0), _volume_db(sample) - _LOUDEST_DB)
    return out


def _volume_db(sample: Sample) -> float:
    """The volume of a sample's region: a player takes 40 log10(127 / velocity) off it again."""
    return sample.level_db + 40.0 * float(np.log10(127 / sample.velocity))


def _label(name: str) -> str:
    """A name as a value in the text: nothing in it begins a header, an opcode or a comment."""
    return escape(" ".join(name.split()), quote=False).replace("=", "&#61;").replace("/", "&#47;")


def write_sfz(
    kit: Kit, path_of: dict[str, str], rate_of: dict[str, int], louder_db: Mapping[str, float] | None = None
) -> str:
    """A kit as SFZ: one region a sample; ``path_of`` audio where its file lies below the text, ``rate_of``
    its rate. The files are to be as much louder as ``louder_db`` says, which is what ``louder_by`` tells.
    """
    keys, louder = keys_of(kit), louder_db or louder_by(kit)
    lines = [f"// {_label(kit.name)}, written by Nubrak", ""]
    silencers = {
        keys.get(other_id)
        for one in kit.instruments.values()
        for other_id in keys
        if keys[other_id] in one.silenced_by
    }
    for instrument_id, one in kit.instruments.items():
        key = keys[instrument_id]
        lines.append(f"{_PIECE_IS}{one.piece}")
        lines.append(f"<group> key={key} group_label={_label(one.name)}")
        if key in silencers:
            lines[-1] = lines[-1].replace(" group_label", " group=1 group_label")
        if one.silenced_by:
            lines[-1] = lines[-1].replace(" group_label", " off_by=1 off_mode=normal group_label")
        together: dict[tuple[int, int], list[int]] = defaultdict(list)
        for place, sample in enumerate(one.samples):
            together[sample.low_velocity, sample.high_velocity].append(place)
        for (low, high), places in sorted(together.items()):
            for turn, place in enumerate(places, start=1):
                sample = one.samples[place]
                words = [f"lovel={low}", f"hivel={high}"]
                if len(places) > 1:
                    words += [f"seq_length={len(places)}", f"seq_position={turn}"]
                begin = max(sample.begin_s, sample.attack_s - _LEAD_S)
                words += [f"volume={_volume_db(sample) - louder[sample.audio]:.2f}"]
                words += [f"tune={round(100 * sample.tune_semitones)}"] if sample.tune_semitones else []
                words += [f"offset={round(begin * rate_of[sample.audio])}"] if begin > 0 else []
                words += [f"ampeg_attack={sample.attack_ms / 1000:g}"] if sample.attack_ms else []
                if sample.hold_ms is not None:
                    words += [
                        f"ampeg_hold={sample.hold_ms / 1000:g}",
                        f"ampeg_decay={sample.decay_ms / 1000:g}",
                        "ampeg_sustain=0",
                    ]
                lines.append(f"<region> {' '.join(words)} sample={path_of[sample.audio]}")
        lines.append("")
    return "\n".join(lines) + "\n"
