"""A file that arrives: takes, pairs and further microphones fall into their places by the same edits wherever
the session is kept.
"""

from __future__ import annotations

from nubrak.core.gather.arrival import Arrival, gather
from nubrak.core.pieces.file_names import PieceGuess
from nubrak.core.session.document import Clip, Document
from nubrak.core.session.edit import AnyAction, apply


class Keeper:
    """A session that is kept nowhere but here, with every edit that was made on it."""

    def __init__(self) -> None:
        self.document = Document(name="Puppets")
        self.kinds: list[str] = []
        self.pairs: list[str] = []

    def arrive(
        self, name: str, piece: str, stamp_s: float | None = None, source_id: str | None = None
    ) -> None:
        number = len(self.kinds)
        clip = Clip(audio=f"a{number}", length_s=10.0, channels=1, rate_hz=48000, stamp_s=stamp_s)
        guess = PieceGuess(piece=piece, why="", sure=1.0)
        arrived = Arrival(name, clip, guess, ["odd"])
        gather(self.document, arrived, (f"s{number}", f"p{number}"), self.edit, self.joined, source_id)

    def edit(self, action: AnyAction) -> Document:
        self.kinds.append(action.kind)
        self.document, _ = apply(self.document, action)
        return self.document

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
        assert len(keeper.document.parts) == 1 and keeper.pairs == ["oh L+R.wav"]


def test_a_second_microphone_on_a_piece_joins_its_part() -> None:
    keeper = Keeper()
    for name in ("Kick In.wav", "Snare.wav", "Kick Out.wav"):
        keeper.arrive(name, name.split(maxsplit=1)[0].removesuffix(".wav").lower())
    assert keeper.kinds[-1] == "combine_microphones" and keeper.document.parts["p0"].sources == ["s0", "s2"]
    assert set(keeper.document.parts) == {"p0", "p1"}


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
