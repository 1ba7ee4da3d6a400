"""Which of a part's hits belong together: ghosts apart from full strokes, and hits that are one and the same
sound.

In go levels or sounds of hits, out come groups. Begin with ``ghosts``.
"""

from nubrak.core.sort.ghosts import ghosts
from nubrak.core.sort.sameness import same_sounds

__all__ = ["ghosts", "same_sounds"]
