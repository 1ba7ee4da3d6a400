"""What the names of files say: the piece, the side of a pair, and what is safe to keep."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nubrak.core.pieces.catalogue import PIECES
from nubrak.core.pieces.file_names import guess_from_name, plain_name, session_name, side_of
from nubrak.core.pieces.languages import PIECE_WORDS, spaced


@pytest.mark.parametrize(
    ("name", "piece"),
    [
        ("Kick.wav", "kick"),
        ("01_KICK_in.wav", "kick"),
        ("BassDrum 2.aif", "kick"),
        ("SN top.wav", "snare"),
        ("snareBottom.flac", "snare"),
        ("HH.wav", "hi-hat"),
        ("hi-hat.flac", "hi-hat"),
        ("Floor Tom.wav", "floor-tom"),
        ("Tom2.wav", "floor-tom"),
        ("rack tom 1.wav", "rack-tom"),
        ("OH_L.wav", "crash"),
        ("overheads.wav", "crash"),
        ("ride.wav", "ride"),
        ("claps take 3.wav", "clap"),
        ("dance loop.wav", "loop"),
        ("tambourine.ogg", "tambourine"),
        ("room.wav", "room"),
        ("Hängetom.wav", "rack-tom"),
        ("HAENGETOM 1.wav", "rack-tom"),
        ("Standtom.wav", "floor-tom"),
        ("Raum_links.wav", "room"),
        ("Große Trommel.wav", "kick"),
        ("caja.wav", "snare"),
        ("Bombo dentro.wav", "kick"),
        ("platillo.wav", "crash"),
        ("Caisse Claire.wav", "snare"),
        ("caisseClaire dessous.wav", "snare"),
        ("Grosse caisse.wav", "kick"),
        ("tom basse.wav", "floor-tom"),
        ("piatti.wav", "crash"),
        ("rullante.wav", "snare"),
        ("chimbal.wav", "hi-hat"),
        ("Малый барабан.wav", "snare"),
        ("スネア上.wav", "snare"),
        ("フロアタム.wav", "floor-tom"),
    ],
)
def test_what_file_names_say(name: str, piece: str) -> None:
    guess = guess_from_name(name)
    assert guess is not None and guess.piece == piece


def test_a_name_that_says_nothing_gives_no_guess() -> None:
    assert guess_from_name("Audio 07_bip.wav") is None
    assert guess_from_name("shattered.wav") is None
    assert guess_from_name("Döner.wav") is None


@pytest.mark.parametrize("name", ["OHs.wav", "Becken.wav", "piatti.wav", "Platillos L.wav", "Pratos.wav"])
def test_names_of_several_cymbals_speak_of_the_microphones_above(name: str) -> None:
    guess = guess_from_name(name)
    assert guess is not None and guess.over_the_kit


def test_no_word_of_a_language_speaks_of_two_pieces() -> None:
    """Another language may use a word for another piece only where English does not."""
    said: dict[str, set[str]] = {}
    for words in PIECE_WORDS.values():
        for piece, listed in words.items():
            for word in listed.split(","):
                said.setdefault(spaced(word), set()).add(piece)
    assert {word: pieces for word, pieces in said.items() if len(pieces) > 1} == {}
    english = {spaced(word): piece.id for piece in PIECES.values() for word in piece.words if word}
    for word, pieces in said.items():
        assert english.get(word, next(iter(pieces))) in pieces


@given(st.text(max_size=400))
def test_any_name_becomes_one_that_is_safe_to_keep_and_show(name: str) -> None:
    plain = plain_name(name)
    assert 1 <= len(plain) <= 120 and "/" not in plain and "\\" not in plain
    assert not plain.startswith(".") and "\x00" not in plain
    assert plain_name(plain) == plain or len(plain) > 110
    guess_from_name(name)


def test_path_tricks_are_taken_off() -> None:
    assert plain_name("../../etc/passwd") == "passwd"
    assert plain_name("C:\\temp\\Kick.wav") == "Kick.wav"
    assert plain_name("..") == "unnamed"


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("OH L.wav", ("oh", "left")),
        ("Overheads_Right.wav", ("overheads", "right")),
        ("room-R.wav", ("room", "right")),
        ("OHL.wav", ("oh", "left")),
        ("Kick.wav", None),
        ("L.wav", None),
        ("Hihat Left 2.wav", ("hihat 2", "left")),
        ("Raum rechts.wav", ("raum", "right")),
        ("Ambiance G.wav", ("ambiance", "left")),
        ("Aéreos izq.wav", ("aereos", "left")),
    ],
)
def test_names_tell_the_side_of_a_pair(name: str, said: tuple[str, str] | None) -> None:
    assert side_of(name) == said


@pytest.mark.parametrize(
    ("path", "called"),
    [
        ("Act two/kick.wav", "Act two"),
        ("tour/Act_three/Audio_Files/kick_in.wav", "Act three"),
        ("mics/kick_in.wav", "mics"),
        ("moth_beat 3.wav", "moth beat 3"),
        (".wav", "wav"),
        ("a\\b\\snare.flac", "b"),
        ("", "unnamed"),
    ],
)
def test_a_session_is_called_by_its_folder_or_its_first_file(path: str, called: str) -> None:
    assert session_name(path) == called
