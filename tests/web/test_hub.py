"""News for open windows: each hears all, and one that falls behind reads everything once."""

from __future__ import annotations

import asyncio

from nubrak.web.hub import Hub


async def heard(hub: Hub, messages: list[str], first: int) -> list[list[str]]:
    """What two windows hear, one that listens and one that does not come to it for so long."""
    quick, slow = hub.news(), hub.news()
    out = [[await anext(quick)], [await anext(slow)]]
    for message in messages:
        hub._tell(message)
        out[0].append(await anext(quick))
    for _ in range(first):
        out[1].append(await anext(slow))
    await quick.aclose()
    await slow.aclose()
    assert not hub._windows
    return out


def test_every_window_hears_everything_in_order_and_first_to_read_once_more() -> None:
    messages = [f"session a {n}" for n in range(20)]
    quick, slow = asyncio.run(heard(Hub("nowhere"), messages, len(messages)))
    assert quick == slow == ["again", *messages]


def test_one_far_behind_is_told_to_read_again_and_holds_nobody_up() -> None:
    messages = [f"session a {n}" for n in range(1500)]
    quick, slow = asyncio.run(heard(Hub("nowhere"), messages, 1))
    assert quick == ["again", *messages]
    assert slow[1] == "again"  # in place of the thousand it did not come to
