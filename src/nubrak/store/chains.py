"""Chains of stages that are kept for every session."""

from __future__ import annotations

from sqlalchemy import Engine

from nubrak.core.mix import KeptChain
from nubrak.store.kept import forget, keep, kept
from nubrak.store.tables import ChainRow


def keep_chain(engine: Engine, chain: KeptChain) -> None:
    """Keep a chain under its name, in place of an older one of that name."""
    keep(engine, ChainRow, chain.name, chain.model_dump(mode="json"))


def kept_chains(engine: Engine) -> list[KeptChain]:
    """Every kept chain, by name."""
    return [KeptChain.model_validate(one) for one in kept(engine, ChainRow)]


def forget_chain(engine: Engine, name: str) -> None:
    """Forget a kept chain; sessions that use it keep their own copy."""
    forget(engine, ChainRow, name, "chain")
