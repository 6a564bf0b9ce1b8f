"""Searches: whatever is asked, what is found is what the records say, in order, on every page."""

import datetime as dt
import random
import re
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Cause, DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.readings import Reading
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT
from loricate.core.searching import Span, UnitSearch
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, facts_of
from loricate.core.sequences.released import step_as_done
from loricate.records import (
    assets,
    attempts,
    definitions,
    kept_searches,
    remarks,
    runs,
    searching,
    sequences,
    upkeep,
)
from loricate.records.errors import NotFound
from loricate.records.store import atomic, migrate, open_connection
from tests.conftest import demo_limit_sets, five_steps, read_demo

SERIALS = ("AB-1", "AB-2", "ab-1x", "xC_3", "100%", "Ä-7", "LONG-SERIAL-0119", "A*B")
LOTS, NESTS, PEOPLE = ("", "L-1", "L-12", "l_2"), ("1", "2", "10"), ("mara", "olle")
FIXTURES, INSTRUMENTS = ("FX-A", "FX-B"), {"HV1": "WS-1", "HV2": "WS-2", "GB1": ""}
STEPS = ("withstand", "earth", "earth_2")
TEXTS = ("scratch on the door", "Tür klemmt", "door")
BEGIN = dt.datetime(2026, 11, 1, 22, tzinfo=dt.UTC)


@dataclass
class Known:
    """What the test itself knows of a unit in a run."""

    id: str
    facts: dict[str, Any]
    begun: str
    ended: str
    failed: set[str] = field(default_factory=set)
    instruments: set[str] = field(default_factory=set)
    said: list[str] = field(default_factory=list)


class Filled:
    """Records, and what the test knows of each unit in a run."""

    def __init__(self, conn: sqlite3.Connection, known: list[Known]) -> None:
        self.conn, self.known = conn, known


def stamp(moment: dt.datetime) -> str:
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def fits(pattern: str, text: str) -> bool:
    """Whether a text is what a pattern with ``*`` and ``?`` stands for; case does not count."""
    told = "".join({"*": ".*", "?": "."}.get(each, re.escape(each)) for each in pattern)
    return re.fullmatch(told, text, re.IGNORECASE | re.ASCII | re.DOTALL) is not None


def answers(known: Known, search: UnitSearch, span: Span) -> bool:
    """Whether a unit in a run is what is looked for, gone through one thing after another."""
    facts = known.facts
    for name in ("product", "lot", "operator", "fixture", "nest", "sequence", "place"):
        wanted = getattr(search, name)
        if wanted and not fits(wanted, facts[name]):
            return False
    if search.serial and not any(fits(search.serial, facts[name]) for name in ("serial", "asset")):
        return False
    for name in ("verdict", "cause"):
        if (several := getattr(search, name)) and facts[name] not in several:
            return False
    for wanted, names in ((search.failed, known.failed), (search.instrument, known.instruments)):
        if wanted and not any(fits(wanted, name) for name in names):
            return False
    if search.said and not any(search.said.lower() in text.lower() for text in known.said):
        return False
    if span.until and known.begun >= span.until:
        return False
    return not span.since or known.ended == "" or known.ended >= span.since


def put_in(conn: sqlite3.Connection, sequence: Any, pick: random.Random) -> list[Known]:
    """Runs of all sorts: ended, going on, never begun, over days, with attempts and remarks."""
    found, step = list[Known](), step_as_done(sequence.steps[3])
    for number in range(40):
        lot, fixture, who = pick.choice(LOTS), pick.choice(FIXTURES), pick.choice(PEOPLE)
        load = dict(zip(pick.sample(NESTS, 2), pick.sample(SERIALS, 2), strict=True))
        used = pick.sample(list(INSTRUMENTS), 2)
        bench = {"instruments": [_instrument(name) for name in used], "code": "BENCH-2"}
        run_id = runs.add_run(
            conn, ("DC40-FINAL", 1), "DC-40", fixture, load, bench, "0", who, lot=lot
        )
        begun = BEGIN + dt.timedelta(hours=7 * number)
        ended = begun + dt.timedelta(hours=pick.choice((0, 1, 40)))
        how = pick.choice(("ended", "ended", "going on", "not begun"))
        stamps = {
            "ended": (stamp(begun), stamp(ended)),
            "going on": (stamp(begun), ""),
            "not begun": (stamp(begun), stamp(begun)),
        }[how]
        conn.execute("UPDATE run SET created_at = ? WHERE id = ?", (stamp(begun), run_id))
        if how != "not begun":
            conn.execute(
                "UPDATE run SET started_at = ?, started_by = ?, ended_at = ? WHERE id = ?",
                (stamp(begun), who, stamp(ended) if how == "ended" else None, run_id),
            )
        for unit in runs.get_run(conn, run_id)["units"]:
            verdict = pick.choice(list(Verdict))
            cause = pick.choice((Cause.BREAKDOWN, Cause.OPEN)) if verdict == "fail" else Cause.NONE
            runs.set_verdicts(conn, run_id, verdict, {unit["id"]: (verdict, cause)})
            known = Known(
                unit["id"],
                {
                    **{"serial": unit["serial"], "asset": "", "place": "", "product": "DC-40"},
                    **{"lot": lot, "fixture": fixture, "nest": unit["nest"], "operator": who},
                    **{"verdict": verdict, "cause": cause, "sequence": "DC40-FINAL"},
                },
                *stamps,
            )
            for place, step_id in enumerate(pick.sample(STEPS, pick.randrange(3))):
                name = pick.choice(used)
                reading = Reading("current", pick.choice((1.4e-3, 50e-9)), CURRENT, instrument=name)
                graded = grade_step(Measured((reading,)), sequence.steps[3].limits, DecisionRule())
                made = Attempt(
                    step.model_copy(update={"id": step_id}),
                    place, 1, graded, started_at=stamps[0], ended_at=stamps[0],
                )  # fmt: skip
                attempts.add_attempt(conn, unit["id"], made)
                known.instruments |= {each for each in (name, INSTRUMENTS[name]) if each}
                if graded.verdict is Verdict.FAIL:
                    known.failed.add(step_id)
            if pick.random() < 0.3:
                known.said.append(pick.choice(TEXTS))
                remarks.add_remark(conn, unit["id"], "", known.said[0], None, "mara")
            found.append(known)
    assets.describe(conn, "mara", "RB-1041", "DC-40", "AB-2", "Hangar 3")
    for each in found:
        if each.facts["serial"] == "AB-2":
            each.facts |= {"asset": "RB-1041", "place": "Hangar 3"}
    return found


def _instrument(name: str) -> dict[str, str]:
    told = dict.fromkeys(("title", "identity", "calibrated", "due", "certificate"), "")
    return {**told, "id": name, "serial": INSTRUMENTS[name]}


@pytest.fixture(scope="module")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Filled]:
    """Records of eighty units in runs, and what the test knows of each."""
    path = tmp_path_factory.mktemp("searched") / "r.sqlite"
    migrate(path)
    conn = open_connection(path)
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    sequence = prepare(five_steps(), {product.code: product}, demo_limit_sets())
    with atomic(conn):
        definitions.add_document(conn, "product", "DC-40", read_demo("products/dc-40.toml"), "m")
        for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
            document = read_demo(f"limit-sets/{name}.toml")
            definitions.add_document(conn, "limit_set", document["code"], document, "m")
        sequences.store_draft(conn, facts_of(sequence), five_steps(), "mara")
        known = put_in(conn, sequence, random.Random(15))
    yield Filled(conn, known)
    conn.close()


PATTERNS = st.sampled_from(
    ["*", "?", "A*", "*b*", "AB-?", "*-1*", "100%", "x?_3", "*0119", "*SERIAL*", "rb-10*", "ä-7"]
)
SEARCHES = st.fixed_dictionaries(
    {},
    optional={
        "serial": PATTERNS | st.sampled_from(SERIALS),
        "product": st.sampled_from(["DC-40", "dc*", "CL-7"]),
        "lot": st.sampled_from([*LOTS, "l-1*", "L?2", "*2"]),
        "sequence": st.sampled_from(["dc40-final", "DC40*", "CL*"]),
        "verdict": st.lists(st.sampled_from([str(each) for each in Verdict]), max_size=2),
        "cause": st.lists(st.sampled_from(["breakdown", "open", "short"]), max_size=2),
        "failed": st.sampled_from(["earth", "earth*", "*_2", "with?tand", "none"]),
        "operator": st.sampled_from(["mara", "OLLE", "?ara", "nobody"]),
        "fixture": st.sampled_from(["FX-A", "fx-?"]),
        "nest": st.sampled_from(["1", "1*", "??"]),
        "instrument": st.sampled_from(["HV1", "ws-*", "WS-2", "GB?", "none"]),
        "place": st.sampled_from(["Hangar 3", "*hangar*", "Base"]),
        "said": st.sampled_from(["door", "klemmt", "zebra"]),
        "since": st.sampled_from(["2026-11-03", "2026-11-05T03:00+01:00", "9 d", "400d"]),
        "until": st.sampled_from(["2026-11-03", "2026-11-09T12:00Z", "2 d"]),
    },
)
AT = BEGIN + dt.timedelta(days=12)
ZONE = dt.timezone(dt.timedelta(hours=1))


@settings(max_examples=100, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    asked=SEARCHES,
    size=st.integers(1, 30),
    plan=st.tuples(*[st.sampled_from([1, 3, 20, 1000])] * 4),
)
def test_a_search_finds_what_the_records_say_whichever_way_it_goes(
    filled: Filled,
    monkeypatch: pytest.MonkeyPatch,
    asked: dict[str, Any],
    size: int,
    plan: tuple[int, int, int, int],
) -> None:
    conn, known = filled.conn, filled.known
    for name, number in zip(("A_HANDFUL", "FEW", "NEWEST_FIRST", "PAGE"), plan, strict=True):
        monkeypatch.setattr(searching, name, number)
    for name in ("LOOKUP", "MORE"):
        monkeypatch.setattr(searching, name, 2)
    search = UnitSearch(**asked)
    span = search.span(ZONE, AT)
    wanted = [each for each in known if answers(each, search, span)]
    wanted.sort(key=lambda each: (each.begun, each.id), reverse=True)
    found, last = list[str](), ""
    for _ in range(len(known) + 2):
        page = searching.find_units(conn, search, span, size, last)
        found += [str(row["id"]) for row in page]
        if len(page) < size:
            break
        last = page[-1]["cursor"]
    assert found == [each.id for each in wanted]
    counts = searching.count_units(conn, search, span)
    assert counts == {each: sum(one.facts["verdict"] == each for one in wanted) for each in Verdict}


def test_what_is_searched_is_what_is_recorded_and_a_change_from_outside_shows(
    filled: Filled,
) -> None:
    conn = filled.conn
    assert list(searching.strays(conn)) == []
    with pytest.raises(ZeroDivisionError), atomic(conn):
        for table, change in (
            ("sought", "UPDATE sought SET verdict = 'pass' WHERE verdict = 'fail'"),
            ("sought", "DELETE FROM sought WHERE nest = '10'"),
            ("said", "UPDATE said SET text = 'nothing'"),
            ("unit_name", "DELETE FROM unit_name WHERE serial = 'AB-1'"),
        ):
            conn.execute("SAVEPOINT before")
            assert conn.execute(change).rowcount > 0, table
            assert next(searching.strays(conn)).startswith("What is searched of ")
            conn.execute("ROLLBACK TO before")
        _ = 1 / 0  # nothing of it stays


def test_however_many_names_there_are_each_is_found(
    conn: sqlite3.Connection, sequence: ReadySequence, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is offered to pick from has an end; what is looked for has none."""
    put_in(conn, sequence, random.Random(16))
    search = [UnitSearch(failed="*"), UnitSearch(failed="withstand"), UnitSearch(instrument="W*")]
    wanted = [searching.count_units(conn, each, Span()) for each in search]
    assert all(sum(each.values()) for each in wanted)
    monkeypatch.setattr(searching, "MOST_NAMES", 0)
    monkeypatch.setattr(searching, "MOST_TERMS", 0)
    assert [searching.count_units(conn, each, Span()) for each in search] == wanted


@pytest.mark.parametrize("serial", ["S", 'A"B', "AB-1 x", "Ä-7", "LONG-SERIAL-0119"])
def test_a_unit_that_is_given_a_number_is_found_by_it(
    conn: sqlite3.Connection, serial: str
) -> None:
    for each in (serial, f"{serial}9"):
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": each}, {}, "0", "mara")
    for number in ("RB-1041", "RB-2042"):
        assets.describe(conn, "mara", number, "DC-40", serial, "Hangar 3")
        found = searching.find_units(conn, UnitSearch(serial=f"*{number[3:]}"), Span(), 5)
        assert [each["serial"] for each in found] == [serial]
    assert list(searching.strays(conn)) == []


def test_an_instrument_that_a_run_has_no_more_is_not_searched_for(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    put_in(conn, sequence, random.Random(17))
    for row in conn.execute("SELECT id FROM run").fetchall():
        runs.set_bench(conn, row["id"], {})
    assert list(searching.strays(conn)) == []


def test_the_page_that_follows_is_the_same_whatever_came_since(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    for number in range(6):
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": f"S-{number}"}, {}, "0", "m")
    first = searching.find_units(conn, UnitSearch(), Span(), 3)
    runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "S-new"}, {}, "0", "m")
    runs.set_state(conn, first[-1]["run_id"], "running", "mara")  # the cursor's own moves up
    rest = searching.find_units(conn, UnitSearch(), Span(), 9, first[-1]["cursor"])
    assert [each["serial"] for each in (*first, *rest)] == [f"S-{n}" for n in (5, 4, 3, 2, 1, 0)]


def test_since_contacts_were_renewed(conn: sqlite3.Connection) -> None:
    search = UnitSearch(fixture="FX-A", nest="1", since_renewal=True)
    old, new = (
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": each}, {}, "0", "mara")
        for each in ("old", "new")
    )
    runs.set_state(conn, old, "running", "mara")
    runs.set_state(conn, old, "finished", "mara")
    conn.execute("UPDATE run SET created_at = '2026-01-01T00:00:00.000Z' WHERE id = ?", (old,))
    for column in ("started_at", "ended_at"):
        conn.execute(f"UPDATE run SET {column} = '2026-01-01T00:00:00.000Z' WHERE id = ?", (old,))

    def found() -> list[str]:
        return [each["serial"] for each in searching.find_units(conn, search, Span(), 5)]

    assert found() == ["new", "old"], "they never were"
    upkeep.add_service(conn, "FX-A", "worn", "mara")
    assert found() == []
    runs.set_state(conn, new, "running", "mara")
    assert found() == ["new"]


def test_a_revision_of_a_limit_set_finds_what_rests_on_it(conn: sqlite3.Connection) -> None:
    runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "S"}, {}, "0", "mara")
    (code, revision), *_ = sequences.get_sequence(conn, "DC40-FINAL", 1).limit_revisions.items()

    def found(**asked: Any) -> int:
        search = UnitSearch(**asked)
        count = sum(searching.count_units(conn, search, Span()).values())
        assert len(searching.find_units(conn, search, Span(), 5)) == count
        return count

    assert found(limit_set=code) == found(limit_set=code, limit_revision=revision) == 1
    assert found(limit_set=code, limit_revision=revision + 1) == found(limit_set="none") == 0


@pytest.mark.parametrize(
    ("asked", "told"),
    [
        ({"since": "yesterday"}, "is no time; write a day"),
        ({"since": "2026-11-26T10:00"}, "has no offset from UTC"),
        ({"until": "2026-02-30"}, "is no time"),
        ({"since": "999999 d"}, "lies too far back"),
        ({"revision": 2}, "give sequence as well"),
        ({"limit_revision": 2}, "give limit_set as well"),
        ({"since_renewal": True}, "give fixture as well"),
        ({"since_renewal": True, "fixture": "FX-*"}, r"without \* and \?"),
        ({"since_renewal": True, "fixture": "FX-A", "since": "7d"}, "exclude each other"),
        ({"said": "!?"}, "has no word in it"),
        ({"verdict": ["passed"]}, "Input should be"),
        ({"verdit": ["pass"]}, "Extra inputs"),
    ],
)
def test_what_cannot_be_looked_for_is_told(asked: dict[str, Any], told: str) -> None:
    with pytest.raises(ValidationError, match=told):
        UnitSearch(**asked)


def test_days_are_those_of_the_site() -> None:
    search = UnitSearch(since="2026-11-03", until="2026-11-03")
    assert search.span(ZONE, AT) == Span("2026-11-02T23:00:00.000Z", "2026-11-03T23:00:00.000Z")
    assert UnitSearch(since="2 d").span(ZONE, AT).since == stamp(AT - dt.timedelta(days=2))
    assert UnitSearch(until="9999-12-31").span(ZONE, AT).until == "9999", "no day after it"


def test_a_search_is_kept_by_name_until_it_is_dropped(conn: sqlite3.Connection) -> None:
    for search in (UnitSearch(lot="L-*"), UnitSearch(verdict=["fail"], since="7 d")):
        kept_searches.keep_search(conn, "This week", search.asked(), "mara")
    (kept,) = kept_searches.list_searches(conn)
    assert UnitSearch(**kept.search) == UnitSearch(verdict=["fail"], since="7 d")
    assert kept_searches.get_search(conn, "THIS WEEK") == kept, "case does not count"
    kept_searches.drop_search(conn, "this week", "mara")
    with pytest.raises(NotFound, match="kept search 'this week'"):
        kept_searches.get_search(conn, "this week")
    with pytest.raises(NotFound, match="kept search 'this week'"):
        kept_searches.drop_search(conn, "this week", "mara")
