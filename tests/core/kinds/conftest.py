"""Whatever a kind says of a unit, while it is tried, is a text of the catalogue."""

from collections.abc import Iterator
from typing import Any

import pytest

from loricate.core.measuring.grading import Measured
from loricate.texts.said_again import is_known


@pytest.fixture(autouse=True)
def in_every_language(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Listen to the findings of every kind; what the catalogue does not know fails the test."""
    heard: set[str] = set()
    made = Measured.__init__

    def listen(self: Measured, *args: Any, **named: Any) -> None:
        made(self, *args, **named)
        heard.update(each.text for each in self.faults if each.text)

    monkeypatch.setattr(Measured, "__init__", listen)
    yield
    assert {each for each in heard if not is_known(each)} == set()
