"""One walk over everything in a model that carries a mark, however deep it lies."""

from __future__ import annotations

from typing import Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, Field

from nubrak.core.time_line import (
    AudioHash,
    AudioKey,
    LengthS,
    OffTimeLine,
    OnTimeLine,
    TimeLineS,
    found,
    walk,
)


class Leaf(BaseModel):
    kind: Literal["leaf"] = "leaf"
    time_s: TimeLineS
    length_s: LengthS = 1.0
    audio: AudioKey = "a"


class Bare(BaseModel):
    kind: Literal["bare"] = "bare"
    name: str = "no time in it"


class Tree(BaseModel):
    at_s: TimeLineS | None = None
    leaves: list[Leaf] = []
    named: dict[str, Leaf] = {}
    either: Leaf | Bare = Field(default=Bare(), discriminator="kind")
    many: list[TimeLineS] = []
    branch: Tree | None = None


leaves = st.builds(Leaf, time_s=st.floats(0, 100), length_s=st.floats(0, 100))
trees = st.recursive(
    st.builds(
        Tree,
        at_s=st.none() | st.floats(0, 100),
        leaves=st.lists(leaves, max_size=3),
        named=st.dictionaries(st.text(max_size=3), leaves, max_size=3),
        either=leaves | st.builds(Bare),
        many=st.lists(st.floats(0, 100), max_size=3),
    ),
    lambda inner: st.builds(lambda tree, branch: tree.model_copy(update={"branch": branch}), inner, inner),
    max_leaves=3,
)


def times_of(value: object, name: str = "") -> list[float]:
    """Every time in a dump, by the names of the fields."""
    if isinstance(value, dict):
        return [time for key, one in value.items() for time in times_of(one, key)]
    if isinstance(value, list):
        return [time for one in value for time in times_of(one, name)]
    return [value] if name in ("time_s", "at_s", "many") and isinstance(value, float) else []


@given(trees)
def test_every_time_is_found_and_nothing_else(tree: Tree) -> None:
    assert sorted(found(tree, OnTimeLine)) == sorted(times_of(tree.model_dump()))


@given(trees, st.floats(0, 50))
def test_a_walk_there_and_back_is_nothing_and_the_model_itself_is_left_alone(tree: Tree, by: float) -> None:
    before = tree.model_dump()
    moved = walk(tree, OnTimeLine, lambda time_s: time_s + by)
    assert tree.model_dump() == before
    assert list(found(moved, OnTimeLine)) == [time + by for time in found(tree, OnTimeLine)]
    assert list(found(moved, OffTimeLine)) == list(found(tree, OffTimeLine))
    back = walk(moved, OnTimeLine, lambda time_s: time_s - by)
    assert list(found(back, OnTimeLine)) == pytest.approx(list(found(tree, OnTimeLine)))


def test_other_marks_are_walked_alike() -> None:
    tree = Tree(leaves=[Leaf(time_s=1.0)], either=Leaf(time_s=2.0, audio="b"))
    assert list(found(walk(tree, AudioHash, str.upper), AudioHash)) == ["A", "B"]
    assert walk(Bare(), OnTimeLine, lambda one: one) == Bare()
