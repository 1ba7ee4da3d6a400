"""Passes beside each other, and bars taken from them; everything can be taken back."""

from __future__ import annotations

import pytest

from nubrak.core.problem import Problem
from nubrak.core.session import AddPass, ChooseBars, Clip, Document, Source, apply


def clip(letter: str, start_s: float = 1.0) -> Clip:
    return Clip(audio=letter * 64, start_s=start_s, length_s=4.0, channels=1, rate_hz=44100)


def session() -> Document:
    return Document(name="Claps", sources={"s": Source(name="Clap pass 1", place=0, clips=[clip("a")])})


def passed() -> Document:
    action = AddPass(kind="add_pass", source_id="s", name="again", clip=clip("b"))
    return apply(session(), action)[0]


def test_another_pass_is_heard_and_the_first_stays_beside_it() -> None:
    source = passed().sources["s"]
    assert [one.audio[0] for one in source.passes] == ["a", "b"]
    assert [one.audio[0] for one in source.clips] == ["b"]
    third = AddPass(kind="add_pass", source_id="s", name="again", clip=clip("c"))
    after = apply(passed(), third)[0].sources["s"]
    assert [one.audio[0] for one in after.passes] == ["a", "b", "c"]


def test_bars_are_taken_from_passes_that_are_there() -> None:
    made = clip("d")
    action = ChooseBars(kind="choose_bars", source_id="s", chosen=[0, 1, 0], clip=made)
    after, label = apply(passed(), action)
    assert (after.sources["s"].chosen, after.sources["s"].clips) == ([0, 1, 0], [made])
    assert "2 passes" in label
    with pytest.raises(Problem, match="not there"):
        apply(passed(), ChooseBars(kind="choose_bars", source_id="s", chosen=[2], clip=made))
    # Another pass after that is heard whole.
    again = AddPass(kind="add_pass", source_id="s", name="again", clip=clip("e"))
    assert apply(after, again)[0].sources["s"].chosen == []
