"""Who has a share of which source, and when shares have to be told apart."""

from __future__ import annotations

from nubrak.core.mix import Blend, head_of, sharing
from nubrak.core.mix.recordings import are_apart
from nubrak.core.session import Part

LOOP = {
    "loop": Part(piece="loop", place=0, sources=["s"]),
    "kick": Part(piece="kick", place=0, sources=["s"], sorted_from="loop", sounds=["kick"]),
    "snare": Part(piece="snare", place=0, sources=["s"], sorted_from="loop", sounds=["snare"]),
}
TOP = {
    "top": Part(piece="snare", place=0, sources=["s"]),
    "rim": Part(piece="snare", place=0, sources=["s"], sorted_from="top", divided_from="top"),
}


def test_what_was_told_from_moments_shares_them_all() -> None:
    assert sharing(LOOP, "loop") == ["kick", "snare"] and sharing(LOOP, "kick") == []
    assert head_of(LOOP, "snare") == "loop" and head_of(LOOP, "loop") == "loop"


def test_a_microphone_shares_with_what_was_taken_out_of_it() -> None:
    assert sharing(TOP, "top") == ["top", "rim"]
    gone = {"rim": TOP["rim"]}
    assert head_of(gone, "rim") == "rim", "what it was taken out of is gone"


def test_as_recorded_nothing_has_to_be_told_apart() -> None:
    sharers = sharing(LOOP, "loop")
    assert not are_apart(LOOP, sharers, "loop", alone=False)
    for changed in (
        Blend(recording_db=-3),
        Blend(recording_on=False),
        Blend(recording_pan=0.2),
        Blend(duck_db=-6),
        Blend(low_cut_hz=80),
    ):
        parts = LOOP | {"snare": LOOP["snare"].model_copy(update={"blend": changed})}
        assert are_apart(parts, sharers, "loop", alone=False), changed
    layers = LOOP | {"snare": LOOP["snare"].model_copy(update={"blend": Blend(layers_db=-3)})}
    assert not are_apart(layers, sharers, "loop", alone=False)


def test_solo_tells_apart_unless_the_whole_is_solo() -> None:
    solo = LOOP | {"snare": LOOP["snare"].model_copy(update={"blend": Blend(recording_solo=True)})}
    sharers = sharing(LOOP, "loop")
    assert are_apart(solo, sharers, "loop", alone=True)
    whole = LOOP | {"loop": LOOP["loop"].model_copy(update={"blend": Blend(recording_solo=True)})}
    assert not are_apart(whole, sharers, "loop", alone=True)
