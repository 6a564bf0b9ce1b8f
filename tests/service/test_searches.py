"""Searches as they are asked: by the client, over HTTP and by the command line, at a whole site."""

import json
from collections.abc import Iterator
from typing import Any

import pytest

from loricate.client import Client, NotAllowedError, NotFoundError, RefusedError
from tests.command_line import run as command
from tests.conftest import run_load

LOT = "L-SOUGHT"


@pytest.fixture(scope="module")
def tested(site: dict[str, Any]) -> Iterator[str]:
    """A load of two in a lot of its own, the one in nest 3 with a bad winding; gives its run."""
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        client.open_lot(LOT, "DC-40", "SOUGHT-1, SOUGHT-3")
        yield run_load(client, {"1": "SOUGHT-1", "3": "SOUGHT-3"}, lot=LOT)


def serials(client: Client, **search: Any) -> list[str]:
    """What a search in this lot finds; the counts beside it are the same."""
    found = [each.serial for each in client.find_units(lot=LOT.lower(), **search)]
    assert client.count_units(lot=LOT, **search).total == len(found)
    return found


def test_what_was_measured_can_be_asked_for_the_other_way_round(
    client: Client, tested: str
) -> None:
    unit = next(each for each in client.run(tested).units if each.nest == "3")
    failed = next(each for each in unit.attempts if each.verdict == "fail")
    used = {reading.instrument for reading in failed.readings if reading.instrument}
    bench = {each.id: each.serial for each in client.bench().instruments}
    assert used, "what failed was measured"
    for name in {*used, *(bench[each] for each in used)}:
        assert serials(client, failed=failed.step_id, instrument=name) == ["SOUGHT-3"]
    assert serials(client, instrument="none") == []
    assert serials(client, verdict=["fail"], cause=[failed.cause], nest="3") == ["SOUGHT-3"]
    assert serials(client, failed=failed.step_id, verdict=["pass"]) == []
    assert "IEC-60335-1-A" in client.unit_names().limit_set
    rests = {"limit_set": "iec-60335-1-a", "document": ["certificate"]}
    assert serials(client, **rests, limit_revision=1) == ["SOUGHT-1"] == serials(client, **rests)
    assert serials(client, **rests, limit_revision=2) == []


def test_a_document_that_counts_no_longer_is_found_as_such(
    client: Client, quality: Client, tested: str
) -> None:
    assert serials(client, document=["revoked"]) == []
    (good,) = client.find_units("SOUGHT-1", lot=LOT)
    assert good.certificate is not None
    quality.revoke(good.certificate, "Found out of tolerance")
    assert serials(client, document=["revoked"]) == ["SOUGHT-1"]
    assert serials(client, document=["certificate"]) == []


def test_what_people_wrote_is_found_by_its_words(client: Client, tested: str) -> None:
    client.remark(tested, "1", "Kratzer an der Tür, links unten")
    for words in ("tür", "TUR links", "krat*"):
        assert serials(client, said=words) == ["SOUGHT-1"], "case and accents do not count"
    assert serials(client, said="kratz") == [], "a part of a word needs its *"
    assert serials(client, said="tür rechts") == []


def test_pages_follow_each_other_to_the_end(client: Client, tested: str) -> None:
    whole = [each.id for each in client.find_units(count=500)]
    assert [each.id for each in client.all_units()][: len(whole)] == whole
    first = client.find_units(count=1)
    assert [each.id for each in client.find_units(count=2, before=first[0].cursor)] == whole[1:3]
    answer = client.send("GET", "/api/v1/units", params={"count": 1, "verdict": ["pass", "fail"]})
    follows = client.send("GET", answer.links["next"]["url"]).json()
    assert [each["id"] for each in follows] != [each["id"] for each in answer.json()]


@pytest.mark.parametrize(
    ("asked", "field"),
    [
        ({"verdit": "fail"}, "verdit: there is nothing of this name"),
        ({"verdict": "passed"}, "verdict"),
        ({"since": "yesterday"}, "since: is no time; write a day"),
        ({"since_renewal": True}, "since_renewal: is of one fixture"),
        ({"count": 501}, "count"),
        ({"before": "yesterday"}, "before"),
    ],
)
def test_what_cannot_be_asked_is_refused_by_name(
    client: Client, asked: dict[str, Any], field: str
) -> None:
    for path in ("units", "unit-counts"):
        with pytest.raises(RefusedError, match=field):
            client.send("GET", f"/api/v1/{path}", params=asked)


def test_a_search_is_kept_for_the_whole_site(
    client: Client, site: dict[str, Any], tested: str
) -> None:
    kept = client.keep_search("Bad of the lot", lot=LOT, verdict=["fail"])
    assert kept.search.asked() == {"lot": LOT, "verdict": ["fail"]} and kept.account == site["name"]
    found = client.find_units(**client.kept_search("bad of THE lot").search.asked())
    assert [each.serial for each in found] == ["SOUGHT-3"]
    once = client.add_account("looker", "Only Operates", "operator").password
    with Client(site["url"]) as other:
        other.sign_in("looker", once)
        other.change_password(once, "an operator's own")
        assert kept in other.searches()
        for act in (other.keep_search, other.drop_search):
            with pytest.raises(NotAllowedError):
                act("Bad of the lot")
    client.drop_search("Bad of the lot")
    with pytest.raises(NotFoundError, match="kept search"):
        client.kept_search("Bad of the lot")


def test_the_command_line_finds_and_keeps_as_well(
    client: Client, site: dict[str, Any], tested: str
) -> None:
    env = {"LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token}

    def told(*words: str) -> str:
        done = command(*words, env=env)
        assert done.returncode == 0, done.stderr
        return done.stdout

    table = told("unit", "find", "sought-*", "--lot", LOT)
    assert "2 in all: 1 PASS, 1 FAIL." in table and "FX-A/3" in table
    one = json.loads(told("unit", "find", "--lot", LOT, "--verdict", "fail", "--json"))
    assert [each["serial"] for each in one] == ["SOUGHT-3"]
    assert told("search", "keep", "Mine", "--lot", LOT, "--since", "7d", "--verdict", "fail")
    assert "lot L-SOUGHT; verdict fail; since 7d" in told("search", "list")
    assert "1 in all: 1 FAIL." in told("unit", "find", "--kept", "mine")
    assert "No unit was tested that is so" in told("unit", "find", "--kept", "Mine", "--nest", "9")
    pages = command("unit", "find", "--lot", LOT, "--count", "1", env=env)
    cursor = pages.stderr.split("--before ")[1].strip()
    rest = json.loads(told("unit", "find", "--lot", LOT, "--before", cursor, "--json"))
    assert len(rest) == 1
    for words, why in (
        (("unit", "find", "--sequence", "X@y"), "'y' is no revision"),
        (("unit", "find", "--since", "soon"), "since: is no time"),
        (("unit", "find", "--kept", "nobody's"), "kept search"),
    ):
        refused = command(*words, env=env)
        assert refused.returncode != 0 and why in refused.stderr
    told("search", "drop", "Mine")
