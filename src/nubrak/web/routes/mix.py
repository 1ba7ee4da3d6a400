"""Mix: what stages do, and chains that are kept for every session."""

from __future__ import annotations

from fastapi import APIRouter

from nubrak.core.mix import KeptChain
from nubrak.desk.mixing import AskStages, StagesSeen, stages_seen
from nubrak.store.chains import forget_chain, keep_chain, kept_chains
from nubrak.web.routes.wire import PROBLEMS, AnyDesk

router = APIRouter(prefix="/api", responses=PROBLEMS)


@router.post("/sessions/{session_id}/stages")
def stages(session_id: str, body: AskStages, desk: AnyDesk) -> StagesSeen:
    """Spectra before and after the stages of a part or a bus, and what its dynamics takes, over a stretch."""
    return stages_seen(desk, desk.standing(session_id), body)


@router.get("/chains")
def chains(desk: AnyDesk) -> list[KeptChain]:
    """The chains that are kept, by name."""
    return kept_chains(desk.engine)


@router.put("/chains")
def keep(body: KeptChain, desk: AnyDesk) -> list[KeptChain]:
    """Keep a chain under its name, in place of an older one of that name."""
    keep_chain(desk.engine, body)
    return kept_chains(desk.engine)


@router.delete("/chains/{name}")
def forget(name: str, desk: AnyDesk) -> list[KeptChain]:
    """Forget a kept chain; sessions that use it keep their own copy."""
    forget_chain(desk.engine, name)
    return kept_chains(desk.engine)
