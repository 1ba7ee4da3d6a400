"""The examples in docstrings give what they say."""

from __future__ import annotations

import doctest
from importlib import import_module

import pytest


@pytest.mark.parametrize("name", ["gather.pairs", "midi.clock", "pieces.file_names", "pieces.languages"])
def test_examples_run(name: str) -> None:
    found = doctest.testmod(import_module(f"nubrak.core.{name}"))
    assert found.attempted and not found.failed
