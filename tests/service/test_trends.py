"""Trends at a whole site: every form of them says what the records say, to the last digit."""

import csv
import io
import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from loricate.client import Client, NotAllowedError, NotFoundError, RefusedError, WrongStateError
from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import DecisionRule, Measured, grade_step
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.quantities import CURRENT
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.released import step_as_done
from loricate.records import attempts, items, runs, upkeep
from loricate.records.store import Store, atomic
from loricate.service import watching
from loricate.service.places import Places
from loricate.service.trending import BoxTrend, box_trends
from loricate.service.watching import Watcher
from tests.command_line import run as command
from tests.conftest import run_load

LOT = "L-TREND"
LIMITS = ("minimum", "maximum")


@pytest.fixture(scope="module")
def tested(site: dict[str, Any]) -> Iterator[str]:
    """Two loads of two in a lot of their own, the ones in nest 3 with a bad winding."""
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        client.open_lot(LOT, "DC-40", "TREND-1..TREND-4")
        run_load(client, {"1": "TREND-1", "3": "TREND-2"}, lot=LOT)
        yield run_load(client, {"1": "TREND-3", "3": "TREND-4"}, lot=LOT)


def measurands(client: Client) -> list[dict[str, str]]:
    found = client.measurands(lot=LOT)
    return [{"step": m.step, "quantity": m.quantity, "point": m.point} for m in found]


def test_every_form_says_what_the_record_says(client: Client, tested: str) -> None:
    """What is trended and exported is what the unit's own record has: value, bound and limits."""
    units = {f"TREND-{number}": client.unit(f"TREND-{number}")[0] for number in range(1, 5)}
    asked = measurands(client)
    assert len(asked) > 10
    for of in asked:
        wanted = {
            serial: reading
            for serial, unit in units.items()
            for attempt in unit.attempts
            for reading in attempt.readings
            if (attempt.step_id, reading.quantity, reading.point)
            == (of["step"], of["quantity"], of["point"])
        }
        told = client.trend(**of, lot=LOT)
        assert {each.serial for each in told.readings} == set(wanted)
        table = list(csv.DictReader(io.StringIO(client.trend_table(**of, lot=LOT), newline="")))
        for reading, row in zip(told.readings, table, strict=True):
            record = wanted[reading.serial]
            assert reading.value == record.value == float(row["value"])
            assert reading.bound == record.bound == row["bound"]
            assert reading.text == record.text and reading.verdict == record.verdict
            assert reading.uncertainty == record.uncertainty == float(row["uncertainty"])
            for side in ("minimum", "maximum"):
                limit = getattr(record, side)
                assert getattr(reading, side) == limit
                assert row[side] == ("" if limit is None else repr(limit))
            assert row["at_utc"] == reading.at and row["lot"] == LOT


def test_a_trend_is_drawn_in_every_chart_and_form(client: Client, tested: str) -> None:
    for chart in ("time", "individuals", "histogram", "groups"):
        drawn = client.trend_drawing(
            chart,
            "svg", "withstand", "current", lot=LOT, by="nest",
        )  # fmt: skip
        assert drawn.rstrip().endswith(b"</svg>") and b"mA" in drawn
    png = client.trend_drawing("time", "png", "withstand", "current", lot=LOT)
    assert png.startswith(b"\x89PNG")


def test_yields_are_those_of_the_lot(client: Client, tested: str) -> None:
    lot, told = client.lot(LOT), client.yields("lot", lot=LOT)
    (mine,) = told.groups
    assert mine.first_pass is not None and mine.final is not None
    assert (mine.tested, mine.passed, mine.failed) == (lot.tested, lot.passed, lot.failed)
    assert (mine.first_pass.share, mine.final.share) == (lot.first_pass_yield, lot.final_yield)
    assert mine.final.low < mine.final.share < mine.final.high
    assert {each.name: each.tested for each in client.yields("nest", lot=LOT).groups} == {
        "FX-A/1": 2,
        "FX-A/3": 2,
    }
    assert told.causes[0].units == 2 and told.causes[0].step == "withstand"


def test_a_daily_check_s_readings_are_charted_as_they_were_read(client: Client) -> None:
    (check, *_) = client.daily_checks("FX-A")
    texts = {
        (box, step.id, reading.text)
        for box, of in (("good", check.good), ("bad", check.bad))
        for step in of.steps
        for reading in step.readings
    }
    listed = client.check_measurands("FX-A")
    assert listed and {each.serial for each in listed} == {check.good.serial, check.bad.serial}
    for each in listed:
        told = client.check_trend(
            "FX-A", each.step, each.quantity, each.point, box=each.box, instrument=each.instrument
        )
        assert told.readings[-1].text == each.text and len(told.readings) == each.readings
        assert (each.box, each.step, each.text) in texts
        assert told.readings[-1].groups["instrument"] == each.instrument
    of = ("FX-A", listed[0].step, listed[0].quantity)
    assert client.check_drawing("individuals", "svg", *of).rstrip().endswith(b"</svg>")
    assert len(client.check_table(*of).splitlines()) == 1 + listed[0].readings
    assert client.check_measurands("FX-Z") == []
    assert client.check_trend("FX-Z", "x", "y").readings == []


@pytest.mark.parametrize(
    ("asked", "field"),
    [
        ({"step": "x"}, "quantity"),
        ({"step": "x", "quantity": "y", "base": 3}, "base: is too few"),
        ({"step": "x", "quantity": "y", "by": "moon"}, "by"),
        ({"step": "x", "quantity": "y", "since": "soon"}, "since: is no time"),
        ({"step": "x", "quantity": "y", "count": 0}, "count"),
        ({"step": "x", "quantity": "y", "verdit": "z"}, "verdit: there is nothing of this name"),
    ],
)
def test_what_cannot_be_asked_is_refused_by_name(
    client: Client, asked: dict[str, Any], field: str
) -> None:
    for path in ("trends", "trends/table", "trends/time/svg"):
        with pytest.raises(RefusedError, match=field):
            client.send("GET", f"/api/v1/{path}", params=asked)


def test_of_nothing_there_is_an_empty_trend(client: Client, tested: str) -> None:
    told = client.trend("no-such-step", "current")
    assert told.readings == [] and told.chart is None and told.groups == []
    assert told.capability.why_not and told.forecast.why_not
    drawn = client.trend_drawing("individuals", "svg", "no-such-step", "current")
    assert b"</svg>" in drawn


def test_an_item_goes_from_hand_to_hand_to_its_end(client: Client, site: dict[str, Any]) -> None:
    made = client.raise_item("FX-A nest 3", "Reads a tenth of the others", "/trends?by=nest")
    assert (made.owner, made.raised_by, made.state) == (site["name"], site["name"], "open")
    with pytest.raises(RefusedError, match="owner: 'nobody' is no account"):
        client.give_item(made.id, "nobody")
    assert client.give_item(made.id, "ines").owner == "ines"
    assert made.id in {each.id for each in client.items(owner="ines")}
    ended = client.end_item(made.id, "acted_on", "Contacts renewed")
    assert (ended.state, ended.ended_by, ended.note) == (
        "acted_on", site["name"], "Contacts renewed",
    )  # fmt: skip
    with pytest.raises(WrongStateError, match="acted on by"):
        client.end_item(made.id, "accepted", "x")
    with pytest.raises(WrongStateError, match="acted on by"):
        client.give_item(made.id, "ines")
    assert made.id not in {each.id for each in client.items()}
    assert made.id in {each.id for each in client.items("ended")}
    with pytest.raises(NotFoundError, match="item"):
        client.end_item("none", "accepted", "x")
    with pytest.raises(RefusedError, match="address"):
        client.send(
            "POST",
            "/api/v1/items",
            json={"about": "a", "text": "b", "address": "https://elsewhere.example"},
        )


def test_who_operates_raises_items_and_ends_none(client: Client, site: dict[str, Any]) -> None:
    once = client.add_account("seer", "Only Sees", "operator").password
    with Client(site["url"]) as other:
        other.sign_in("seer", once)
        other.change_password(once, "an operator's own")
        made = other.raise_item("FX-A", "A loose clip")
        with pytest.raises(NotAllowedError):
            other.end_item(made.id, "accepted", "x")
        with pytest.raises(NotAllowedError):
            other.watch("Mine", step="a", quantity="b")
    client.end_item(made.id, "accepted", "Seen")


def test_the_command_line_shows_trends_and_items(
    client: Client, site: dict[str, Any], tested: str, tmp_path: Path
) -> None:
    env = {"LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token}

    def told(*words: str) -> str:
        done = command(*words, env=env, cwd=tmp_path)
        assert done.returncode == 0, done.stderr
        return done.stdout

    assert "Withstand, mains to case" in told("trend", "list", "--lot", LOT)
    shown = told("trend", "show", "withstand", "--lot", LOT, "--by", "nest")
    assert "Readings        4," in shown and "FX-A/3" in shown
    one = json.loads(told("trend", "show", "withstand", "current", "--lot", LOT, "--json"))
    assert [each["serial"] for each in one["readings"]] == [f"TREND-{k}" for k in (1, 2, 3, 4)]
    for name in ("t.svg", "t.png", "t.csv"):
        told("trend", "show", "withstand", "--lot", LOT, "--out", name)
        assert (tmp_path / name).stat().st_size > 100
    assert "50.0 %" in told("trend", "yields", "--by", "lot", "--lot", LOT)
    assert "REF-GOOD-01" in told("trend", "check", "FX-A")
    assert "Readings        1," in told("trend", "check", "FX-A", "insulation")
    told("trend", "watch", "Withstand", "withstand", "--lot", LOT, "--by", "nest")
    assert "step withstand" in told("trend", "watches")
    told("trend", "unwatch", "withstand")
    assert "Item" in told("item", "raise", "FX-A", "A loose clip")
    item = next(each for each in client.items() if each.text == "A loose clip")
    assert "A loose clip" in told("item", "list")
    told("item", "give", item.id, "ines")
    told("item", "end", item.id, "acted-on", "Clip renewed")
    assert "acted on" in told("item", "list", "--state", "ended")
    for words, why in (
        (("trend", "show", "nothing"), "no readings of a step 'nothing'"),
        (("trend", "show", "withstand", "--chart", "groups", "--out", "x.svg"), "needs --by"),
        (("trend", "show", "withstand", "--out", "x.doc"), "no form that is written"),
        (("trend", "check", "FX-A", "nothing"), "has read a step 'nothing'"),
        (("item", "end", "none", "accepted", "x"), "item"),
    ):
        refused = command(*words, env=env, cwd=tmp_path)
        assert refused.returncode != 0 and why in refused.stderr, words


def drift(conn: sqlite3.Connection, sequence: ReadySequence, currents: list[float]) -> None:
    """One unit after another, each with a leakage that is a little more than the last one's."""
    step = sequence.steps[3]
    for number, current in enumerate(currents):
        bench = {"instruments": [], "code": "BENCH-2"}
        load = {"1": f"DRIFT-{number}-{current}"}
        run_id = runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", load, bench, "0", "mara")
        (unit,) = runs.get_run(conn, run_id)["units"]
        reading = Reading("current", current, CURRENT, instrument="HV1")
        graded = grade_step(Measured((reading,)), step.limits, DecisionRule())
        at = f"2026-11-{1 + number // 2:02}T{10 + number % 2}:00:00.000Z"
        made = Attempt(step_as_done(step), 0, 1, graded, started_at=at, ended_at=at)
        attempts.add_attempt(conn, unit["id"], made)


async def test_a_watched_drift_is_an_item_once_and_is_none_after_it_was_accepted(
    conn: sqlite3.Connection, sequence: ReadySequence, tmp_path: Path
) -> None:
    maximum = sequence.steps[3].limits[Measurand("current")].maximum
    assert maximum is not None
    # Toward three quarters of the limit: every unit passes, and nobody would look.
    currents = [maximum * (0.5 + 0.01 * each + 0.01 * (each % 3)) for each in range(20)]
    with atomic(conn):
        drift(conn, sequence, currents)
    store = Store(tmp_path / "r.sqlite")
    watcher = Watcher(store, Places(store), "UTC", ["FX-A"])
    asked = {"step": sequence.steps[3].id, "quantity": "current", "product": "DC-40"}
    try:
        await store.write(lambda conn: items.keep_watch(conn, "Leaks", asked, "ines", "mara"))
        made = await watcher.look()
        found = {each: await store.read(lambda c, of=each: items.get_item(c, of)) for each in made}  # type: ignore[misc]
        drifting = next(each for each in found.values() if each.what == "drift")
        assert drifting.owner == "ines" and "drifts to its maximum" in drifting.text
        assert drifting.address.startswith("/trends?product=DC-40&step=")
        assert await watcher.look() == [], "each is open already"
        for each in made:
            await store.write(
                lambda c, of=each: items.end_item(c, of, "accepted", "Known", "ines")  # type: ignore[misc]
            )
        assert await watcher.look() == [], "nothing of it is new"
        # A watch that cannot be read any more holds up no other.
        await store.write(lambda c: items.keep_watch(c, "Broken", {"step": ""}, "ines", "mara"))
        assert await watcher.look() == []
    finally:
        store.close()


async def test_an_instrument_that_drifts_is_an_item_long_before_a_check_fails(
    conn: sqlite3.Connection, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It reads the same box a little higher each day; a time that nothing limits is no item. What
    goes wrong with another fixture's checks hides none of it."""

    def some(conn: sqlite3.Connection, fixture: str, count: int) -> list[BoxTrend]:
        if fixture == "FX-B":
            raise ZeroDivisionError
        return box_trends(conn, fixture, count)

    monkeypatch.setattr(watching, "box_trends", some)

    def reading(quantity: str, value: float, dimension: str, limited: bool) -> dict[str, object]:
        told = {"name": quantity, "text": "", "limit": "", "quantity": quantity, "point": ""}
        limits = {"minimum": 90e-3, "maximum": 130e-3} if limited else dict.fromkeys(LIMITS)
        about = {"dimension": dimension, "bound": "exact", "uncertainty": 0.0, "instrument": "GB1"}
        return {**told, "value": value, **about, **limits}

    with atomic(conn):
        for day in range(20):
            readings = [
                reading("resistance", 0.1 + 0.0005 * day + 0.0003 * (day % 2), "resistance", True),
                reading("time_at_level", 0.5 + 0.1 * day, "time", False),
            ]
            step = {"id": "bond", "title": "Bond", "verdict": "pass", "cause": ""}
            box = {"serial": "REF-1", "steps": [{**step, "readings": readings}]}
            report = {"nest": "1", "good": box, "bad": {"serial": "REF-2", "steps": []}}
            made = upkeep.add_daily_check(conn, "FX-A", True, report, "mara", "then", 0)
            at = f"2026-11-{1 + day:02}T07:00:00.000Z"
            conn.execute("UPDATE daily_check SET ended_at = ? WHERE id = ?", (at, made))
    store = Store(tmp_path / "r.sqlite")
    try:
        made_items = await Watcher(store, Places(store), "UTC", ["FX-B", "FX-A"]).look()
        found = [each for each in await store.read(lambda c: items.list_items(c, 50))]
        assert {each.id for each in found} == set(made_items)
        assert {"drift", "steady"} & {each.what for each in found}
        assert {each.owner for each in found} == {"mara"}
        assert {each.about for each in found} == {
            "GB1 on the good box REF-1 of FX-A, Bond: resistance"
        }
    finally:
        store.close()
