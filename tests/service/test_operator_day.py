"""The operator's day over HTTP: repeats, remarks, upkeep and gate, starts by foot and presence."""

import io
import json
import os
import subprocess
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from loricate.client import Client, ClientError, NotFoundError, RefusedError, WrongStateError
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.service.running import EARLIER, facts_going_on
from loricate.simulator.hands_link import Hands
from tests import command_line
from tests.conftest import copy_site, finish, release, run_load, write_patient_profiles


def png() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (30, 20), (10, 120, 60)).save(out, "PNG")
    return out.getvalue()


def again(client: Client, run_id: str) -> None:
    client.arm_run(run_id)
    client.start_run(run_id)
    finish(client, run_id)


def test_a_repeated_step_that_passes_supersedes_the_report(client: Client, hands: Hands) -> None:
    hands.put("FX-A/2", "DC-40", "loose_earth")
    run_id = run_load(client, {"1": "RP-1", "2": "RP-2"})
    before = client.run(run_id)
    failed = next(unit for unit in before.units if unit.nest == "2")
    assert (failed.verdict, failed.certificate_kind) == ("fail", "nonconformance")
    with pytest.raises(RefusedError, match="step 'look' passed"):
        client.repeat(run_id, "2", "no reason", "look")
    with pytest.raises(RefusedError, match="the unit passed"):
        client.repeat(run_id, "1", "no reason")
    with pytest.raises(RefusedError, match="nest 4 is not in this run"):
        client.repeat(run_id, "4", "no reason")
    asked = client.repeat(run_id, "2", "stud tightened", "earth")
    assert asked.state == "created"
    assert [unit.verdict for unit in asked.units] == ["pass", "fail"], "until it is done"
    hands.put("FX-A/2", "DC-40", "")
    again(client, run_id)
    run = client.run(run_id)
    assert (run.state, run.verdict) == ("finished", "pass")
    unit = next(each for each in run.units if each.nest == "2")
    earth = [each for each in unit.attempts if each.step_id == "earth"]
    assert [(each.verdict, each.reason) for each in earth] == [
        ("fail", ""), ("pass", "stud tightened"),
    ]  # fmt: skip
    assert len([each for each in unit.attempts if each.step_id == "look"]) == 1
    assert unit.certificate_kind == "certificate" and unit.certificate != failed.certificate
    other = next(each for each in run.units if each.nest == "1")
    assert other == next(each for each in before.units if each.nest == "1"), "not touched"
    told = client.verify(str(failed.certificate))
    assert told.genuine and told.superseded_by == unit.certificate
    assert client.verify(str(unit.certificate)).superseded_by == ""
    document = client.certificate(str(unit.certificate))
    assert f'"supersedes":"{failed.certificate}"' in document.replace(" ", "")
    assert "stud tightened" in document
    assert client.ledger().whole


def test_a_repeat_that_is_not_begun_leaves_the_run_as_it_had_ended(client: Client) -> None:
    run_id = run_load(client, {"3": "RP-3"})
    before = client.run(run_id)
    client.repeat(run_id, "3", "to be sure")
    assert client.run(run_id).units[0].due == [
        "look",
        "earth",
        "insulation",
        "withstand",
        "leakage",
        "power",
    ]
    client.abort_run(run_id)
    after = client.run(run_id)
    assert (after.state, after.units) == ("finished", before.units)


def test_attempts_are_limited(client: Client) -> None:
    run_id = run_load(client, {"3": "RP-4"})
    for _ in range(2):
        client.repeat(run_id, "3", "once more", "withstand")
        again(client, run_id)
    with pytest.raises(RefusedError, match=r"all attempts of withstand \(3\) are used"):
        client.repeat(run_id, "3", "once more", "withstand")


def test_a_remark_and_its_photo_are_kept(client: Client) -> None:
    run_id = run_load(client, {"1": "RM-1"})
    run = client.remark(run_id, "1", "scratch on the door", step="look", picture=png())
    (remark,) = run.units[0].remarks
    assert (remark.text, remark.step_id, remark.account) == ("scratch on the door", "look", "mara")
    kept = client.picture(str(remark.picture))
    with Image.open(io.BytesIO(kept)) as found:
        assert found.size == (30, 20)
    assert client.unit("RM-1")[0].remarks == [remark]
    for wrong, told in (
        ({"nest": "1", "text": "x", "step": "none"}, "there is no step 'none'"),
        ({"nest": "1", "text": "x", "picture": "0" * 64}, "is not kept here"),
        ({"nest": "1", "text": ""}, "text"),
    ):
        with pytest.raises(RefusedError, match=told):
            client.send("POST", f"/api/v1/runs/{run_id}/remarks", json=wrong)
    with pytest.raises(NotFoundError):
        client.remark(run_id, "9", "nobody there")
    with pytest.raises(RefusedError, match="not a whole PNG"):
        client.add_picture(b"hello")
    with pytest.raises(RefusedError, match="8 MiB"):
        client.add_picture(b"0" * (8 * 2**20 + 1))


def test_a_curve_is_given_with_the_limits_of_its_step(client: Client, hands: Hands) -> None:
    hands.pace(4)  # slow enough for a curve of many samples
    run_id = run_load(client, {"1": "TR-1"})
    attempt = next(a for a in client.run(run_id).units[0].attempts if a.step_id == "withstand")
    assert attempt.curves == 1
    (curve,) = client.curves(run_id, "1", "withstand").curves
    current = next(column for column in curve.columns if column.name == "current")
    assert (current.unit, current.minimum, current.maximum) == ("A", 0.4e-3, 5e-3)
    assert (curve.name, curve.x.name, curve.x.unit) == ("course", "time", "s")
    assert len(current.values) == len(curve.x.values) > 2
    assert curve.marks[0].text == "ramp"
    with pytest.raises(NotFoundError, match="curve"):
        client.curves(run_id, "1", "look")


def test_a_reading_is_shown_with_and_without_the_leads(client: Client) -> None:
    run_id = run_load(client, {"1": "ZR-1"})
    earth = next(a for a in client.run(run_id).units[0].attempts if a.step_id == "earth")
    resistance = earth.readings[0]
    (zero,) = resistance.corrections
    assert resistance.value is not None and zero.before is not None and zero.what == "zero"
    assert zero.before - resistance.value == pytest.approx(0.014, abs=0.001)


def test_an_answer_names_its_question(client: Client) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "AN-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    event = next(event for event in client.events(run.id) if event.name == "question")
    number = event.data["number"]
    with pytest.raises(WrongStateError, match="is not open"):
        client.answer(run.id, "1", "pass", question=number + 1)
    with pytest.raises(RefusedError, match="'maybe' is not a choice"):
        client.answer(run.id, "1", "maybe", question=number)
    client.answer(run.id, "1", "pass", "a dent", question=number)
    assert [event.name for event in client.events(run.id)][-1] == "finished"
    (answer,) = client.run(run.id).units[0].answers
    assert (answer.moment, answer.choice, answer.note, answer.account) == (
        "check", "pass", "a dent", "mara",
    )  # fmt: skip


def test_a_failed_step_asks_and_a_repeat_needs_its_reason(
    client: Client, hands: Hands, sequence_document: dict[str, Any]
) -> None:
    sequence_document["code"] = "ASKS"
    earth = sequence_document["steps"][1]
    earth["on_fail"] = "ask"
    earth["cues"] = [
        {
            "text": "Clip on the stud?",
            "choices": ["done"],
            "picture": client.add_picture(png()).digest,
        }
    ]
    sequence_document["steps"] = [earth]
    release(client, sequence_document)
    hands.put("FX-A/1", "DC-40", "loose_earth")
    run = client.create_run("ASKS", "FX-A", {"1": "AK-1"})
    client.arm_run(run.id)
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question" and event.data["moment"] == "decision":
            with pytest.raises(RefusedError, match="note: is missing; say why"):
                client.answer(run.id, "1", "repeat")
            hands.put("FX-A/1", "DC-40", "")
            client.answer(run.id, "1", "repeat", "stud tightened")
        elif event.name == "question":
            assert len(client.picture(event.data["picture"])) > 0
            client.answer(run.id, "1", "done")
    unit = client.run(run.id).units[0]
    assert unit.verdict == "pass"
    assert unit.certificate_kind == "nonconformance" or unit.certificate is None
    assert any("Expected tests passed" in why for why in unit.not_certified)
    assert [each.choice for each in unit.answers] == ["done", "repeat", "done"]


def test_a_cue_with_a_picture_that_nobody_has_is_refused(
    client: Client, sequence_document: dict[str, Any]
) -> None:
    sequence_document["steps"][1]["cues"] = [{"text": "Look", "picture": "0" * 64}]
    with pytest.raises(RefusedError, match=r"steps\[1\].cues\[0\].picture"):
        release(client, sequence_document)


def test_the_foot_switch_starts_an_armed_run_and_no_other(client: Client, hands: Hands) -> None:
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "FT-1"}, start_by="foot")
    hands.do("HAND:FOOT")
    client.arm_run(run.id)
    assert client.run(run.id).state == "armed", "a press before the arming counts for nothing"
    hands.do("HAND:FOOT")
    finish_when_started(client, run.id)
    assert client.run(run.id).verdict == "pass"


def test_the_last_unit_put_in_starts_an_armed_run(client: Client, hands: Hands) -> None:
    hands.empty("FX-A/2")
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "PR-1", "2": "PR-2"}, start_by="presence")
    client.arm_run(run.id)
    assert client.run(run.id).state == "armed"
    hands.put("FX-A/2", "DC-40")
    finish_when_started(client, run.id)
    assert client.run(run.id).verdict == "pass"


def test_a_lot_known_by_a_pattern_takes_its_quantity(client: Client) -> None:
    lot = client.open_lot("L-PAT", "DC-40", "PT-##", quantity=2)
    assert (lot.expected, lot.waiting, lot.waiting_count) == (2, [], 2)
    run_load(client, {"1": "PT-07", "2": "PT-11"}, lot="L-PAT")
    assert client.lot("L-PAT").waiting_count == 0
    with pytest.raises(RefusedError, match="holds 2 units, and 2 were loaded already"):
        client.create_run("DC40-FINAL", "FX-A", {"1": "PT-12"}, lot="L-PAT")
    with pytest.raises(RefusedError, match="give the quantity"):
        client.open_lot("L-PAT2", "DC-40", "PT-##")


def finish_when_started(client: Client, run_id: str) -> None:
    import time

    for _ in range(200):
        if client.run(run_id).state == "running":
            break
        time.sleep(0.02)
    finish(client, run_id)


def test_no_check_no_certificate(tmp_path: Path) -> None:
    """A bench never checked nor zeroed tests units and says why none is certified."""
    from drill.processes import PASSWORD, service

    write_patient_profiles(tmp_path)
    bond = tmp_path / "profiles" / "stand-in-bond.toml"
    told = bond.read_text(encoding="utf-8")
    mute = 'role = "bond"\nnot_read_back = ["dwell_s"]'
    bond.write_text(told.replace('role = "bond"', mute), encoding="utf-8")
    port = demo_site.free_port()
    with demo_site.stand_ins(20.0) as floor:
        demo_site.write_bench_file(floor.ports, tmp_path / "bench.toml")
        with service(tmp_path, port), Client(f"http://127.0.0.1:{port}") as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            demo_site.add_definitions(client)
            hands = Hands("127.0.0.1", floor.ports["HANDS"])
            hands.put("FX-A/2", "DC-40", "loose_earth")
            run_id = run_load(client, {"1": "NC-1", "2": "NC-0"})
            run = client.run(run_id)
            assert run.units[0].verdict == "pass" and run.units[0].certificate is None
            assert "never checked" in run.notices[0] and "never zeroed" in run.notices[1]
            assert make_fit(client, hands, 20.0, ["FX-A"]) == ["FX-A"]
            assert make_fit(client, hands, 20.0, ["FX-A"]) == [], "fit for a day"
            run = client.run(run_load(client, {"1": "NC-2"}))
            assert run.notices == [] and run.units[0].certificate is not None
            _trust_is_told(client, str(run.units[0].certificate), tmp_path)
            hands.put("FX-A/2", "DC-40", "")
            client.repeat(run_id, "2", "stud tightened", "earth")
            again(client, run_id)
            run = client.run(run_id)
            assert [unit.verdict for unit in run.units] == ["pass", "pass"]
            assert run.units[1].certificate_kind == "nonconformance", "measured before the check"
            assert "never checked" in run.notices[0] and "in a new run" in run.notices[0]
            _upkeep_is_refused(client)
            _contacts_wear_out(client, tmp_path)


def _trust_is_told(client: Client, certificate: str, folder: Path) -> None:
    """What a make cannot say is on page, terminal and paper."""
    unseen = {each.id: each.unseen for each in client.bench().instruments if each.unseen}
    assert unseen == {"GB1": ["dwell"]}
    environment = {
        **os.environ,
        "LORICATE_SERVICE": client.base_url,
        "LORICATE_TOKEN": client.token,
    }
    shown = command_line.run("bench", "show", env=environment)
    assert "GB1 cannot say: dwell. It is taken on trust." in shown.stdout
    document = json.loads(client.certificate(certificate))["document"]
    assert document["unseen"] == {"GB1": ["dwell"]}
    paper = folder / "paper.pdf"
    paper.write_bytes(client.certificate_pdf(certificate))
    text = subprocess.run(["pdftotext", paper, "-"], capture_output=True, text=True, check=True)
    assert "Taken on trust, since GB1 cannot say: dwell" in text.stdout


def test_a_run_that_goes_on_keeps_what_it_was_measured_with() -> None:
    """The instrument was exchanged, and the daily check done, between its two parts."""
    old, new = {"id": "HV1", "serial": "1"}, {"id": "HV1", "serial": "2"}
    same = {"id": "GB1", "serial": "3"}
    unmet = {"name": "daily check", "met": False, "reason": "FX-A was never checked."}
    met = {"name": "daily check", "met": True, "reason": "Checked."}
    zeroed = {"name": "leads zeroed", "met": False, "reason": "Nest 1 is not zeroed."}
    first = {"instruments": [old, same], "upkeep": [unmet], "unseen": {"HV1": ["trip"]}}
    then = {"instruments": [new, same], "upkeep": [met, zeroed], "unseen": {}}
    third = facts_going_on(facts_going_on(first, then), then)
    assert third["instruments"] == [old, new, same] and third["unseen"] == {"HV1": ["trip"]}
    assert [each["met"] for each in third["upkeep"]] == [False, False]
    (check, zero) = (each["reason"] for each in third["upkeep"])
    assert check == f"FX-A was never checked.{EARLIER}"
    assert zero == f"Nest 1 is not zeroed.{EARLIER}", "so it was in the second part"


def _upkeep_is_refused(client: Client) -> None:
    with pytest.raises(NotFoundError, match="fixture 'FX-Z'"):
        client.begin_upkeep("zero", "FX-Z")
    with pytest.raises(RefusedError, match="FX-A has no nest 9"):
        client.begin_upkeep("zero", "FX-A", ["9"])
    with pytest.raises(RefusedError, match="takes one nest"):
        client.begin_upkeep("daily_check", "FX-A", ["1", "2"])
    act = client.begin_upkeep("zero", "FX-A", ["1"])
    run = client.create_run("DC40-FINAL", "FX-A", {"1": "NC-3"})
    client.arm_run(run.id)
    with pytest.raises(WrongStateError, match="busy with the zero of FX-A"):
        client.start_run(run.id)
    with pytest.raises(WrongStateError, match="busy with the zero"):
        client.begin_upkeep("daily_check", "FX-A")
    assert client.upkeep(act.id).questions[0].moment == "short"
    assert client.abort_upkeep(act.id).state == "aborted"
    with pytest.raises(WrongStateError, match="It is over"):
        client.abort_upkeep(act.id)
    client.abort_run(run.id)
    checks = client.daily_checks("FX-A")
    assert [each.passed for each in checks] == [True]


def _contacts_wear_out(client: Client, folder: Path) -> None:
    fixture = client.bench().fixtures[0]
    assert fixture.matings == {"1": 2, "2": 1, "3": 0, "4": 0}
    client.renew_contacts("FX-A", "spring contacts changed")
    assert client.bench().fixtures[0].matings["1"] == 0
    with pytest.raises(ClientError):
        client.renew_contacts("FX-Z", "nothing")


def test_a_worn_nest_is_refused_until_its_contacts_are_renewed(
    tmp_path: Path, fit_folder: Path
) -> None:
    copy_site(fit_folder, tmp_path)
    from drill.processes import PASSWORD, service

    port = demo_site.free_port()
    with demo_site.stand_ins(20.0) as floor:
        path = tmp_path / "bench.toml"
        demo_site.write_bench_file(floor.ports, path)
        text = path.read_text(encoding="utf-8")
        path.write_text(text.replace("mating_limit = 10000", "mating_limit = 1"), encoding="utf-8")
        with service(tmp_path, port), Client(f"http://127.0.0.1:{port}") as client:
            demo_site.wait_for(client)
            client.sign_in("mara", PASSWORD)
            run_load(client, {"1": "WN-1"})
            with pytest.raises(
                RefusedError, match=r"nest 1 of FX-A has taken 1 units and may take 1"
            ):
                client.create_run("DC40-FINAL", "FX-A", {"1": "WN-2"})
            client.create_run("DC40-FINAL", "FX-A", {"2": "WN-2"})
            client.renew_contacts("FX-A", "spring contacts changed")
            client.create_run("DC40-FINAL", "FX-A", {"1": "WN-2"})
