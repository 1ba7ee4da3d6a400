"""Which instruments of a kit a piece sounds with."""

from __future__ import annotations

from nubrak.core.samples import Instrument, Kit, Sample


def instrument(piece: str, name: str = "one", key: int | None = None) -> Instrument:
    return Instrument(name=name, piece=piece, samples=[Sample(audio="0" * 64)], key=key)


def test_every_way_of_striking_has_its_instrument_where_they_have_notes() -> None:
    hats = {f"h{key}": instrument("hi-hat", key=key) for key in (46, 42)}
    kit = Kit(name="k", instruments=hats | {"s": instrument("snare")})
    assert [one.key for one in kit.for_piece("hi-hat")] == [42, 46]
    assert [one.piece for one in kit.for_piece("snare")] == ["snare"]
    assert kit.for_piece("ride") == []


def test_of_many_of_one_piece_the_liked_one_sounds_else_the_first() -> None:
    # Slices of a loop stand on rising notes, which are no ways of striking.
    ones = {f"s{k}": instrument("snare", f"slice {k}", 36 + k) for k in range(5)}
    assert [one.name for one in Kit(name="k", instruments=ones).for_piece("snare")] == ["slice 0"]
    liked = Kit(name="k", instruments=ones, favourites=["s3"])
    assert [one.name for one in liked.for_piece("snare")] == ["slice 3"]
