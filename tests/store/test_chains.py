"""Chains kept for every session."""

from __future__ import annotations

import pytest
from sqlalchemy import Engine

from nubrak.core.mix import KeptChain
from nubrak.core.mix.drive import DriveStage
from nubrak.core.mix.equaliser import CutsStage
from nubrak.core.problem import Problem
from nubrak.store.chains import forget_chain, keep_chain, kept_chains


def test_a_chain_is_kept_whole_under_its_name_and_a_newer_one_takes_its_place(engine: Engine) -> None:
    keep_chain(engine, KeptChain(name="Velvet", chain=[DriveStage(drive_db=3)]))
    keep_chain(engine, KeptChain(name="Attic", chain=[]))
    chain = [CutsStage(low_cut_hz=70), DriveStage(drive_db=9, on=False)]
    keep_chain(engine, KeptChain(name="Velvet", chain=chain))
    kept = [one for one in kept_chains(engine) if one.name in ("Attic", "Velvet")]
    assert [one.name for one in kept] == ["Attic", "Velvet"] and kept[1].chain == chain
    for name in ("Attic", "Velvet"):
        forget_chain(engine, name)
    assert not kept_chains(engine)
    with pytest.raises(Problem, match="chain"):
        forget_chain(engine, "Attic")
