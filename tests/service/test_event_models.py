"""What the event streams tell is just what the published contract says of them."""

from collections.abc import Iterable
from typing import Any

from pydantic import BaseModel

from loricate.api.events import RunEvents, UpkeepEvents
from loricate.client import Client, RunEvent
from loricate.simulator.hands_link import Hands
from tests.conftest import read_demo


def checked(events: Iterable[RunEvent], models: type[BaseModel]) -> list[str]:
    """The names of events, each of whose data is as its model has it, with nothing more."""
    names = []
    for event in events:
        model: Any = models.model_fields[event.name].annotation
        model.model_validate(event.data)
        names.append(event.name)
    return names


def test_a_run_tells_what_it_said_it_would(client: Client, hands: Hands) -> None:
    hands.put("FX-A/2", "DC-40", "loose_earth")
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "EV-1", "2": "EV-2"})
    client.arm_run(run.id)
    client.start_run(run.id)

    def answered() -> Iterable[RunEvent]:
        for event in client.events(run.id):
            yield event
            if event.name == "question":
                client.answer(run.id, event.data["nest"], event.data["choices"][0])

    names = checked(answered(), RunEvents)
    assert {"state", "step_started", "sample", "question", "answered"} < set(names)
    assert names[-1] == "finished" and {"step_finished", "unit_finished"} < set(names)
    # After its end, and to whoever comes late, it tells the same.
    assert checked(client.events(run.id), RunEvents)[-1] == "finished"
    hands.restore()


def test_a_rehearsal_tells_the_same_sorts(client: Client) -> None:
    document = read_demo("sequences/dc40-final.toml")
    made = client.prepare_rehearsal(document, "FX-A", "1", ["withstand"])
    client.start_rehearsal(made.id)
    names = checked(client.rehearsal_events(made.id), RunEvents)
    assert names[-1] == "finished" and "sample" in names


def test_an_act_of_upkeep_tells_its_own(client: Client, hands: Hands) -> None:
    act = client.begin_upkeep("zero", "FX-A", ["1"])

    def answered() -> Iterable[RunEvent]:
        for event in client.upkeep_events(act.id):
            yield event
            if event.name == "question":
                if event.data["moment"] == "short":
                    hands.put("FX-A/1", "SHORT")
                else:
                    hands.empty("FX-A/1")
                client.answer_upkeep(act.id, event.data["nest"], "done")

    names = checked(answered(), UpkeepEvents)
    hands.restore()
    assert names[0] == "state" and names[-1] == "finished" and "progress" in names


def test_steps_that_repeat_and_cue_tell_of_it(client: Client) -> None:
    run = client.create_run("DC40-REWORK", "FX-A", {"1": "EV-3"})
    client.arm_run(run.id)
    client.start_run(run.id)
    names = []
    for event in client.events(run.id):
        names += checked([event], RunEvents)
        if event.name == "question" and event.data["choices"]:
            client.answer(run.id, event.data["nest"], event.data["choices"][0])
        elif event.name == "question":
            client.abort_run(run.id)
    assert names[-1] == "finished" and "repetition" in names
