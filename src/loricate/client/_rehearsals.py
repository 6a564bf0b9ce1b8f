"""Rehearsals of a sequence as it is being written."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from loricate.api.records import BesideIn
from loricate.api.rehearsals import RehearsalOut, TakenOut
from loricate.client._wire import API, RunEvent, Wire


class RehearsalCalls(Wire):
    """Calls about rehearsals, of which nothing is kept."""

    def prepare_rehearsal(
        self, document: Mapping[str, Any], fixture: str, nest: str, steps: Sequence[str] = ()
    ) -> RehearsalOut:
        """Check a document, or some of its steps, for a rehearsal. Nothing is energised yet."""
        body = {
            "document": dict(document),
            "fixture": fixture,
            "nest": nest,
            "steps": list(steps),
        }
        return self._post(RehearsalOut, f"{API}/rehearsals", body)

    def start_rehearsal(self, rehearsal_id: str) -> RehearsalOut:
        """Start it, with the guard closed."""
        return self._post(RehearsalOut, f"{API}/rehearsals/{rehearsal_id}/start")

    def abort_rehearsal(self, rehearsal_id: str) -> RehearsalOut:
        """Abort it: outputs fall first."""
        return self._end(RehearsalOut, f"{API}/rehearsals/{rehearsal_id}/abort")

    def rehearsals(self) -> list[RehearsalOut]:
        """The last few rehearsals, newest first."""
        return self._get(list[RehearsalOut], f"{API}/rehearsals")

    def rehearsal(self, rehearsal_id: str) -> RehearsalOut:
        """How a rehearsal stands, and what it measured so far."""
        return self._get(RehearsalOut, f"{API}/rehearsals/{rehearsal_id}")

    def rehearsal_events(self, rehearsal_id: str, after: int = 0) -> Iterator[RunEvent]:
        """Its events, the same as of a run, from the one after number ``after`` until its end."""
        return self._follow(f"{API}/rehearsals/{rehearsal_id}/events", after)

    def answer_rehearsal(
        self,
        rehearsal_id: str,
        nest: str,
        choice: str,
        note: str = "",
        question: int | None = None,
        picture: bytes | None = None,
        values: Mapping[str, str] = {},
        beside: Mapping[str, BesideIn] = {},
        photos: Mapping[str, bytes] = {},
    ) -> None:
        """Answer what the nest is being asked; ``values`` are a form's entries by name."""
        path = f"{API}/rehearsals/{rehearsal_id}"
        self._answer(path, nest, choice, note, question, picture, values, beside, photos)

    def take_reading(
        self,
        rehearsal_id: str,
        step: str,
        quantity: str,
        use: str,
        *,
        point: str = "",
        allowance: str = "",
        repetition: int = 1,
    ) -> list[TakenOut]:
        """What to write into a step for a reading to be its minimum, maximum or nominal value.

        The point ``*`` means each of them; without an allowance what is usual is proposed.
        """
        body = {
            "step": step,
            "quantity": quantity,
            "point": point,
            "use": use,
            "allowance": allowance,
            "repetition": repetition,
        }
        return self._post(list[TakenOut], f"{API}/rehearsals/{rehearsal_id}/take", body)
