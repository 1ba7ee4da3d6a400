"""`./nubrak benchmark guesses`: what recordings are, told by sound alone, on libraries that nothing was
taught on, beside a logistic regression over their spectra; and how right it is where it says that it is sure.

With ``--proof DIR`` also the recordings of a folder that has its truth beside it; nothing was taught on them.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn.linear_model import LogisticRegression
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler

from benchmarks.learn import FOLDS
from benchmarks.learn_guess import Known, fold_path, known
from nubrak.core.find import find_candidates
from nubrak.core.gather import LISTENED_S, SURE, guess_from_sound, guess_in_company, read_mono
from nubrak.core.gather.character import CHARACTER
from nubrak.core.gather.kinds import KINDS, kinds_of
from nubrak.core.pieces import PieceGuess

_PIECE = np.array([one.piece for one in KINDS])
_PIECES = sorted(set(_PIECE.tolist()))
_IS_OF = np.array([[one.piece == piece for piece in _PIECES] for one in KINDS], float)
_OF_PROOF = {
    "kick": "kick",
    "snare": "snare",
    "hat": "hi-hat",
    "tom_high": "rack-tom",
    "tom_mid": "rack-tom",
    "tom_floor": "floor-tom",
    "ride": "ride",
    "crash": "crash",
    "overhead": "crash",
    "room": "room",
}
_MICROPHONES = {*_OF_PROOF.values(), "overheads"}
_OF_HANDS = {"clap": "clap", "shaker": "shaker", "cowbell": "cowbell", "djembe": "conga", "perc": "conga"}


def _by_piece(likely: NDArray[np.float64]) -> NDArray[np.float64]:
    """Likelihoods of kinds (n, kinds) as those of the pieces they are taken as, (n, pieces)."""
    return likely @ _IS_OF


def _said(name: str, sure: NDArray[np.float64], right: NDArray[np.bool_]) -> None:
    bold = sure >= 0.95
    asked = sure < SURE
    of_bold = f"{right[bold].mean():.3f} of {bold.sum()}" if bold.any() else "none"
    print(
        f"  {name:26} {len(right):5} {right.mean():6.3f}   sure of 95 %: {of_bold:16} "
        f"asked: {asked.mean():.2f}, not asked and wrong: {(~asked & ~right).mean():.3f}",
        flush=True,
    )


def _reference(table: Known, fold: int, here: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Whether a logistic regression over the spectra says the right piece."""
    columns = [k for k, name in enumerate(CHARACTER) if name.startswith(("all_", "attack_"))]
    rows = table.without(fold)
    model = make_pipeline(StandardScaler(), LogisticRegression(max_iter=2000))
    model.fit(table.features[rows][:, columns], _PIECE[table.kind[rows]])
    return np.asarray(model.predict(table.features[here][:, columns]) == _PIECE[table.kind[here]])


def run() -> None:
    """Print every figure."""
    table = known()
    sure, right, theirs = (np.zeros(len(table.kind)) for _ in range(3))
    for fold in range(len(FOLDS)):
        here = table.fold == fold
        each = _by_piece(kinds_of(table.features[here], fold_path(fold)))
        best = each.argmax(axis=1)
        sure[here] = each.max(axis=1)
        right[here] = np.array(_PIECES)[best] == _PIECE[table.kind[here]]
        theirs[here] = _reference(table, fold, here)
    scored, right = table.fold >= 0, right > 0
    print(f"What {scored.sum()} takes are, told by sound alone; their libraries left out")
    _said("all", sure[scored], right[scored])
    for name in sorted({one for some in table.libraries for one in some}):
        rows = scored & np.array([name in one for one in table.libraries])
        if rows.sum() >= 20:
            _said(name, sure[rows], right[rows])
    for number, kind in enumerate(KINDS):
        rows = scored & (table.kind == number)
        _said(kind.named, sure[rows], right[rows])
    print(f"  (logistic regression over spectra alone: {theirs[scored].mean():.3f})")
    of_a_kit = scored & np.isin(table.kind, [k for k, kind in enumerate(KINDS) if kind.id in _MICROPHONES])
    print("Microphones of a kit, each alone and beside others that were recorded at the same time")
    _said("alone", sure[of_a_kit], right[of_a_kit])
    beside = []
    for row in np.flatnonzero(of_a_kit).tolist():
        likely = kinds_of(table.features[row][None], fold_path(int(table.fold[row])))[0]
        kinds = {kind.id: one for kind, one in zip(KINDS, likely.tolist(), strict=True)}
        beside.append(guess_in_company(PieceGuess(piece="else", why="", sure=0.0, kinds=kinds)))
    truth = _PIECE[table.kind[of_a_kit]]
    _said(
        "beside others",
        np.array([one.sure for one in beside]),
        np.array([one.piece for one in beside]) == truth,
    )
    if "--proof" in sys.argv:
        _proof(Path(sys.argv[sys.argv.index("--proof") + 1]))


def _proof(folder: Path) -> None:
    wanted: list[tuple[Path, set[str]]] = []
    for path in sorted(folder.rglob("*.json")):
        truth = json.loads(path.read_text())
        if truth.get("kind") in ("loop", "take"):
            audio = path.with_suffix(".flac")
            struck = {_OF_HANDS.get(one["piece"], "else") for one in truth["hits"]}
            pieces = (
                {"loop"} if truth["kind"] == "loop" else struck | ({"loop"} if len(struck) > 1 else set())
            )
            if audio.exists():
                wanted.append((audio, pieces))
        elif isinstance(truth.get("microphones"), dict):
            wanted += [
                (path.parent / name, {_OF_PROOF.get(piece, piece)})
                for name, piece in truth["microphones"].items()
                if (path.parent / name).exists()
            ]
    print(f"Of {folder.name}, {len(wanted)} recordings with no name:")
    sure, right = [], []
    beside: list[tuple[float, bool]] = []
    for audio, pieces in wanted:
        mono, rate_hz = read_mono(audio)
        mono = mono[: round(LISTENED_S * rate_hz)]
        guess = guess_from_sound((mono, rate_hz, find_candidates(mono, rate_hz)))
        if guess is None:
            continue
        sure.append(guess.sure)
        right.append(guess.piece in pieces)
        if (audio.parent / "truth.json").exists():
            in_company = guess_in_company(guess)
            beside.append((in_company.sure, in_company.piece in pieces))
            if not beside[-1][1]:
                print(f"    beside the others {audio.parent.name}/{audio.name}: {in_company.why}")
        if not right[-1]:
            print(f"    {audio.parent.name}/{audio.name}: {'/'.join(sorted(pieces))}? {guess.why}")
    _said("all", np.array(sure), np.array(right))
    if beside:
        _said("sessions, beside others", *(np.array(one) for one in zip(*beside, strict=True)))
