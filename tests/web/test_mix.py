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
    asked = {"part_id": part, "start_s": 0.0, "end_s": 2.0, **body}
    answer = browser.post(f"/api/sessions/{session}/stages", json=asked)
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


BUS = {"name": "Drums", "kind": "group"}


def test_a_bus_is_made_sent_to_renamed_and_taken_out_and_a_part_is_in_one_group_only(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    state = edit(browser, session, {"kind": "add_bus", "bus_id": "one", "bus": {**BUS, "parts": {part: 0}}})
    assert state["document"]["buses"]["one"]["place"] == 0
    edit(browser, session, {"kind": "add_bus", "bus_id": "two", "bus": {**BUS, "name": "Other"}})
    state = edit(browser, session, {"kind": "send_to", "bus_id": "two", "part_id": part, "amount_db": -3})
    buses = state["document"]["buses"]
    assert buses["two"]["parts"] == {part: -3} and not buses["one"]["parts"]
    assert state["undo"] == "Kick: to Other"
    changes = {"name": "Act one", "level_db": -2, "pan": 0.5}
    state = edit(browser, session, {"kind": "set_bus", "bus_id": "two", "changes": changes})
    assert state["document"]["buses"]["two"]["name"] == "Act one"
    state = edit(browser, session, {"kind": "send_to", "bus_id": "two", "part_id": part, "amount_db": None})
    assert not state["document"]["buses"]["two"]["parts"] and state["undo"] == "Kick: out of Act one"
    state = edit(browser, session, {"kind": "remove_bus", "bus_id": "two"})
    assert list(state["document"]["buses"]) == ["one"]


@pytest.mark.parametrize(
    "action",
    [
        {"kind": "set_bus", "bus_id": "one", "changes": {"level_db": 99}},
        {"kind": "set_bus", "bus_id": "one", "changes": {"room": {"size": "ballroom"}}},
        {"kind": "set_bus", "bus_id": "none", "changes": {"level_db": 0}},
        {"kind": "send_to", "bus_id": "one", "part_id": "gone", "amount_db": 0},
        {"kind": "send_to", "bus_id": "one", "part_id": "gone", "amount_db": 40},
        {"kind": "add_bus", "bus_id": "three", "bus": {**BUS, "parts": {"gone": 0}}},
        {"kind": "add_bus", "bus_id": "../three", "bus": BUS},
        {"kind": "set_less", "part_id": "gone", "of_part_id": "gone", "less_db": -6},
        {"kind": "set_chain", "chain": []},
    ],
)
def test_a_bus_that_makes_no_sense_is_refused_in_a_sentence(
    browser: Browser, played: tuple[str, str], action: dict[str, object]
) -> None:
    session, _ = played
    edit(browser, session, {"kind": "add_bus", "bus_id": "one", "bus": BUS})
    before = browser.get(f"/api/sessions/{session}").json()
    body = {"revision": before["revision"], "action": action}
    answer = browser.post(f"/api/sessions/{session}/edits", json=body)
    assert answer.status_code in (404, 422) and answer.json()["what"], answer.text
    assert browser.get(f"/api/sessions/{session}").json()["revision"] == before["revision"]


def test_chains_are_kept_for_every_session_and_forgotten(browser: Browser) -> None:
    kept = browser.put("/api/chains", json={"name": "Velvet", "chain": CHAIN}).json()
    assert [one["name"] for one in kept] == ["Velvet"] and kept[0]["chain"][0]["low_cut_hz"] == 60
    assert browser.put("/api/chains", json={"name": "", "chain": []}).status_code == 422
    assert browser.delete("/api/chains/Velvet").json() == []
    assert browser.delete("/api/chains/Velvet").status_code == 404


def test_stages_that_are_not_heard_are_named_in_the_address_and_nonsense_is_refused(
    browser: Browser, played: tuple[str, str]
) -> None:
    session, part = played
    edit(browser, session, {"kind": "set_chain", "part_id": part, "chain": CHAIN})
    address = f"/api/sessions/{session}/sound/both?start=0&frames=40000"
    plain = browser.get(address).content
    without = browser.get(f'{address}&without={{"part_id": "{part}"}}')
    assert without.status_code == 200
    said = browser.get(f'{address}&without={{"stage": 99}}')
    assert said.status_code == 422 and said.json()["what"]
    assert len(without.content) == len(plain) and without.content != plain
