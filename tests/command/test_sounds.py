"""What a benchmark needs of Debian's sounds."""

from __future__ import annotations

from pathlib import Path

import pytest

from nubrak.command import sounds


def test_only_what_plays_sounds_asks_for_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("shutil.which", lambda name: None)
    monkeypatch.setattr(sounds, "_FILES", {"opl3-soundfont": Path("/nowhere"), "freepats": Path(__file__)})
    assert sounds.needed(["speed", "shape"]) == []
    assert sounds.needed(["endurance", "--share", "0.1"]) == []
    everything = ["fluidsynth", "timidity", "espeak-ng", "opl3-soundfont"]
    assert sounds.needed(["apart"]) == everything and sounds.needed([]) == everything
    installed: list[list[str]] = []
    monkeypatch.setattr(sounds, "install", lambda packages, why: installed.append(packages))
    sounds.bring(["kits", "speed"])
    assert installed == [everything]
    monkeypatch.setattr("shutil.which", lambda name: f"/usr/bin/{name}")
    monkeypatch.setattr(sounds, "_FILES", {"freepats": Path(__file__)})
    sounds.bring(["kits"])
    assert len(installed) == 1
