"""The round trip: how long it takes from a page that sounds a click until what was played to it is there in
the recording, told by letting the microphone hear the click itself.

A matched filter: the click is looked for at every sample, and the place that most of its repeats agree on is
the round trip (Knapp and Carter, "The generalized correlation method for estimation of time delay", 1976).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.problem import Problem
from nubrak.core.signal import cross_correlation

LONGEST_S = 0.6  # from a page through a wireless loudspeaker and back
_CLEAR = 4.0  # how far the best place must stand over the usual one
_AGREE_S = 0.0015  # the repeats of one click lie within so much of each other
_LEAST_SHARE = 0.6  # of the clicks must agree


def round_trip_s(
    heard: NDArray[np.float32], rate_hz: int, click: NDArray[np.float32], clicks_s: NDArray[np.float64]
) -> float:
    """How much later than it was sounded a ``click`` (frames,) is heard in a recording (frames,), in s, when
    it was sounded at ``clicks_s`` (n,) of it; a ``Problem`` where it cannot be told.
    """
    # Not as far as the next click, which would be taken for this one.
    apart_s = float(np.diff(clicks_s).min()) if len(clicks_s) > 1 else LONGEST_S
    span = max(round(min(LONGEST_S, 0.9 * apart_s) * rate_hz), 1)
    found = []
    for at in np.round(clicks_s * rate_hz).astype(int):
        stretch = np.zeros(span + len(click), np.float32)
        here = heard[max(at, 0) : max(at, 0) + len(stretch)]
        stretch[: len(here)] = here
        fit = np.abs(cross_correlation(stretch[None], click, span)[0])
        best = int(np.argmax(fit))
        if fit[best] > _CLEAR * max(float(np.median(fit)), 1e-9):
            found.append(best / rate_hz)
    if len(found):
        middle = float(np.median(found))
        agree = [one for one in found if abs(one - middle) <= _AGREE_S]
        if len(agree) >= max(2, _LEAST_SHARE * len(clicks_s)):
            return float(np.median(agree))
    raise Problem(
        "The microphone did not hear the clicks clearly enough to measure the way from loudspeaker to "
        "microphone.",
        kept="The round trip that was set stays.",
        todo="Turn the loudspeaker up or hold the microphone to it, or type the round trip in.",
    )
