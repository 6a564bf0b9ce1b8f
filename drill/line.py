"""``drill line``: a series worked by somebody who does everything wrong at any moment.

Cables are plugged in and pulled out, good ones and bad ones; now and then one is pulled out under
test, or right before its end, or exchanged for another, the guard is opened, the series stopped,
the operator signed out.
Whatever happens: a unit that has a verdict was in all along, a faulty one has not passed, no two
units have one serial, and no high voltage stays on at a nest that is empty.
"""

import contextlib
import datetime as dt
import random
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from loricate.api.records import UnitOut
from loricate.api.series import SeriesOut, SeriesUnit
from loricate.client import Client, ClientError
from loricate.commands import demo_site
from loricate.simulator.hands_link import Hands

FIXTURE, NEST, CABLE = "FX-C", "1", "REF-CABLE"
FAULT = "open W7"
PACE = 10.0
FELT_S = 0.3  # two looks at a switch, and a moment
OFF_S = 1.5  # and until an output has fallen
LOOK_S = 0.02
WAIT_S = 20.0
FAILS = 3
ACTS = {
    "good": 8,
    "bad": 4,
    "pulled": 3,
    "pulled late": 4,
    "exchanged": 3,
    "guard": 2,
    "stopped": 1,
    "signed out": 1,
}


@dataclass
class Stay:
    """A cable in the nest: since when, whether it is good, until when."""

    since: float
    is_good: bool
    until: float = float("inf")


@dataclass
class Worked:
    """What came of a shift: what was done how often, verdicts, and everything that must not be."""

    acts: Counter[str] = field(default_factory=Counter)
    verdicts: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


class Shift:
    """Somebody at the line, and somebody who writes down what was in the nest when."""

    def __init__(self, client: Client, password: str, hands: Hands, chance: random.Random) -> None:
        self.client, self.hands, self.chance = client, hands, chance
        self.password, self.name = password, client.me().name
        self.stays: list[Stay] = []
        self.live: list[float] = []  # moments at which high voltage was seen
        self.units: dict[tuple[str, str], SeriesUnit] = {}  # by run and nest, as seen last
        self.series = ""
        self.takes_s = 1.0  # from the start of a test to the end of its last step, as seen last
        self.worked = Worked()
        self._is_over = threading.Event()

    def plug(self, is_good: bool) -> None:
        """Plug a cable in."""
        self.hands.put(f"{FIXTURE}/{NEST}", CABLE, "" if is_good else FAULT)
        self.stays.append(Stay(time.time(), is_good))

    def pull(self) -> None:
        """Pull it out."""
        self.hands.empty(f"{FIXTURE}/{NEST}")
        if self.stays and self.stays[-1].until == float("inf"):
            self.stays[-1].until = time.time()

    def look(self) -> SeriesOut:
        """The series as it stands."""
        found = self.client.series(self.series)
        self.units |= {(each.run, each.nest): each for each in found.units}
        return found

    def until(self, holds: Callable[[SeriesOut], bool]) -> SeriesOut:
        """The series once something holds of it, or it is not on any more; a fault if neither."""
        end = time.time() + WAIT_S
        while True:
            found = self.look()
            if holds(found) or found.state != "on":
                return found
            if time.time() > end:
                self.worked.faults.append(f"hangs at '{found.now}'")
                return found
            time.sleep(LOOK_S)

    def be_on(self) -> None:
        """Have a series on, whatever has paused, held or ended the last one."""
        self.hands.do("HAND:GUAR 1")
        found = self.look() if self.series else None
        if found is not None and found.state == "on":
            return
        if found is not None and found.state == "held":
            self.client.let_series_go_on(self.series, "looked at by the drill")
        if found is None or found.state == "ended":
            made = self.client.begin_series(
                CABLE, FIXTURE, [NEST], count_from="LINE-####", line={"stop_after_fails": FAILS}
            )
            self.series = made.id
        # Refused is refused: the guard, or what is left of the run before.
        with contextlib.suppress(ClientError):
            self.client.arm_series(self.series)

    def exchange(self, is_good: bool) -> None:
        """Exchange the cable as it should be, and wait for its verdict."""
        self.pull()
        self.until(lambda found: found.now.startswith("Plug"))
        self.plug(is_good)
        found = self.until(lambda found: found.now.startswith("Take"))
        if is_good and found.units and found.units[0].state == "finished":
            self.takes_s = _span(self.client.run(found.units[0].run).units[0])[2]

    def act(self) -> None:
        """Do one thing, most often what one should."""
        (what,) = self.chance.choices(list(ACTS), list(ACTS.values()))
        self.worked.acts[what] += 1
        if what in ("good", "bad"):
            self.exchange(is_good=what == "good")
            return
        self.pull()
        self.until(lambda found: found.now.startswith("Plug"))
        self.plug(self.chance.random() < 0.7)
        if what == "pulled late":
            run = self.until(lambda found: found.run != "").run
            late_s = self.chance.uniform(0.0, 2 * FELT_S)
            time.sleep(max(0.0, self.takes_s - late_s) if run else 0.0)
        else:
            time.sleep(self.chance.uniform(0.0, 1.5))
        if what.startswith("pulled"):
            self.pull()
        elif what == "exchanged":
            self.pull()
            time.sleep(self.chance.uniform(FELT_S, 2 * FELT_S))
            self.plug(is_good=True)
        elif what == "guard":
            self.hands.do("HAND:GUAR 0")
        elif what == "stopped":
            with contextlib.suppress(ClientError):  # a held one is not stopped
                self.client.stop_series(self.series)
        else:
            self.client.sign_out()
            self.client.sign_in(self.name, self.password)
        self.until(lambda found: found.now.startswith(("Take", "Plug")))

    def watch(self, url: str) -> None:
        """Write down when high voltage is on, until the shift is over."""
        with Client(url) as watcher:
            watcher.sign_in(self.name, self.password)
            while not self._is_over.wait(LOOK_S):
                asked_at = time.time()  # whatever is told was so after that
                if watcher.danger().state == "high_voltage":
                    self.live.append(asked_at)

    def end(self) -> None:
        """Stop working, with nothing on."""
        if self.look().state == "held":
            self.client.let_series_go_on(self.series, "the shift is over")
        with contextlib.suppress(ClientError):  # it has ended already
            self.client.stop_series(self.series)
        self.look()
        self._is_over.set()

    def judge(self) -> None:
        """Hold what was recorded against what was done."""
        serials: Counter[str] = Counter()
        for unit in self.units.values():
            is_over = unit.state == "finished"
            if unit.verdict == "fail" or (is_over and unit.verdict == "pass"):
                serials[unit.serial] += 1
            if is_over and unit.verdict in ("pass", "fail"):
                self._judge_unit(unit)
        self.worked.faults += [f"{each} is of {n} units" for each, n in serials.items() if n > 1]
        for at in self.live:
            if not any(stay.since <= at <= stay.until + OFF_S for stay in self.stays):
                self.worked.faults.append("high voltage at an empty nest")
        if self.client.danger().state != "safe":
            self.worked.faults.append(f"left {self.client.danger().state}")

    def _judge_unit(self, unit: SeriesUnit) -> None:
        self.worked.verdicts[unit.verdict] += 1
        (own,) = self.client.run(unit.run).units
        began, ended, _ = _span(own)
        stay = next(
            (each for each in self.stays if each.since - LOOK_S <= began and ended <= each.until),
            None,
        )
        if stay is None:
            self.worked.faults.append(f"{unit.serial} has a verdict and was not in all along")
        elif unit.verdict == "pass" and not stay.is_good:
            self.worked.faults.append(f"{unit.serial} passed and is faulty")
        if (unit.certificate_kind == "certificate") != (unit.verdict == "pass") and (
            unit.certificate is not None
        ):
            self.worked.faults.append(f"{unit.serial} has a {unit.certificate_kind}")


def _span(unit: UnitOut) -> tuple[float, float, float]:
    """When a unit's first step began and its last one ended, and the time between, in s."""
    began = min(dt.datetime.fromisoformat(each.started_at) for each in unit.attempts)
    ended = max(dt.datetime.fromisoformat(each.ended_at) for each in unit.attempts)
    return began.timestamp(), ended.timestamp(), (ended - began).total_seconds()


def work_line(acts: int, seed: int, say: Callable[[str], None]) -> Worked:
    """Work a line for so many acts on a demo site of its own."""
    with tempfile.TemporaryDirectory() as name, demo_site.running_site(Path(name), PACE) as site:
        with Client(site["url"]) as client:
            client.sign_in(site["name"], site["password"])
            hands = Hands("127.0.0.1", site["ports"]["HANDS"])
            return work_shift(client, site["password"], hands, acts, seed, say)


def work_shift(
    client: Client,
    password: str,
    hands: Hands,
    acts: int,
    seed: int,
    say: Callable[[str], None],
) -> Worked:
    """Work a line of a site that is there."""
    shift = Shift(client, password, hands, random.Random(seed))
    watching = threading.Thread(target=shift.watch, args=(client.base_url,), daemon=True)
    watching.start()
    shift.pull()
    for number in range(acts):
        shift.be_on()
        shift.act()
        say(f"{number + 1}: {', '.join(shift.worked.faults) or _told(shift.look())}")
    shift.end()
    watching.join()
    shift.judge()
    return shift.worked


def _told(found: SeriesOut) -> str:
    return found.now if found.state == "on" else f"{found.state}: {found.note}"
