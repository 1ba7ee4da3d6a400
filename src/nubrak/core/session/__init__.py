"""The document of a session and everything a person can do to it: an action in, a new document and a label out.

Begin with ``document``, then ``edit.apply``.
"""

from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.session.edit import AddClip, AddLayer, AddSource, AnyAction, AsPair, Give, SetLayer, SetMark, SetTempo, Together, apply, changed
from nubrak.core.session.shaping import AddParts, KeepFeel, NewPart, SetPattern

__all__ = [
    "AddClip",
    "AddLayer",
    "AddParts",
    "AddSource",
    "AnyAction",
    "AsPair",
    "Clip",
    "Document",
    "Give",
    "KeepFeel",
    "NewPart",
    "Part",
    "SetLayer",
    "SetMark",
    "SetPattern",
    "SetTempo",
    "Source",
    "Together",
    "apply",
    "changed",
]
