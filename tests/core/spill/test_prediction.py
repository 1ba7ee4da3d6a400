"""Spill as it is predicted from what others struck."""

from __future__ import annotations

import numpy as np

from nubrak.core.spill.leaks import learn_leak
from nubrak.core.spill.onsets import loud_first
from nubrak.core.spill.prediction import predict
from tests.core.spill.heard import kick_and_snare


def test_predicted_spill_is_what_arrives_and_speaks_of_who_sent_it() -> None:
    session = kick_and_snare()
    strokes = loud_first(session)
    leaks = {
        ("kick", "snare"): learn_leak(session["kick"], session["snare"], strokes["kick"], strokes["snare"])
    }
    assert leaks["kick", "snare"] is not None
    own = {key: rows.astype(float) for key, rows in strokes.items()}
    spilt = predict("snare", session, leaks, own)  # type: ignore[arg-type]
    is_spill = ~strokes["snare"]
    predicted = 10 * np.log10(2 * spilt.power.sum(axis=1)[is_spill])
    assert np.all(spilt.source[is_spill] == 0) and np.all(spilt.source[strokes["snare"]] == -1)
    assert np.abs(predicted - session["snare"].level_db[is_spill]).max() < 3
    assert np.abs(spilt.at_s[is_spill] + 0.0029 - session["snare"].candidates.time_s[is_spill]).max() < 0.0005
