"""The bench: instruments, fixtures, their upkeep."""

from collections.abc import Iterator, Sequence

from loricate.api.bench import BenchOut, DailyCheckOut, DangerOut, UpkeepOut
from loricate.api.site import SiteOut
from loricate.client._wire import API, RunEvent, Wire


class BenchCalls(Wire):
    """Calls about the bench and the upkeep of its fixtures."""

    def bench(self) -> BenchOut:
        """The bench: who answers, calibration, guard, fixtures."""
        return self._get(BenchOut, f"{API}/bench")

    def site(self) -> SiteOut:
        """What the site chose: sounds, exports; and the id of its records."""
        return self._get(SiteOut, f"{API}/site")

    def danger(self) -> DangerOut:
        """How dangerous the fixture is at this moment, as the bench itself knows."""
        return self._get(DangerOut, f"{API}/bench/danger")

    def confirm_earthed(self, note: str) -> DangerOut:
        """Say that the unit was earthed by hand; ``note`` says what was done."""
        return self._post(DangerOut, f"{API}/bench/earthed", {"note": note})

    def begin_upkeep(self, kind: str, fixture: str, nests: Sequence[str] = ()) -> UpkeepOut:
        """Begin the ``zero`` or ``daily_check`` of a fixture; it then asks for what it needs."""
        body = {"kind": kind, "fixture": fixture, "nests": list(nests)}
        return self._post(UpkeepOut, f"{API}/upkeep", body)

    def begin_map(self, fixture: str, nest: str = "", part: str = "") -> UpkeepOut:
        """Begin to find the columns of a nest: with the probe, or by a part that is plugged in."""
        nests = [nest] if nest else []
        body = {"kind": "map", "fixture": fixture, "nests": nests, "product": part}
        return self._post(UpkeepOut, f"{API}/upkeep", body)

    def begin_touch(
        self,
        fixture: str,
        nest: str = "",
        product: str = "",
        contacts: Sequence[str] = (),
        in_any_order: bool = False,
    ) -> UpkeepOut:
        """Begin to name contacts as they are touched; with ``contacts`` to lead through them."""
        body = {
            "kind": "touch",
            "fixture": fixture,
            "nests": [nest] if nest else [],
            "product": product,
            "contacts": list(contacts),
            "order": "any" if in_any_order else "set",
        }
        return self._post(UpkeepOut, f"{API}/upkeep", body)

    def upkeep(self, act_id: str) -> UpkeepOut:
        """How an act of upkeep stands and what it asks."""
        return self._get(UpkeepOut, f"{API}/upkeep/{act_id}")

    def upkeep_events(self, act_id: str, after: int = 0) -> Iterator[RunEvent]:
        """An act's events from the one after number ``after`` until its end."""
        return self._follow(f"{API}/upkeep/{act_id}/events", after)

    def answer_upkeep(self, act_id: str, nest: str, choice: str) -> None:
        """Say that what an act of upkeep asked for is done, or stop it."""
        body = {"nest": nest, "choice": choice}
        self.send("POST", f"{API}/upkeep/{act_id}/answers", json=body)

    def abort_upkeep(self, act_id: str) -> UpkeepOut:
        """Abort an act of upkeep: outputs fall first."""
        return self._end(UpkeepOut, f"{API}/upkeep/{act_id}/abort")

    def daily_checks(self, fixture: str) -> list[DailyCheckOut]:
        """The newest daily checks of a fixture, newest first."""
        return self._get(list[DailyCheckOut], f"{API}/fixtures/{fixture}/daily-checks", count=50)

    def renew_contacts(self, fixture: str, note: str) -> None:
        """Enter that a fixture's contacts were renewed: its matings are counted from now."""
        self.send("POST", f"{API}/fixtures/{fixture}/renewals", json={"note": note})
