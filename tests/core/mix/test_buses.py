"""Groups, parallels and rooms: every way to the sum is as long as every other, and windows join."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from nubrak.core.mix.buses import PartsBus, group_of
from nubrak.core.mix.chain import Blocks, Stage
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.dynamics import DynamicsStage
from nubrak.core.mix.render import Mix, render
from nubrak.core.mix.room import Room
from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.shape.notes import Notes
from tests.core.mix.test_chain import EVERYTHING, NEUTRAL

RATE_HZ = 48000
FRAMES = 3 * RATE_HZ
NULL = 10 ** (-120 / 20)
NONE = Notes(np.zeros(0), np.zeros(0, np.int64), 36, 10, 0.5)
PIECES = ("kick", "snare", "hi-hat")
GLUE: list[Stage] = [DynamicsStage(threshold_db=-30, ratio=4, release_ms=60), DriveStage(drive_db=4)]


def session(**buses: PartsBus) -> Mix:
    """Three parts of their own, each noise, and some buses."""
    document = Document(name="T", rate_hz=RATE_HZ)
    audio = {}
    for place, piece in enumerate(PIECES):
        sound = 0.2 * np.random.default_rng(place).standard_normal((FRAMES, 1))
        audio[piece] = sound.astype(np.float32)
        clip = Clip(audio=piece, length_s=FRAMES / RATE_HZ, channels=1, rate_hz=RATE_HZ)
        document.sources[piece] = Source(name=piece, place=place, clips=[clip])
        document.parts[piece] = Part(piece=piece, place=place, sources=[piece])
    document.buses = dict(buses)
    return Mix(
        document, dict.fromkeys(PIECES, NONE), audio.__getitem__, lambda *_: (audio["kick"], 0), key="k"
    )


def heard(mix: Mix, start: int = 0, frames: int = FRAMES, **more: object) -> np.ndarray:
    return render(mix, "both", list(PIECES), start, frames, bussed=True, **more)  # type: ignore[arg-type]


def group(*parts: str, **more: object) -> PartsBus:
    return PartsBus.model_validate(
        {"name": "Drums", "kind": "group", "parts": dict.fromkeys(parts, 0.0), **more}
    )


def beside(*parts: str, **more: object) -> PartsBus:
    return PartsBus.model_validate(
        {"name": "Beside", "kind": "parallel", "parts": dict.fromkeys(parts, 0.0), **more}
    )


def test_a_group_that_does_nothing_nulls_against_the_straight_sum() -> None:
    straight = heard(session())
    assert np.abs(heard(session(drums=group("kick", "snare"))) - straight).max() < NULL
    both = session(one=group("kick", place=0), other=group("snare", "hi-hat", place=1))
    assert np.abs(heard(both) - straight).max() < NULL


@pytest.mark.parametrize("stage", NEUTRAL, ids=lambda one: one.kind)
def test_a_parallel_of_neutral_stages_is_its_parts_to_the_sample(stage: Stage) -> None:
    """Dry and wet are as late as each other: turned upside down against its parts, nothing is left."""
    dry = render(session(), "both", ["snare"], 0, FRAMES)
    off = EVERYTHING[[one.kind for one in EVERYTHING].index(stage.kind)].model_copy(update={"on": False})
    for chain in ([stage], [off], [stage, off]):
        wet = heard(session(b=beside("snare", chain=chain)), bus_id="b")
        assert np.abs(wet - dry).max() < NULL


# A re-cut puts other moments in their place, and a sweep takes all but the lows: both are meant to.
IN_TIME = [one for one in EVERYTHING if one.kind not in ("re-cut", "sweep")]


@pytest.mark.parametrize("stage", IN_TIME, ids=lambda one: one.kind)
def test_no_stage_delays_what_goes_through_a_parallel(stage: Stage) -> None:
    dry = render(session(), "both", ["snare"], 0, FRAMES)[:, 0]
    wet = heard(session(b=beside("snare", chain=[stage])), bus_id="b")[:, 0]
    spectrum = np.fft.rfft(wet) * np.conj(np.fft.rfft(dry))
    lag = int(np.argmax(np.fft.irfft(spectrum)))
    # Minimum-phase filters turn phases; the strongest of what comes out comes when it went in.
    assert min(lag, FRAMES - lag) <= (1 if stage.kind in ("cuts", "equaliser") else 0)


def test_what_a_bus_adds_is_the_difference_it_makes() -> None:
    buses = {
        "b": beside("kick", "snare", chain=GLUE, level_db=-3.0),
        "g": group("hi-hat", place=1, chain=GLUE),
    }
    whole = heard(session(**buses))
    straight = sum(render(session(), "both", [one], 0, FRAMES) for one in ("kick", "snare"))
    each = sum(heard(session(**buses), bus_id=one) for one in buses)
    assert np.abs(whole - (straight + each)).max() < NULL
    buses["b"] = buses["b"].model_copy(update={"on": False})
    assert np.abs(heard(session(**buses)) - (straight + heard(session(**buses), bus_id="g"))).max() < NULL
    assert not heard(session(**buses), bus_id="b").any()


def test_windows_join_to_the_whole_through_every_kind_of_bus() -> None:
    room = PartsBus(
        name="Room",
        kind="room",
        place=2,
        parts={"snare": -6.0, "kick": -60.0},
        room=Room(size="closet"),
        chain=GLUE,
    )
    made = session(g=group("kick", "snare", chain=GLUE), b=beside("kick", place=1, chain=GLUE), r=room)
    for part in made.document.parts.values():
        part.chain = list(GLUE)
    whole = heard(replace(made, blocks=Blocks()))
    edges = [0, 7, 65_536, 65_537, 100_000, FRAMES]
    joined = [heard(replace(made, blocks=Blocks()), a, b - a) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(joined), whole), "bit for bit, from nothing"
    kept = [heard(made, a, b - a) for a, b in reversed(list(pairwise(edges)))]
    assert np.array_equal(np.concatenate(kept[::-1]), whole), "and from what was kept, in another order"
    assert np.array_equal(heard(replace(made, key=None)), whole), "and with nothing kept"


def test_other_stages_are_not_taken_from_what_was_kept() -> None:
    made = session(g=group("kick", chain=GLUE))
    made.document.parts["kick"].chain = [DriveStage(drive_db=12)]
    first = heard(made)
    other = replace(made, document=made.document.model_copy(deep=True))
    other.document.parts["kick"].chain = [DriveStage(drive_db=3)]
    assert not np.array_equal(heard(other), first)
    assert np.array_equal(heard(made), first)


def test_a_part_goes_through_the_first_group_it_is_in_and_unknown_parts_say_nothing() -> None:
    buses = {"a": group("kick", place=1), "b": group("kick", "gone", place=0)}
    assert group_of(buses, "kick") == "b" and group_of(buses, "snare") is None
    assert np.abs(heard(session(**buses)) - heard(session())).max() < NULL
    assert np.all(np.isfinite(heard(session(b=beside("gone"), g=group("gone", place=1)))))


def test_the_layers_of_a_part_go_through_their_own_stages_first() -> None:
    from nubrak.core.layer.settings import Layer
    from nubrak.core.samples.kit import Instrument, Sample

    made = session()
    hits = np.array([RATE_HZ // 2, RATE_HZ])
    notes = Notes(hits / RATE_HZ, np.full(2, 127), 38, 10, 0.5)
    layer = Layer(instrument=Instrument(name="c", piece="snare", samples=[Sample(audio="c")]), level_db=0.0)
    made.document.parts["snare"].layers["l"] = layer
    made = replace(made, notes=made.notes | {"snare": notes})
    dry = render(made, "layers", ["snare"], 0, FRAMES)
    recording = render(made, "recording", ["snare"], 0, FRAMES)
    made.document.parts["snare"].layers_chain = [DriveStage(drive_db=12)]
    assert not np.allclose(render(made, "layers", ["snare"], 0, FRAMES), dry)
    assert np.array_equal(render(made, "recording", ["snare"], 0, FRAMES), recording)
    both = render(made, "both", ["snare"], 0, FRAMES)
    assert np.abs(both - recording - render(made, "layers", ["snare"], 0, FRAMES)).max() < NULL
