"""Every time in a document moves with it: found by the units in its fields' names, not by a list."""

from __future__ import annotations

from collections.abc import Iterator
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import BaseModel

from nubrak.core.decide.settings import CurvePoint, FindSettings, Mark
from nubrak.core.layer.settings import HitOffset, Layer
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.problem import Problem
from nubrak.core.samples.kit import Instrument, Sample
from nubrak.core.session.action import out_of_bounds
from nubrak.core.session.document import Clip, Document, Part, Source, Span
from nubrak.core.session.edit import apply
from nubrak.core.session.gather_edits import AddSource, MoveClip
from nubrak.core.session.shifting import shift_all
from nubrak.core.shape.notes import PatternNote, ShapeSettings
from nubrak.core.shape.steps import Line, LinePoint, Raise, Scope
from nubrak.core.tempo.tempo_map import Tempo, TempoChange
from nubrak.core.time_line import AudioHash, OffTimeLine, OnTimeLine, found, walk

# Whole milliseconds, so that adding and taking off are exact to far less than a sample.
times = st.integers(2_000_000, 3_000_000).map(lambda ms: ms / 1000.0)
some = st.lists(times, max_size=4)


def models_of(model: type[BaseModel], seen: set[type[BaseModel]]) -> Iterator[type[BaseModel]]:
    """A model and every model that can lie in it."""
    if model in seen:
        return
    seen.add(model)
    yield model
    for field in model.model_fields.values():
        yield from _inside(field.annotation, seen)


def _inside(hint: Any, seen: set[type[BaseModel]]) -> Iterator[type[BaseModel]]:
    if isinstance(hint, type) and issubclass(hint, BaseModel):
        yield from models_of(hint, seen)
    for one in get_args(hint):
        if get_origin(hint) is not None:
            yield from _inside(one, seen)


def carries(hint: Any, metadata: list[Any], marker: type) -> bool:
    if marker in metadata:
        return True
    if get_origin(hint) is Annotated:
        return marker in get_args(hint)[1:] or carries(get_args(hint)[0], [], marker)
    if get_origin(hint) in (Union, UnionType, list):
        return any(carries(one, [], marker) for one in get_args(hint))
    return False


def test_every_field_in_seconds_says_what_it_counts() -> None:
    asked = 0
    for model in models_of(Document, set()):
        for name, field in model.model_fields.items():
            if name.endswith("_s"):
                asked += 1
                on, off = (
                    carries(field.annotation, field.metadata, one) for one in (OnTimeLine, OffTimeLine)
                )
                assert on != off, f"{model.__name__}.{name} is neither a place on the time line nor a length"
            if name == "audio":
                assert carries(field.annotation, field.metadata, AudioHash), model.__name__
    assert asked >= 15


@st.composite
def documents(draw: st.DrawFn) -> Document:
    """Sessions with something at every kind of place."""
    start_s, end_s = sorted([draw(times), draw(times) + 1.0])
    marks = {
        str(number): Mark(kind="keep", time_s=at, to_s=draw(times), note_s=draw(times), velocity=9)
        for number, at in enumerate(draw(some))
    }
    scope = Scope(start_s=start_s, end_s=end_s, chosen_s=draw(some))
    line = Line(kind="line", points=[LinePoint(time_s=draw(times), percent=50)], scope=scope)
    part = Part(
        piece="snare",
        place=0,
        sources=["s"],
        find=FindSettings(curve=[CurvePoint(time_s=at, offset_db=3) for at in draw(some)]),
        shape=ShapeSettings(steps=[line, Raise(kind="raise", by=4, scope=scope)]),
        marks=marks,
        pattern={str(number): PatternNote(time_s=at) for number, at in enumerate(draw(some))},
        layers={
            "l": Layer(
                instrument=Instrument(name="I", piece="snare", samples=[Sample(audio="a", attack_s=0.25)]),
                each=[HitOffset(time_s=at, offset_samples=5) for at in draw(some)],
            )
        },
    )
    clips = [
        Clip(audio="c", start_s=at, length_s=2.0, channels=1, rate_hz=48000, stamp_s=3.0)
        for at in draw(st.lists(times, min_size=1, max_size=3))
    ]
    return Document(
        name="T",
        tempo=Tempo(
            bar_one_s=draw(times), changes=[TempoChange(time_s=at, bpm=100) for at in sorted(draw(some))]
        ),
        origin_s=3.0,
        span=Span(start_s=start_s, end_s=end_s),
        sources={"s": Source(name="s", place=0, clips=clips)},
        parts={"p": part},
    )


@given(documents(), st.integers(-2_000_000, 2_000_000).map(lambda ms: ms / 1000.0))
@settings(max_examples=60)
def test_shifting_there_and_back_is_the_identity(document: Document, by_s: float) -> None:
    was = document.model_dump()
    before = list(found(document, OnTimeLine))
    shift_all(document, by_s)
    assert list(found(document, OnTimeLine)) == pytest.approx([at + by_s for at in before])
    shift_all(document, -by_s)
    assert _close(document.model_dump(), was)


def _close(left: Any, right: Any) -> bool:
    """Whether two trees are the same, numbers to a nanosecond."""
    if isinstance(left, dict):
        return left.keys() == right.keys() and all(_close(left[key], right[key]) for key in left)
    if isinstance(left, list | tuple):
        return len(left) == len(right) and all(map(_close, left, right))
    return left == pytest.approx(right, abs=1e-9) if isinstance(left, float) else left == right


@given(documents())
def test_nothing_that_has_a_time_is_forgotten(document: Document) -> None:
    """Every number under a name that ends in ``_s`` moves, but for what is a length or a time of day."""

    def numbers(tree: Any, name: str = "") -> Iterator[tuple[str, float]]:
        if isinstance(tree, dict):
            for key, value in tree.items():
                yield from numbers(value, key)
        elif isinstance(tree, list):
            for value in tree:
                yield from numbers(value, name)
        elif isinstance(tree, float) and name.endswith("_s"):
            yield name, tree

    before = list(numbers(document.model_dump()))
    shift_all(document, 7.0)
    stays = {"length_s", "stamp_s", "attack_s", "begin_s"}
    for (name, was), (_, now) in zip(before, numbers(document.model_dump()), strict=True):
        by_s = -7.0 if name == "origin_s" else 0.0 if name in stays else 7.0
        assert now == pytest.approx(was + by_s), name


@given(documents())
def test_a_walk_leaves_what_it_walks_over(document: Document) -> None:
    was = document.model_dump()
    walk(document, OnTimeLine, lambda time_s: time_s + 1)
    assert document.model_dump() == was


def test_what_would_leave_the_day_stays() -> None:
    document = Document(
        name="T", tempo=Tempo(bar_one_s=1.0), sources={"s": Source(name="s", place=0, clips=[take(1.0)])}
    )
    with pytest.raises(Problem, match="beyond its day"):
        shift_all(document, -2.0)
    assert document.tempo.bar_one_s == 1.0
    # Bar one may stand before the recording.
    shift_all(document, -1.0)
    assert document.tempo.bar_one_s == 0.0
    document.tempo = Tempo(bar_one_s=-1.0)
    shift_all(document, 2.0)
    assert document.tempo.bar_one_s == 1.0


def session(clips: list[Clip], part: Part) -> Document:
    return Document(name="T", sources={"s": Source(name="s", place=0, clips=clips)}, parts={"p": part})


def take(start_s: float, stamp_s: float | None = None) -> Clip:
    return Clip(audio="c", start_s=start_s, length_s=10.0, channels=1, rate_hz=48000, stamp_s=stamp_s)


def test_moving_a_take_moves_what_stands_on_it_and_nothing_else() -> None:
    inside = Mark(kind="keep", time_s=5.0, to_s=5.1, note_s=5.2, velocity=70)
    outside = Mark(kind="keep", time_s=25.0, to_s=9.0)
    part = Part(
        piece="snare",
        place=0,
        sources=["s"],
        marks={"in": inside, "out": outside},
        pattern={"in": PatternNote(time_s=6.0), "out": PatternNote(time_s=26.0)},
        find=FindSettings(curve=[CurvePoint(time_s=7.0, offset_db=1), CurvePoint(time_s=27.0, offset_db=2)]),
        shape=ShapeSettings(steps=[Raise(kind="raise", by=1, scope=Scope(start_s=4.0, end_s=8.0))]),
    )
    document = session([take(0.0), take(20.0)], part)
    document.tempo.bar_one_s = 3.0
    new, _ = apply(document, MoveClip(kind="move_clip", source_id="s", index=0, start_s=100.0))
    moved = new.parts["p"]
    assert moved.marks["in"] == Mark(kind="keep", time_s=105.0, to_s=105.1, note_s=105.2, velocity=70)
    assert moved.marks["out"] == outside
    assert [note.time_s for note in moved.pattern.values()] == [106.0, 26.0]
    assert [point.time_s for point in moved.find.curve] == [27.0, 107.0]
    assert (moved.shape.steps[0].scope.start_s, moved.shape.steps[0].scope.end_s) == (104.0, 108.0)
    assert new.tempo.bar_one_s == 3.0  # the grid is the session's
    assert document.parts["p"].marks["in"] == inside  # and the session before is as it was


def test_a_take_cannot_be_put_where_it_leaves_the_day() -> None:
    document = session([take(0.0)], Part(piece="snare", place=0, sources=["s"]))
    with pytest.raises(Problem, match="beyond the day"):
        apply(document, MoveClip(kind="move_clip", source_id="s", index=0, start_s=86395.0))


@pytest.mark.parametrize(
    ("first_s", "second_s", "starts_s"),
    [
        (86_100.0, 300.0, [0.0, 600.0]),  # a take past midnight
        (300.0, 86_100.0, [600.0, 0.0]),  # a take before midnight, dropped after one past it
        (1_000.0, 1_020.0, [0.0, 20.0]),
        (1_020.0, 1_000.0, [20.0, 0.0]),
        (1_000.0, 40_000.0, [0.0, 0.0]),  # of another session: it stays where it was dropped
    ],
)
def test_takes_stand_at_their_time_stamps_over_midnight_too(
    first_s: float, second_s: float, starts_s: list[float]
) -> None:
    document = Document(name="T")
    for name, stamp_s in (("a", first_s), ("b", second_s)):
        clip = Clip(audio=name, length_s=10.0, channels=1, rate_hz=48000, stamp_s=stamp_s)
        guess = PieceGuess(piece="snare", why="its name", sure=1.0)
        action = AddSource(
            kind="add_source", source_id=name, part_id=f"p{name}", name=name, clip=clip, guess=guess
        )
        document, _ = apply(document, action)
    assert [document.sources[name].clips[0].start_s for name in "ab"] == starts_s
    far = starts_s == [0.0, 0.0]
    assert any("hours from the others" in note for note in document.sources["b"].notes) == far


def test_out_of_bounds_is_said_with_the_name_and_the_value() -> None:
    with pytest.raises(Exception) as caught:
        Mark(kind="keep", time_s=-1.0)
    problem = out_of_bounds(caught.value)  # type: ignore[arg-type]
    assert "time s: -1.0" in problem.what
