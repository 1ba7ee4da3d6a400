"""Mix over the wire: a chain is set, looked at, refused where it makes no sense, and kept in the archive."""

from __future__ import annotations

import pytest

from tests.web.conftest import Browser
from tests.web.test_shape_routes import edit

CHAIN = [
    {"kind": "cuts", "low_cut_hz": 60, "low_cut_slope": 48},
    {"kind": "equaliser", "bands": [{"at_hz": 100, "by_db": -6}]},
]


def look(browser: Browser, session: str, part: str, **body: object) -> dict[str, object]:
    asked = {"start_s": 0.0, "end_s": 2.0, **body}
    answer = browser.post(f"/api/sessions/{session}/parts/{part}/stages", json=asked)
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_a_chain_is_set_seen_and_undone(browser: Browser, played: tuple[str, str]) -> None:
    session, part = played
    assert not any(look(browser, session, part)["curve_db"])
    state = edit(browser, session, {"kind": "set_chain", "part_id": part, "chain": CHAIN})
    assert state["undo"] == "Kick: 2 stages" or state["undo"].startswith("Kick: add")
    seen = look(browser, session, part)
    assert min(seen["curve_db"]) < -40 and seen["after_lkfs"] < seen["before_lkfs"]
    revision = browser.get(f"/api/sessions/{session}").json()["revision"]
    browser.post(f"/api/sessions/{session}/undo", json={"revision": revision})
    assert not any(look(browser, session, part)["curve_db"])


@pytest.mark.parametrize(
    "chain",
    [
        [{"kind": "reverb"}],
        [{"kind": "cuts", "low_cut_slope": 7}],
        [{"kind": "dynamics", "ratio": 0}],
        [{"kind": "drive", "drive_db": 1e9}],
        [{"kind": "width"}] * 17,
        [{"kind": "equaliser", "bands": [{"by_db": 99}]}],
    ],
)
def test_what_makes_no_sense_is_refused_and_nothing_changes(
    browser: Browser, played: tuple[str, str], chain: list[object]
) -> None:
    session, part = played
    before = browser.get(f"/api/sessions/{session}").json()
    action = {"kind": "set_chain", "part_id": part, "chain": chain}
    answer = browser.post(
        f"/api/sessions/{session}/edits", json={"revision": before["revision"], "action": action}
    )
    assert answer.status_code == 422 and answer.json()["what"]
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == before["revision"]
