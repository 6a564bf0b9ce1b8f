"""A site that shows °F: everything a person reads, and nothing that is kept or reckoned with."""

import shutil
import sqlite3
from collections.abc import AsyncIterator, Iterator
from pathlib import Path

import pytest

from loricate.core.quantities import (
    RESISTANCE,
    SHOWN_TEMPERATURES,
    TEMPERATURE,
    display,
    exact_text,
    parse,
    show_temperatures_in,
)
from loricate.records import ambient
from loricate.simulator.standins import StandIns
from tests.conftest import read_demo
from tests.service.live_rig import Live, service


@pytest.fixture(autouse=True)
def celsius_after() -> Iterator[None]:
    """This process shows °C again for the other tests."""
    yield
    show_temperatures_in("°C")


@pytest.fixture
async def in_fahrenheit(tmp_path: Path, defined: Path, floor: StandIns) -> AsyncIterator[Live]:
    """A service whose site chose °F."""
    shutil.copytree(defined, tmp_path, dirs_exist_ok=True)
    text = 'format = "loricate-site/1"\n[shown]\ntemperature = "°F"\n'
    (tmp_path / "site.toml").write_text(text, encoding="utf-8")
    async with service(tmp_path, floor) as live:
        yield live


@pytest.mark.parametrize(
    ("celsius", "shown"), [(0.0, "32.00 °F"), (31.7, "89.06 °F"), (-40.0, "-40.00 °F")]
)
def test_what_is_shown_changes_and_what_is_written_does_not(celsius: float, shown: str) -> None:
    show_temperatures_in("°F")
    assert display(celsius, TEMPERATURE) == shown
    assert parse(display(celsius, TEMPERATURE), TEMPERATURE) == pytest.approx(celsius, abs=0.01)
    assert exact_text(celsius, TEMPERATURE).endswith(" °C"), "documents stay as they were written"
    assert display(1.5, RESISTANCE) == "1.500 Ω"
    assert set(SHOWN_TEMPERATURES) == {"°C", "°F"}


async def test_a_site_in_fahrenheit_shows_it_everywhere_and_keeps_celsius(
    in_fahrenheit: Live,
) -> None:
    live = in_fahrenheit
    assert (await live.get("/site"))["temperature"] == "°F"
    said = await live.post("/ambient", {"temperature": "71.6 °F", "humidity": "45 %"})
    assert said["temperature"] == "71.6 °F"
    refused = await live.post("/ambient", {"temperature": "400 °F", "humidity": ""}, 422)
    assert "is 400 °F" in refused["detail"]

    def kept(conn: sqlite3.Connection) -> float:
        found = ambient.newest_ambient(conn)
        assert found is not None
        return found.temperature_c

    assert await live.desk.store.read(kept) == pytest.approx(22.0)
    document = read_demo("sequences/wm3-final.toml")
    document["steps"] = document["steps"][:3]
    await live.release(document)
    live.floor.floor.warm("FX-M/1", 31.7)
    run = await live.post(
        "/runs",
        {"sequence": "WM3-FINAL", "fixture": "FX-M", "load": [{"nest": "1", "serial": "F-1"}]},
    )
    if run["needs_arming"]:
        await live.post(f"/runs/{run['id']}/arm")
    await live.post(f"/runs/{run['id']}/start")
    ended = await live.ended(run["id"])
    temperature, *_ = ended["units"][0]["attempts"]
    (reading,) = temperature["readings"]
    assert reading["text"].endswith(" °F")
    assert float(reading["text"].removesuffix(" °F")) == pytest.approx(89.06, abs=2.0)
    assert reading["unit"] == "°C" and reading["value"] == pytest.approx(31.7, abs=1.0)
    corrected = next(
        each
        for attempt in ended["units"][0]["attempts"]
        for each in attempt["readings"]
        if each["corrections"] and "k = " in each["corrections"][0]["how"]
    )
    assert "to 20 °C" in corrected["corrections"][0]["how"], "a formula keeps its own degrees"
