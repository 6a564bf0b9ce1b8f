"""The control lead from its description to its verdict, by the service, client and command line."""

import os
import re
import subprocess
from collections.abc import Callable
from typing import Any

import pytest

from loricate.api.records import RunOut
from loricate.client import Client, RefusedError
from loricate.simulator.hands_link import Hands
from tests import command_line

FIXTURE = "FX-C"


def run_leads(
    client: Client,
    hands: Hands,
    load: dict[str, str],
    turn: Callable[[str, str], None] | None = None,
    sequence: str = "LEAD-FINAL",
) -> RunOut:
    """Test leads to the end; somebody turns the switch of each when it is asked for."""
    run = client.create_run(sequence, FIXTURE, load)
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name != "question":
            continue
        nest, choices = str(event.data["nest"]), event.data["choices"]
        wanted = re.search(r"position (\w+)", str(event.data["question"]))
        if wanted is None:
            client.answer(run.id, nest, choices[0])
        elif turn is not None:
            turn(nest, wanted[1])
        else:
            hands.turn(f"{FIXTURE}/{nest}", wanted[1])
            if "it stands there" in choices:
                client.answer(run.id, nest, "it stands there")
    return client.wait_for_papers(run.id)


def test_a_good_lead_is_certified_and_crossed_wires_are_named(client: Client, hands: Hands) -> None:
    """Each position starts by itself when its wiring is seen; high voltage asks nothing more."""
    ended = run_leads(client, hands, {"1": "CL7-W-1", "2": "CL7-W-2"})
    good, bad = ended.units
    assert (good.verdict, bad.verdict, bad.cause) == ("pass", "fail", "swapped")
    assert [str(each.certificate)[:2] for each in (good, bad)] == ["C-", "N-"]
    by_step = {attempt.step_id: attempt for attempt in good.attempts}
    wiring = {each.point: each for each in by_step["wiring"].readings}
    assert len(wiring) == 2 * (16 + 1 + 1), "nets, the resistor and the isolation, twice"
    assert all(each.verdict == "pass" for each in wiring.values())
    assert wiring["SLOW: UP"].corrections, "the fixture's zero is taken off"
    proof = [each for each in by_step["insulation"].readings if each.quantity == "resistance"]
    assert {each.bound for each in proof} == {"above"}, "groups state what is proven"
    alone = [each for each in by_step["proof_ac"].readings if each.quantity == "current"]
    assert len(alone) == 16 and {each.bound for each in alone} <= {"exact", "below"}
    (fault,) = next(each for each in bad.attempts if each.step_id == "wiring").faults
    assert fault.cause == "swapped" and set(fault.contacts) <= {"X1:C", "X1:D", "X2:3", "X2:4"}
    assert "UP and DOWN are crossed" in fault.text


@pytest.mark.parametrize(
    ("faults", "cause", "says"),
    [
        ("open HORN", "open", "HORN is open between X1:L and X2:11"),
        ("short X1:D X1:E", "short", "DOWN and STOP_1 are joined"),
        ("corroded LAMP_R", "high_resistance", "LAMP_R has"),
        ("missing R1", "missing", "R1 is missing"),
        ("open SCREEN", "open", "Shield SCREEN is not connected"),
        ("poor UP", "under_limit", "UP and DOWN leak to each other"),
        ("weak BUS_H", "breakdown", "BUS_H and BUS_L break down"),
    ],
)
def test_whoever_looks_at_a_failed_lead_reads_what_is_wrong(
    client: Client, hands: Hands, faults: str, cause: str, says: str
) -> None:
    hands.put(f"{FIXTURE}/1", "CL-7", faults)
    serial = f"CL7-F-{faults.replace(' ', '-').replace(':', '')}"
    (unit,) = run_leads(client, hands, {"1": serial}).units
    assert (unit.verdict, unit.cause) == ("fail", cause)
    told = [fault.text for attempt in unit.attempts for fault in attempt.faults]
    assert len(told) == 1 and says in told[0], "one fault is told once"


def test_an_empty_fixture_and_a_switch_that_nobody_turns(client: Client, hands: Hands) -> None:
    hands.empty(f"{FIXTURE}/1")
    (unit,) = run_leads(client, hands, {"1": "CL7-E-1"}).units
    assert (unit.verdict, unit.cause) == ("fail", "no_contact")
    (fault,) = [each for attempt in unit.attempts for each in attempt.faults]
    assert fault.text.startswith("Nothing seems to be plugged in")
    hands.put(f"{FIXTURE}/1", "CL-7", "unplugged X2")
    (unit,) = run_leads(client, hands, {"1": "CL7-E-3"}).units
    (fault,) = [each for attempt in unit.attempts for each in attempt.faults]
    assert unit.cause == "no_contact" and fault.text.startswith("Connector X2 seems not")
    hands.put(f"{FIXTURE}/1", "CL-7")

    def give_up(nest: str, position: str) -> None:
        client.answer(
            next(run.id for run in client.runs() if run.state == "running"), nest, "give up"
        )

    (unit,) = run_leads(client, hands, {"1": "CL7-E-2"}, give_up).units
    assert (unit.verdict, unit.cause) == ("fail", "not_seen")


def test_a_relay_that_sticks_in_mid_test_decides_nothing(client: Client, hands: Hands) -> None:
    hands.do("HAND:REL 17,70,STUCK")
    (unit,) = run_leads(client, hands, {"1": "CL7-R-1"}).units
    assert unit.verdict == "inconclusive"
    wiring = next(each for each in unit.attempts if each.step_id == "wiring")
    assert wiring.verdict == "not_run" and "relay that was not as asked" in wiring.note


def run(site: dict[str, Any], *words: str) -> subprocess.CompletedProcess[str]:
    with Client(site["url"]) as client:
        token = client.sign_in(site["name"], site["password"]).token
    return command_line.run(
        *words, env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token}
    )


def test_the_terminal_prints_a_line_a_net_and_faults_as_sentences(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    run_leads(client, hands, {"1": "CL7-T-1", "2": "CL7-T-2"})
    good = run(site, "unit", "show", "CL7-T-1").stdout.splitlines()
    assert good[1].split("  ")[0] == "NET" and good[1].rstrip().endswith("AC")
    lines = {line.split()[0]: line for line in good[2:20]}
    assert "mΩ" in lines["+48V"] and "GΩ" in lines["+48V"] and lines["+48V"].count("µA") == 2
    assert "Ω" in lines["R1"] and len(lines) == 18
    bad = run(site, "unit", "show", "CL7-T-2").stdout
    assert bad.splitlines()[2].startswith("UP") and "2 of 18 nets and components failed." in bad
    assert "Every wire: UP and DOWN are crossed" in bad


def test_a_from_to_list_goes_out_and_comes_in(
    site: dict[str, Any], client: Client, tmp_path: Any
) -> None:
    listed = run(site, "product", "from-to", "CL-7")
    assert listed.returncode == 0 and "wire,UP,X1:C,X2:3,brown,0.5 mm²" in listed.stdout
    document = client.product("CL-7")
    del document["revision"]
    client.add_product({**document, "code": "CL-8"})
    file = tmp_path / "list.csv"
    file.write_text(listed.stdout.replace("brown", "tan"), encoding="utf-8")
    taken = run(site, "product", "from-to", "CL-8", "--take", str(file))
    assert "CL-8 is stored as revision 2" in taken.stdout, taken.stderr
    assert client.product("CL-8")["cable"]["nets"][2]["colour"] == "tan"
    assert client.product("CL-8")["cable"]["positions"][0]["title"] == "tortoise"
    file.write_text(listed.stdout.replace("X2:3,", "X2:4,"), encoding="utf-8")
    refused = run(site, "product", "from-to", "CL-8", "--take", str(file))
    assert refused.returncode == 1 and "line 5, column 4 (to): X2:4 is in UP" in refused.stderr
    assert client.product("CL-8")["revision"] == 2, "nothing is taken"
    with pytest.raises(RefusedError, match=r"line 2, column 2 \(from\): 'X1' is no contact"):
        client.read_from_to(document, "name,from,to\nUP,X1,X2:3")


def test_a_stand_in_is_made_of_a_product_file(tmp_path: Any) -> None:
    made = command_line.run("product", "stand-in", "demo/products/cl-7.toml")
    assert 'positions = ["SLOW", "FAST"]' in made.stdout
    assert '"open UP" = {title = "Net UP broken"' in made.stdout


def run_bent(client: Client, hands: Hands, load: dict[str, str], bends: int = 2) -> RunOut:
    """Test leads after repair: somebody turns the switch, bends the lead and says so."""
    run = client.create_run("LEAD-REPAIR", FIXTURE, load)
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name != "question":
            continue
        nest = str(event.data["nest"])
        if wanted := re.search(r"position (\w+)", str(event.data["question"])):
            hands.turn(f"{FIXTURE}/{nest}", wanted[1])
            if "it stands there" in event.data["choices"]:
                client.answer(run.id, nest, "it stands there")
            continue
        for _ in range(bends if "done" in event.data["choices"] else 0):
            hands.bend(f"{FIXTURE}/{nest}")
        client.answer(run.id, nest, event.data["choices"][0])
    return client.wait_for_papers(run.id)


def test_a_loose_contact_is_found_while_the_lead_is_bent(client: Client, hands: Hands) -> None:
    """It passes every other step; of the watch count, longest and when are kept, with the trace."""
    hands.put(f"{FIXTURE}/1", "CL-7")
    hands.put(f"{FIXTURE}/2", "CL-7", "loose HORN")
    ended = run_bent(client, hands, {"1": "CL7-B-1", "2": "CL7-B-2"})
    good, bad = ended.units
    assert (good.verdict, bad.verdict, bad.cause) == ("pass", "fail", "intermittent")
    by_step = {each.step_id: each for each in bad.attempts}
    assert by_step["wiring"].verdict == "pass"
    (fault,) = by_step["bend"].faults
    assert fault.point == "HORN" and "for 200.0 µs at the longest" in fault.text
    assert set(fault.contacts) == {"X1:L", "X2:11"}
    values = {(each.quantity, each.point): each for each in by_step["bend"].readings}
    assert values["breaks", "HORN"].verdict == "fail" and values["breaks", "UP"].verdict == "pass"
    assert values["time_watched", ""].verdict == "pass"
    curves = client.curves(ended.id, "2", "bend").curves
    traces = {each.point for each in curves if each.name.startswith("watch_")}
    assert {"HORN", "UP"} <= traces, "each net's trace is kept"


def test_a_lead_that_nobody_bends_is_watched_as_long_as_it_says(
    client: Client, hands: Hands
) -> None:
    """An answer at once ends nothing: the time that the step asks for is watched all the same."""
    hands.put(f"{FIXTURE}/1", "CL-7", "loose HORN")
    (unit,) = run_bent(client, hands, {"1": "CL7-B-3"}, bends=0).units
    (watched,) = [
        reading
        for attempt in unit.attempts
        for reading in attempt.readings
        if reading.quantity == "time_watched"
    ]
    assert float(watched.text.split(" ")[0]) >= 4.9 and watched.text.endswith(" s")
