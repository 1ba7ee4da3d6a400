"""What benchmarks are made of: Debian's sound fonts and what plays them, installed when they are missing."""

from __future__ import annotations

import shutil
from pathlib import Path

from nubrak.command.debian import install

_SF2 = Path("/usr/share/sounds/sf2")
_FILES = {
    "fluid-soundfont-gm": _SF2 / "FluidR3_GM.sf2",
    "fluid-soundfont-gs": _SF2 / "FluidR3_GS.sf2",
    "musescore-general-soundfont-lossless": _SF2 / "MuseScore_General_Full.sf2",
    "timgm6mb-soundfont": _SF2 / "TimGM6mb.sf2",
    "csound-soundfont": _SF2 / "sf_GMbank.sf2",
    "opl3-soundfont": _SF2 / "OPL-3_FM_128M.sf2",
    "freepats": Path("/etc/timidity/freepats.cfg"),
}
_COMMANDS = ("fluidsynth", "timidity", "espeak-ng")
ALL = frozenset(
    {
        "speed",
        "shape",
        "accuracy",
        "left-out",
        "loops",
        "apart",
        "kits",
        "drums",
        "browser",
        "fuzz",
        "endurance",
        "live",
    }
)
SILENT = frozenset({"speed", "shape", "browser", "fuzz", "endurance"})  # benchmarks that need none of it


def needed(words: list[str]) -> list[str]:
    """The Debian packages that these benchmarks lack."""
    wanted = set(words) & ALL
    if wanted and wanted <= SILENT:
        return []
    missing = [name for name in _COMMANDS if shutil.which(name) is None]
    return missing + [package for package, file in _FILES.items() if not file.exists()]


def bring(words: list[str]) -> None:
    """Install what these benchmarks lack."""
    missing = needed(words)
    if missing:
        install(missing, "the sounds that benchmarks play")
