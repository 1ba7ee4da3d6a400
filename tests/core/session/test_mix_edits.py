"""Stages of a part as edits, said so that undo can name them."""

from __future__ import annotations

import pytest

from nubrak.core.mix import AnyStage
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.equaliser import CutsStage, EqBand, EqualiserStage
from nubrak.core.problem import Problem
from nubrak.core.session import Document, apply
from nubrak.core.session.mix_edits import SetChain
from tests.core.session.sources import with_sources

CUTS, EQUALISER, DRIVE = CutsStage(low_cut_hz=40), EqualiserStage(bands=[EqBand(by_db=3)]), DriveStage()


def chained(document: Document, *chain: AnyStage) -> tuple[Document, str]:
    return apply(document, SetChain(kind="set_chain", part_id="p0", chain=list(chain)))


def test_every_change_of_a_chain_has_its_words() -> None:
    document = with_sources(("snare.wav", "snare"))
    steps: list[tuple[list[AnyStage], str]] = [
        ([CUTS], "add cuts"),
        ([CUTS, DRIVE], "add drive"),
        ([DRIVE, CUTS], "stages in another order"),
        ([DRIVE.model_copy(update={"on": False}), CUTS], "drive off"),
        ([DRIVE, CUTS], "drive on"),
        ([DRIVE, CutsStage(low_cut_hz=80)], "cuts"),
        ([CutsStage(low_cut_hz=80)], "take drive out"),
        ([CutsStage(low_cut_hz=80), EQUALISER], "add equaliser"),
    ]
    for chain, words in steps:
        document, said = chained(document, *chain)
        assert said == f"Snare: {words}" and document.parts["p0"].chain == chain


def test_a_chain_survives_its_way_through_json_and_bounds_are_kept() -> None:
    document, _ = chained(with_sources(("snare.wav", "snare")), CUTS, EQUALISER, DRIVE)
    again = Document.model_validate_json(document.model_dump_json())
    assert again.parts["p0"].chain == [CUTS, EQUALISER, DRIVE]
    with pytest.raises(Problem):
        chained(document, DriveStage.model_construct(kind="drive", drive_db=99.0))
