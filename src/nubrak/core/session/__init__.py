"""The document of a session and everything a person can do to it: an action in, a new document and a label
out.

Begin with ``document``, then ``edit.apply``.
"""

from nubrak.core.session.action import changed, out_of_bounds
from nubrak.core.session.cut_edits import MarkCuts
from nubrak.core.session.document import UNTITLED, Clip, Document, Part, Source
from nubrak.core.session.edit import AnyAction, apply
from nubrak.core.session.find_edits import Give, SetMark
from nubrak.core.session.gather_edits import (
    AddClip,
    AddSource,
    AsPair,
    CombineMicrophones,
    SetTempo,
    said_of_drop,
)
from nubrak.core.session.layer_edits import AddLayer, LayerValue, SetLayer
from nubrak.core.session.marks import MarkChange
from nubrak.core.session.mend_edits import MendStroke
from nubrak.core.session.mix_edits import AddBus, SendTo, SetChain, known_bus
from nubrak.core.session.order import arrange
from nubrak.core.session.own_microphone import WithoutMicrophone, pieces_to_look_for, without_microphone
from nubrak.core.session.part_notes import part_notes
from nubrak.core.session.record_edits import AddPass, ChooseBars
from nubrak.core.session.shape_edits import AddParts, KeepFeel, NewPart, SetPattern
from nubrak.core.session.sort_edits import (
    Given,
    GiveStrokes,
    SplitPart,
    after_walking,
    id_of_told,
    tell_pieces,
)
from nubrak.core.session.write_edits import LayerPut, SoundWith, Write

__all__ = [
    "UNTITLED",
    "AddBus",
    "AddClip",
    "AddLayer",
    "AddParts",
    "AddPass",
    "AddSource",
    "AnyAction",
    "AsPair",
    "ChooseBars",
    "Clip",
    "CombineMicrophones",
    "Document",
    "Give",
    "GiveStrokes",
    "Given",
    "KeepFeel",
    "LayerPut",
    "LayerValue",
    "MarkChange",
    "MarkCuts",
    "MendStroke",
    "NewPart",
    "Part",
    "SendTo",
    "SetChain",
    "SetLayer",
    "SetMark",
    "SetPattern",
    "SetTempo",
    "SoundWith",
    "Source",
    "SplitPart",
    "WithoutMicrophone",
    "Write",
    "after_walking",
    "apply",
    "arrange",
    "changed",
    "id_of_told",
    "known_bus",
    "out_of_bounds",
    "part_notes",
    "pieces_to_look_for",
    "said_of_drop",
    "tell_pieces",
    "without_microphone",
]
