"""Records to be searched, and what a test itself knows of each unit in a run."""

import datetime as dt
import random
import re
import sqlite3
from dataclasses import dataclass, field
from typing import Any

from hypothesis import strategies as st

from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Cause, DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.readings import Reading
from loricate.core.quantities import CURRENT
from loricate.core.searching import Span, UnitSearch
from loricate.core.sequences.released import step_as_done
from loricate.records import (
    assets,
    attempts,
    remarks,
    runs,
)

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
    failed_first: bool = False
    # step, instrument, attempt, value, when
    readings: list[tuple[str, str, int, float, str]] = field(default_factory=list)


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
                "UPDATE run SET started_at = ?, started_by = ?, ended_at = ?, finished_at = ?"
                " WHERE id = ?",
                (
                    *(stamp(begun), who, stamp(ended) if how == "ended" else None),
                    stamp(ended) if how == "ended" and number % 4 else None,
                    run_id,
                ),
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
                for turn in range(1, pick.choice((1, 1, 2)) + 1):
                    name = pick.choice(used)
                    value = pick.choice((1.4e-3, 50e-9))
                    reading = Reading("current", value, CURRENT, instrument=name)
                    limits = sequence.steps[3].limits
                    graded = grade_step(Measured((reading,)), limits, DecisionRule())
                    made = Attempt(
                        step.model_copy(update={"id": step_id}),
                        place, turn, graded, started_at=stamps[0], ended_at=stamps[0],
                    )  # fmt: skip
                    attempts.add_attempt(conn, unit["id"], made)
                    known.readings.append((step_id, name, turn, value, stamps[0]))
                    known.instruments |= {each for each in (name, INSTRUMENTS[name]) if each}
                    if graded.verdict is Verdict.FAIL:
                        known.failed.add(step_id)
                        known.failed_first |= turn == 1
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
