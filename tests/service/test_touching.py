"""Contacts touched with the probe, without a sequence: named, recorded, led through, refused."""

import subprocess
from collections.abc import Iterator, Sequence
from typing import Any

import pytest

from loricate.api.bench import UpkeepOut
from loricate.client import Client, RefusedError
from loricate.simulator.hands_link import Hands
from tests.rig import interruptible
from tests.service.test_cables import run

FIXTURE = "FX-C"


@pytest.fixture(autouse=True)
def lead(hands: Hands) -> Iterator[None]:
    """A lead whose winch plug is free, and a probe that is put away in the end."""
    hands.put(f"{FIXTURE}/1", "CL-7", "unplugged X2")
    yield
    hands.lift()


def touch(
    client: Client, hands: Hands, touches: Sequence[str], end: str = "done", **more: Any
) -> tuple[UpkeepOut, list[dict[str, Any]]]:
    """Hold the probe to one contact after another as it is waited for, then answer."""
    left, told = list(touches), list[dict[str, Any]]()
    act = client.begin_touch(FIXTURE, "1", **more)
    waits_for_lift = False
    for event in client.upkeep_events(act.id):
        if event.name == "touched":
            told.append(dict(event.data))
            waits_for_lift = True
            hands.lift()
        elif event.name == "question" and left:
            hands.touch(f"{FIXTURE}/1", left.pop(0))
        elif event.name == "question":
            client.answer_upkeep(act.id, str(event.data["nest"]), end)
    assert waits_for_lift or not touches
    return client.upkeep(act.id), told


def test_whatever_is_touched_is_named_with_its_net(client: Client, hands: Hands) -> None:
    ended, told = touch(client, hands, ["X2:3", "X2:SH", "X2:1"], product="CL-7")
    assert (ended.state, ended.touched) == ("passed", ["X2:3", "X2:SH", "X2:1"])
    assert [each["text"] for each in told] == [
        "X2:3, net UP",
        "X2:SH, net SCREEN",
        "X2:1, net +48V",
    ]
    assert not any(each["is_refusal"] for each in told)
    bare, _ = touch(client, hands, ["X2:3"])
    assert bare.touched == ["X1:C"], "without a product, what of the fixture it is joined with"


def test_a_recorded_list_leads_somebody_through(client: Client, hands: Hands) -> None:
    wanted = ["X2:1", "X2:2"]
    ended, told = touch(
        client, hands, ["X2:1", "X2:5", "X2:2"], "give up", product="CL-7", contacts=wanted
    )
    assert (ended.state, ended.touched) == ("passed", wanted)
    assert [each["is_refusal"] for each in told] == [False, True, False]
    assert told[1]["text"] == "X2:5, net STOP_1 is touched. Touch X2:2."
    short, _ = touch(client, hands, ["X2:1"], "give up", product="CL-7", contacts=wanted)
    assert short.state == "failed" and "X2:2 was not touched." in short.findings[0]


def test_the_command_line_writes_down_what_was_touched(
    site: dict[str, Any], client: Client, hands: Hands, tmp_path: Any
) -> None:
    """As somebody does it: touch, lift, touch, Ctrl-C."""
    import os
    import signal

    file = tmp_path / "plug.txt"
    with Client(site["url"]) as other:
        token = other.sign_in(site["name"], site["password"]).token
    with subprocess.Popen(
        interruptible("bench", "touch", FIXTURE, "--product", "CL-7", "--record", str(file)),
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token},
    ) as running:  # fmt: skip
        assert running.stderr is not None
        assert running.stderr.readline().strip() == "The probe at nest 1"
        for contact, text in (("X2:4", "X2:4, net DOWN"), ("X2:11", "X2:11, net HORN")):
            assert "Touch any contact" in running.stderr.readline()
            hands.touch(f"{FIXTURE}/1", contact)
            assert running.stderr.readline().strip() == text
            hands.lift()
        assert "Touch any contact" in running.stderr.readline()
        running.send_signal(signal.SIGINT)
        assert "2 contacts: X2:4 X2:11" in running.communicate(timeout=60)[0]
    assert running.returncode == 0 and file.read_text() == "X2:4\nX2:11\n"


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"nest": "9"}, "FX-C has no nest 9"),
        ({"product": "DC-40"}, "DC-40 describes no nets"),
        ({"product": "NONE"}, "no product 'NONE'"),
        ({"contacts": ["X7:1"]}, "there is no contact X7:1 in FX-C"),
        ({"contacts": ["X2:1", "X2:1"]}, "name each once"),
    ],
)
def test_what_cannot_be_touched_says_why(client: Client, more: dict[str, Any], told: str) -> None:
    with pytest.raises(RefusedError, match=told):
        client.begin_touch(FIXTURE, **more)


def test_an_abort_while_somebody_holds_the_probe_frees_the_bench(
    client: Client, hands: Hands
) -> None:
    act = client.begin_touch(FIXTURE, "1", "CL-7")
    hands.touch(f"{FIXTURE}/1", "X2:3")
    assert client.abort_upkeep(act.id).state == "aborted"
    hands.lift()
    assert client.danger().state in ("safe", "armed")
    assert touch(client, hands, ["X2:2"], product="CL-7")[0].touched == ["X2:2"]


def test_the_columns_are_compared_with_the_file_and_kept(
    site: dict[str, Any], client: Client, hands: Hands
) -> None:
    hands.put(f"{FIXTURE}/1", "REF-CABLE")
    act = client.begin_map(FIXTURE, "1", "REF-CABLE")
    for event in client.upkeep_events(act.id):
        if event.name == "question":
            client.answer_upkeep(act.id, str(event.data["nest"]), "done")
    assert client.upkeep(act.id).state == "passed"
    (found,) = next(each for each in client.bench().fixtures if each.code == FIXTURE).maps
    assert (found.nest, found.part, found.differences) == ("1", "REF-CABLE", [])
    assert found.account == site["name"] and found.columns
    told = run(site, "bench", "show").stdout
    assert "columns of nest 1, measured by REF-CABLE" in told and "as the bench file says." in told
    with pytest.raises(RefusedError, match="DC-40 describes no nets"):
        client.begin_map(FIXTURE, "1", "DC-40")
