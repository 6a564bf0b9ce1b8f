"""Captures of known-good units."""

from collections.abc import Mapping, Sequence
from typing import Any

from loricate.api.bench import UpkeepOut
from loricate.api.captures import CaptureOut, CaptureSummary, ItemDecision
from loricate.api.definitions import ProductDraft
from loricate.client._wire import API, Wire


class CaptureCalls(Wire):
    """Calls about cables and windings captured from known-good units."""

    def begin_capture(
        self,
        fixture: str,
        serial: str,
        nest: str = "",
        positions: Sequence[str] = (),
        capture: str = "",
        temperature: str = "",
    ) -> UpkeepOut:
        """Begin to capture a unit, as an act of upkeep; with ``capture`` beside those of another.

        A cable may have ``positions`` of its switch; a unit with windings has a ``temperature``.

        Once it has passed its ``made`` is the capture.
        """
        body = {
            "fixture": fixture,
            "serial": serial,
            "nest": nest,
            "positions": list(positions),
            "capture": capture,
            "temperature": temperature,
        }
        return self._post(UpkeepOut, f"{API}/captures", body)

    def captures(self) -> list[CaptureSummary]:
        """Captures, newest first."""
        return self._get_all(CaptureSummary, f"{API}/captures")

    def capture(self, capture_id: str) -> CaptureOut:
        """What was measured of each unit, what is proposed, what was decided."""
        return self._get(CaptureOut, f"{API}/captures/{capture_id}")

    def decide_capture(
        self, capture_id: str, decisions: Sequence[ItemDecision], accept_others: bool = False
    ) -> CaptureOut:
        """Decide on what was found; ``accept_others`` takes the rest in which none differ."""
        body = {
            "decisions": [each.model_dump() for each in decisions],
            "accept_others": accept_others,
        }
        return self._post(CaptureOut, f"{API}/captures/{capture_id}/decisions", body)

    def draft_from_capture(self, capture_id: str, code: str, title: str) -> Mapping[str, Any]:
        """The document of a product from what was decided; stores nothing."""
        body = {"code": code, "title": title}
        return self._post(ProductDraft, f"{API}/captures/{capture_id}/draft", body).document
