"""Runs, the units in them, and their pictures."""

import uuid
from collections.abc import Iterator, Mapping
from typing import Any

from loricate.api.records import BesideIn, CurvesOut, RunOut, RunSummary, UnitOut
from loricate.client._wire import API, RunEvent, Wire

LOST_TRIES = 3


class RunCalls(Wire):
    """Calls about runs and units."""

    def create_run(
        self,
        sequence: str,
        fixture: str,
        load: Mapping[str, str],
        *,
        lot: str = "",
        retest: str = "",
        start_by: str = "key",
        line: Mapping[str, Any] | None = None,
        occasion: str = "",
        idempotency_key: str = "",
    ) -> RunOut:
        """Make a run; ``load`` gives the serial in each nest. Nothing is energised yet.

        In place of a serial the asset number will do. With an ``occasion`` the ``sequence`` may be
        empty: it is the one that the product of these devices names for it. Without a sequence the
        number of an open order will do as well, and chooses the occasion.

        Once armed it is started by ``start_run``, and by the ``foot`` switch or the ``presence`` of
        a unit in every nest if ``start_by`` says so. ``line`` are line options, by name, that are
        otherwise than the sequence has them, such as ``start_delay="2 s"``. An answer that is lost
        on the way is asked for again under the same key, which makes no second run.
        """
        body = {
            "sequence": sequence,
            "fixture": fixture,
            "load": [{"nest": nest, "serial": serial} for nest, serial in load.items()],
            "lot": lot,
            "retest": retest,
            "start_by": start_by,
            "line": dict(line or {}),
            "occasion": occasion,
        }
        headers = {"Idempotency-Key": idempotency_key or str(uuid.uuid4())}
        return self._post(RunOut, f"{API}/runs", body, headers, tries=LOST_TRIES)

    def arm_run(self, run_id: str) -> RunSummary:
        """Allow high voltage for a run."""
        return self._post(RunSummary, f"{API}/runs/{run_id}/arm")

    def start_run(self, run_id: str) -> RunSummary:
        """Start an armed run."""
        return self._post(RunSummary, f"{API}/runs/{run_id}/start")

    def abort_run(self, run_id: str) -> RunSummary:
        """Abort a run: outputs fall first; returns once its units are safe to touch."""
        return self._end(RunSummary, f"{API}/runs/{run_id}/abort")

    def answer(
        self,
        run_id: str,
        nest: str,
        choice: str,
        note: str = "",
        question: int | None = None,
        picture: bytes | None = None,
        values: Mapping[str, str] = {},
        beside: Mapping[str, BesideIn] = {},
        photos: Mapping[str, bytes] = {},
    ) -> None:
        """Answer what a nest is being asked; ``question`` is its number, the first by default.

        ``values`` are the entries of a form by name; then there is no choice. ``beside`` is what
        comes with them: a note, another target with its reason; ``photos`` are pictures of them.
        """
        path = f"{API}/runs/{run_id}"
        self._answer(path, nest, choice, note, question, picture, values, beside, photos)

    def repeat(self, run_id: str, nest: str, reason: str, step: str = "") -> RunOut:
        """Ask for a failed unit, or a failed step of it, to be done again; then arm and start."""
        body = {"nest": nest, "step": step, "reason": reason}
        return self._post(RunOut, f"{API}/runs/{run_id}/repeats", body)

    def remark(
        self, run_id: str, nest: str, text: str, *, step: str = "", picture: bytes | None = None
    ) -> RunOut:
        """Remark on a unit in a run, or on one of its steps, with a picture if need be."""
        digest = "" if picture is None else self.add_picture(picture).digest
        body = {"nest": nest, "step": step, "text": text, "picture": digest}
        return self._post(RunOut, f"{API}/runs/{run_id}/remarks", body)

    def picture(self, digest: str) -> bytes:
        """A picture by its digest."""
        return self.send("GET", f"{API}/pictures/{digest}").content

    def curves(self, run_id: str, nest: str, step: str, number: int = 1) -> CurvesOut:
        """The curves of one attempt at a step, with the step's limits."""
        return self._get(CurvesOut, f"{API}/runs/{run_id}/curves/{nest}/{step}/{number}")

    def runs(self, count: int = 20, before: str = "") -> list[RunSummary]:
        """The newest runs first, older than the run ``before`` if that is given."""
        return self._get(list[RunSummary], f"{API}/runs", count=count, before=before)

    def run(self, run_id: str) -> RunOut:
        """A run with its units, attempts and readings so far."""
        return self._get(RunOut, f"{API}/runs/{run_id}")

    def events(self, run_id: str, after: int = 0) -> Iterator[RunEvent]:
        """A run's events from the one after number ``after`` until its end.

        A lost connection is taken up again where it broke off.
        """
        return self._follow(f"{API}/runs/{run_id}/events", after)

    def unit(self, serial: str) -> list[UnitOut]:
        """Every appearance of a serial, newest first, with all attempts and readings."""
        return self._get_all(UnitOut, f"{API}/units/{serial}")

    def unit_report(
        self, serial: str, depth: str = "limits", failed_only: bool = False, run_id: str = ""
    ) -> bytes:
        """The PDF of a report of a unit, of its newest run or of ``run_id``; it is not sealed.

        ``depth`` is summary, readings, limits, procedure or photos.
        """
        asked = {"depth": depth, "failed_only": str(failed_only).lower(), "run": run_id}
        path = f"{API}/units/{serial}/report"
        return self.send("GET", path, params=asked, timeout=90.0).content
