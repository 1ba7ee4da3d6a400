"""What axe-core, which ships with the front end's tools, finds on a page as it stands."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import Page

from nubrak.command.places import INTERFACE

AXE = (INTERFACE / "node_modules" / "axe-core" / "axe.min.js").read_text(encoding="utf-8")


def faults(page: Page) -> list[str]:
    """What axe finds on the page as it stands, each with the element that it names."""
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE)
    found: list[dict[str, Any]] = page.evaluate(
        "async () => (await axe.run(document, {resultTypes: ['violations']})).violations"
    )
    return [f"{one['id']}: {node['html'][:160]}" for one in found for node in one["nodes"]]
