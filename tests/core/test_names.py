"""Names can be shown, kept and written."""

from __future__ import annotations

import unicodedata

from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel

from nubrak.core.names import Name


class Named(BaseModel):
    name: Name


@given(st.text(alphabet=st.characters(), max_size=30))
def test_no_name_holds_what_cannot_be_kept_and_none_gets_shorter(text: str) -> None:
    name = Named(name=text).name
    assert len(name) == len(text)
    assert not [letter for letter in name if unicodedata.category(letter) in ("Cc", "Cs")]
    assert all(a == b or b == " " for a, b in zip(text, name, strict=True))
    name.encode()
