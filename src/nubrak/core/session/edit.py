"""Everything a person can do to a session: any action, applied to a document."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, ValidationError

from nubrak.core.session.action import out_of_bounds
from nubrak.core.session.clean_edits import MarkGaps, SetCleaning
from nubrak.core.session.cut_edits import MarkCuts, SetCut
from nubrak.core.session.document import Document
from nubrak.core.session.find_edits import Give, SetFind, SetMark, Unmark
from nubrak.core.session.gather_edits import (
    AddClip,
    AddSource,
    Apart,
    AsPair,
    AsTwo,
    CombineMicrophones,
    CountTempo,
    MoveClip,
    RemoveClip,
    RemoveSource,
    Rename,
    SetAside,
    SetPiece,
    SetSpan,
    SetTempo,
    SetTempoLine,
)
from nubrak.core.session.layer_edits import AddLayer, RemoveLayer, SetBlend, SetLayer
from nubrak.core.session.mend_edits import MendStroke, Unmend
from nubrak.core.session.microphone_edits import HearOn, SetMicrophones
from nubrak.core.session.mix_edits import AddBus, RemoveBus, SendTo, SetBus, SetChain, SetLess, SetMaster
from nubrak.core.session.name_edits import MovePart, NamePart, NameSource, OrderParts, SetRate
from nubrak.core.session.record_edits import AddPass, ChooseBars
from nubrak.core.session.shape_edits import (
    AddParts,
    DropFeel,
    KeepFeel,
    RemovePart,
    SetNoteMap,
    SetNotes,
    SetPattern,
    SetShape,
    TakeChanges,
)
from nubrak.core.session.sort_edits import (
    AskPieces,
    AsOne,
    GiveStrokes,
    JoinParts,
    SetMuted,
    SetWay,
    SplitPart,
)
from nubrak.core.session.write_edits import SoundWith, Write

GatherAction = (
    Rename | SetTempo | CountTempo | SetTempoLine | AddSource | AddClip | MoveClip | RemoveClip | AsPair
    | AsTwo
    | CombineMicrophones | Apart | NamePart | NameSource | MovePart | OrderParts | SetRate | SetAside
    | SetSpan | RemoveSource | SetPiece | AddPass | ChooseBars | SetMicrophones | HearOn
)  # fmt: skip
FindAction = SetFind | SetMark | Unmark | Give | MendStroke | Unmend | SetCleaning | MarkGaps
SortAction = GiveStrokes | SetWay | SplitPart | JoinParts | AskPieces | AsOne | SetMuted
ShapeAction = (
    SetShape | SetPattern | SetNotes | TakeChanges | AddParts | RemovePart | KeepFeel | DropFeel | SetNoteMap
)
LayerAction = AddLayer | SetLayer | RemoveLayer | SetBlend
CutAction = SetCut | MarkCuts
WriteAction = Write | SoundWith
MixAction = SetChain | AddBus | SetBus | SendTo | SetLess | RemoveBus | SetMaster
AnyAction = Annotated[
    GatherAction | FindAction | SortAction | ShapeAction | LayerAction | CutAction | WriteAction | MixAction,
    Field(discriminator="kind"),
]


def apply(document: Document, action: AnyAction) -> tuple[Document, str]:
    """The document after the action, and what undo will call it. ``document`` itself is left as it is.

    The outcome is checked as a whole: a ``Problem`` says what of it is out of bounds.
    """
    new = document.model_copy(deep=True)
    label = action.apply(new)
    try:
        return Document.model_validate(new.model_dump(warnings=False)), label
    except ValidationError as error:
        raise out_of_bounds(error) from error
