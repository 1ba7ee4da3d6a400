"""What is heard: recording and layers of all parts, for any window of time, from one function.

In goes what a session says of itself (``render.Sounding``) and its audio, out come samples.

Begin with ``render``; ``blend`` is the recording against the layers.
"""

from nubrak.core.mix.blend import Blend
from nubrak.core.mix.mending import LONGEST_MEND_S, Mend, mended, touching
from nubrak.core.mix.recordings import head_of, sharing
from nubrak.core.mix.render import Bus, Mix, ducking, render
from nubrak.core.mix.trigger import render_click

__all__ = [
    "LONGEST_MEND_S",
    "Blend",
    "Bus",
    "Mend",
    "Mix",
    "ducking",
    "head_of",
    "mended",
    "render",
    "render_click",
    "sharing",
    "touching",
]
