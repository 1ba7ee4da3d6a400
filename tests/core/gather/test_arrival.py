"""A file that arrives: takes, pairs and further microphones fall into their places by the same edits wherever
the session is kept.
"""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from nubrak.core.find import Candidates, find_candidates
from nubrak.core.find.candidates import no_candidates
from nubrak.core.gather.arrival import Arrival, gather
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.session import MarkChange, SetMark
from nubrak.core.session.document import Clip, Document
from nubrak.core.session.edit import AnyAction, apply
from nubrak.core.session.gather_edits import SetPiece
from tests.conftest import decaying_strokes


class Keeper:
    """A session that is kept nowhere but here, with every edit that was made on it."""

    def __init__(self) -> None:
        self.document = Document(name="Puppets")
        self.kinds: list[str] = []
        self.pairs: list[str] = []
        self.sounds: dict[str, NDArray[np.float32]] = {}
        self.found: dict[str, Candidates] = {}

    def arrive(
        self,
        name: str,
        piece: str,
        stamp_s: float | None = None,
        source_id: str | None = None,
        length_s: float = 10.0,
        kinds: dict[str, float] | None = None,
    ) -> None:
        number = len(self.kinds)
        clip = Clip(audio=f"a{number}", length_s=length_s, channels=1, rate_hz=48000, stamp_s=stamp_s)
        sure = max(kinds.values()) if kinds else 1.0
        guess = PieceGuess(piece=piece, why="", sure=sure, asks=sure < 0.7, kinds=kinds or {})
        arrived = Arrival(name, clip, guess, ["odd"])
        gather(
            self.document,
            arrived,
            (f"s{number}", f"p{number}"),
            self.edit,
            self.joined,
            self.heard,
            lambda clip: self.found.get(clip.audio, no_candidates()),
            source_id,
        )

    def edit(self, action: AnyAction) -> Document:
        self.kinds.append(action.kind)
        self.document, _ = apply(self.document, action)
        return self.document

    def heard(self, clip: Clip) -> NDArray[np.float32]:
        return self.sounds.get(clip.audio, np.ones(9600, np.float32))

    def joined(self, left: Clip, right: Clip, name: str) -> Clip:
        self.pairs.append(name)
        return left.model_copy(update={"audio": f"{left.audio}+{right.audio}", "channels": 2})


def test_a_file_alone_is_a_source_with_a_part_and_says_what_is_odd() -> None:
    keeper = Keeper()
    keeper.arrive("kick.wav", "kick")
    assert keeper.kinds == ["add_source"] and keeper.document.parts["p0"].piece == "kick"
    assert keeper.document.sources["s0"].notes == ["odd"]


def test_the_other_half_of_a_pair_makes_one_source_whichever_half_comes_first() -> None:
    for first, second in (("OH L.wav", "OH R.wav"), ("OH R.wav", "OH L.wav")):
        keeper = Keeper()
        keeper.arrive(first, "crash")
        keeper.arrive(second, "crash")
        assert keeper.kinds == ["add_source", "add_source", "as_pair"]
        (source,) = keeper.document.sources.values()
        left = "a0+a1" if first == "OH L.wav" else "a1+a0"
        assert source.clips[0].audio == left and source.clips[0].channels == 2
        assert len(keeper.document.parts) == 1 and keeper.pairs == ["OH L+R.wav"]


@pytest.mark.parametrize(
    ("names", "piece", "spill_db", "pair"),
    [
        (("Tom L.wav", "Tom R.wav"), "rack-tom", 24.0, False),
        (("Kick L.wav", "Kick R.wav"), "kick", 20.0, False),
        (("OH L.wav", "OH R.wav"), "crash", 24.0, False),
        (("OH L.wav", "OH R.wav"), "crash", 5.0, True),
        (("Beat L.wav", "Beat R.wav"), "loop", 3.0, True),
        (("Tom L.wav", "Tom R.wav"), "rack-tom", 0.5, True),
    ],
)
def test_sides_are_a_pair_where_they_hear_the_same_strokes(
    names: tuple[str, str], piece: str, spill_db: float, pair: bool
) -> None:
    # Each side hears its own four strokes, and those of the other so much softer.
    own, other = np.zeros(10 * 4800, np.float32), np.zeros(10 * 4800, np.float32)
    for place in range(4):
        own[place * 9600 : place * 9600 + 2400] = 0.5
        other[place * 9600 + 4800 : place * 9600 + 7200] = 0.5
    softer = np.float32(10 ** (-spill_db / 20))
    keeper = Keeper()
    keeper.sounds = {"a0": own + softer * other, "a1": 0.3 * (other + softer * own)}
    for name in names:
        keeper.arrive(name, piece)
    assert ("as_pair" in keeper.kinds) == pair
    assert len(keeper.document.sources) == (1 if pair else 2)


def test_a_second_microphone_on_a_piece_joins_its_part() -> None:
    keeper = Keeper()
    for name in ("Kick In.wav", "Snare.wav", "Kick Out.wav"):
        keeper.arrive(name, name.split(maxsplit=1)[0].removesuffix(".wav").lower())
    assert keeper.kinds[-1] == "combine_microphones" and keeper.document.parts["p0"].sources == ["s0", "s2"]
    assert set(keeper.document.parts) == {"p0", "p1"}


def test_two_drums_that_are_named_like_two_places_at_one_stay_two() -> None:
    own = np.tile(np.repeat([0.5, 0.0], 2400), 10).astype(np.float32)
    other = np.tile(np.repeat([0.0, 0.5], 2400), 10).astype(np.float32)
    keeper = Keeper()
    keeper.sounds = {"a0": own + 0.05 * other, "a1": other + 0.05 * own}
    for name in ("Kick In.wav", "Kick Out.wav"):
        keeper.arrive(name, "kick")
    assert keeper.kinds == ["add_source", "add_source"] and len(keeper.document.parts) == 2


def test_a_stamped_further_take_goes_onto_its_source_at_its_time() -> None:
    keeper = Keeper()
    keeper.arrive("Kick_01.wav", "kick", stamp_s=36000.0)
    keeper.arrive("Kick_02.wav", "kick", stamp_s=36020.0)
    assert keeper.kinds == ["add_source", "add_clip"]
    assert [clip.start_s for clip in keeper.document.sources["s0"].clips] == [0.0, 20.0]


def test_what_is_said_to_be_a_take_is_one_whatever_it_is_called() -> None:
    keeper = Keeper()
    keeper.arrive("kick.wav", "kick")
    keeper.arrive("again.wav", "else", source_id="s0")
    assert [clip.start_s for clip in keeper.document.sources["s0"].clips] == [0.0, 10.0]
    assert len(keeper.document.parts) == 1


OVERHEAD = {"loop": 0.5, "overheads": 0.4, "snare": 0.1}


def kit_of(length_s: float) -> Keeper:
    """Three recordings of one length: what sounds like a loop or overheads, and two close microphones."""
    keeper = Keeper()
    for piece, kinds in (("loop", OVERHEAD), ("kick", None), ("snare", None)):
        keeper.arrive(f"take {len(keeper.kinds)}.wav", piece, length_s=length_s, kinds=kinds)
    return keeper


def test_what_was_recorded_beside_others_is_hardly_a_loop() -> None:
    keeper = kit_of(180.0)
    # Of itself it may as well be a loop; with the third recording it is known for a microphone of a kit.
    part, guess = keeper.document.parts["p0"], keeper.document.sources["s0"].guess
    assert part.piece == "crash" and part.named == "Overheads"
    assert guess is not None and guess.sure == pytest.approx(0.4 / 0.55, abs=0.01) and not guess.asks
    assert "beside the others" in guess.why
    keeper.arrive("take 4.wav", "loop", length_s=180.2, kinds=OVERHEAD)
    assert keeper.document.parts["p3"].piece == "crash"
    # Loops of one length are no kit, nor is what lasts longer than the rest.
    assert kit_of(16.0).document.parts["p0"].piece == "loop"
    keeper.arrive("backing.wav", "loop", length_s=200.0, kinds=OVERHEAD)
    assert keeper.document.parts["p4"].piece == "loop"


def test_what_hears_all_strokes_late_is_a_room_whenever_it_comes() -> None:
    kick_s, snare_s = np.arange(0.5, 20.5), np.arange(1.0, 21.0)
    kick = find_candidates(decaying_strokes(kick_s.tolist(), [0.7] * 20, 22.0, hz=60), 44100)
    snare = find_candidates(decaying_strokes(snare_s.tolist(), [0.7] * 20, 22.0), 44100)
    both = sorted([*kick_s, *snare_s])
    far = find_candidates(decaying_strokes([at + 0.011 for at in both], [0.3] * 40, 22.0), 44100)
    above = find_candidates(decaying_strokes([at + 0.004 for at in both], [0.3] * 40, 22.0), 44100)
    for order in ("kas", "aks", "ksa"):
        for of_both, becomes in ((far, "room"), (above, "snare")):
            keeper = Keeper()
            keeper.found = {
                f"a{at}": {"k": kick, "s": snare, "a": of_both}[which] for at, which in enumerate(order)
            }
            for which in order:
                kinds = {"snare": 0.6, "overheads": 0.3} if which == "a" else None
                keeper.arrive(f"{which}.wav", {"k": "kick"}.get(which, "snare"), length_s=60.0, kinds=kinds)
            source = keeper.document.sources[f"s{order.index('a')}"]
            part = next(p for p in keeper.document.parts.values() if f"s{order.index('a')}" in p.sources)
            assert source.guess is not None and part.piece == becomes
            if becomes == "room":
                assert "11 ms after the first" in source.guess.why and not source.guess.asks


@pytest.mark.parametrize("answered", [True, False])
def test_what_a_hand_has_said_or_made_stays_whatever_comes_beside_it(answered: bool) -> None:
    keeper = Keeper()
    keeper.arrive("take 1.wav", "loop", length_s=180.0, kinds=OVERHEAD)
    if answered:
        keeper.edit(SetPiece(kind="set_piece", part_id="p0", piece="loop"))
    else:
        marks = {"m": MarkChange(kind="add", time_s=1.0)}
        keeper.edit(SetMark(kind="mark", part_id="p0", marks=marks))
    for number in (2, 3):
        keeper.arrive(f"take {number}.wav", "kick", length_s=180.0)
    assert keeper.document.parts["p0"].piece == "loop"
