"""The document of a session and everything a person can do to it: an action in, a new document and a label
out.

Begin with ``document``, then ``edit.apply``.
"""

from nubrak.core.session.document import Clip, Document, Part, Source
from nubrak.core.session.edit import (
    AddClip,
    AddLayer,
    AddSource,
    AnyAction,
    AsPair,
    CombineMicrophones,
    Give,
    SetLayer,
    SetMark,
    SetTempo,
    apply,
    changed,
)
from nubrak.core.session.shaping import AddParts, KeepFeel, NewPart, SetPattern

__all__ = [
    "AddClip",
    "AddLayer",
    "AddParts",
    "AddSource",
    "AnyAction",
    "AsPair",
    "Clip",
    "CombineMicrophones",
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
    "apply",
    "changed",
]
