"""Names that people give: the one type of all of them, so that each can be shown, kept and written."""

from __future__ import annotations

import unicodedata
from typing import Annotated

from pydantic import BeforeValidator


def _fit_to_show(text: object) -> object:
    """Control characters and halves of characters become spaces: no name says anything with them, and
    neither a database nor a file name holds them.
    """
    if not isinstance(text, str):
        return text
    return "".join(" " if unicodedata.category(letter) in ("Cc", "Cs") else letter for letter in text)


Name = Annotated[str, BeforeValidator(_fit_to_show)]
