"""Drafts, releases and withdrawals over HTTP: frozen, reasoned, never overwritten."""

import asyncio
from pathlib import Path
from typing import Any

import httpx
import pytest

from loricate.client import Client, NotFoundError, RefusedError, WrongStateError
from loricate.service.app import create_app
from loricate.service.settings import FirstAccount, Settings
from tests.conftest import five_steps, read_demo, run_load, second_engineer
from tests.rig import copy_bench


def final_test(code: str, **own: Any) -> dict[str, Any]:
    return {**five_steps(), "code": code, **own}


def test_a_draft_changes_until_it_is_released_and_then_a_new_one_begins(client: Client) -> None:
    assert client.add_sequence(final_test("RV-1")).revision == 1
    again = client.add_sequence(final_test("RV-1", title="Better"))
    assert (again.revision, again.etag) == (1, '"1.2"'), "the draft was changed in place"
    with pytest.raises(RefusedError, match="released revision of sequence"):
        client.create_run("RV-1", "FX-A", {"1": "RV-A"})
    assert client.release_sequence("RV-1", "first issue").revision == 1
    with pytest.raises(WrongStateError, match="Revision 1 of RV-1 is released"):
        client.release_sequence("RV-1", "once more")
    assert client.add_sequence(final_test("RV-1", title="Better")).revision == 1, "no change"
    assert client.add_sequence(final_test("RV-1", title="Third")).revision == 2
    run = client.create_run("RV-1", "FX-A", {"1": "RV-A"})
    assert run.sequence_revision == 1, "a draft is not run"
    shown = client.sequence("RV-1", 1)
    assert shown.release is not None
    assert (shown.release.why, shown.release.released_by) == ("first issue", "mara")
    found = client.differences("sequences", "RV-1", 1, 2)
    assert [(each.path, each.new) for each in found] == [("title", "Third")]
    assert [each.status for each in client.sequence_revisions("RV-1")] == ["draft", "released"]
    client.abort_run(run.id)


def test_a_sequence_goes_out_as_a_file_and_comes_in_as_it_went(client: Client) -> None:
    document = final_test("RV-FILE")
    stored = client.add_sequence(document)
    text = client.sequence_file("RV-FILE")
    assert client.read_sequence_file(text) == document
    again = client.add_sequence(client.read_sequence_file(text))
    assert (again.revision, again.etag) == (stored.revision, stored.etag), "nothing changed"
    with pytest.raises(RefusedError, match="file: is not TOML"):
        client.read_sequence_file("code = ")
    with pytest.raises(RefusedError, match="is not UTF-8 text"):
        client.send("POST", "/api/v1/sequences/read", content=b"\xff\xfe")


def test_the_list_says_of_each_sequence_what_it_says_itself(client: Client) -> None:
    client.add_sequence(final_test("RV-L"))
    listed = client.sequences()
    assert "RV-L" in [each.code for each in listed]
    for row in listed:
        shown = client.sequence(row.code)
        told = shown.model_dump(include=set(type(row).model_fields) - {"step_count"})
        assert row.model_dump(exclude={"step_count"}) == told
        assert row.step_count == len(steps := shown.document["steps"])
        assert len(shown.steps) == len([each for each in steps if not each.get("off")]) > 0


def test_a_release_needs_a_reason_for_each_finding_left(client: Client) -> None:
    document = final_test("RV-2")
    del document["steps"][3]["limits"]["current"]["minimum"]
    document["steps"][3]["settings"]["level"] = "0.9 kV"
    client.add_sequence(document)
    with pytest.raises(RefusedError) as refused:
        client.release_sequence("RV-2", "in a hurry", {"short_of_standard@withstand": "customer"})
    (word,) = refused.value.problem.errors
    assert word.field == "accepted[0].reason" and "write a sentence" in word.message
    reasons = {"short_of_standard@withstand": "the customer's drawing, note 7, asks 0.9 kV"}
    with pytest.raises(RefusedError) as refused:
        client.release_sequence("RV-2", "in a hurry", reasons)
    (left,) = refused.value.problem.errors
    assert left.field == "accepted.empty_nest@withstand" and "Set a minimum" in left.message
    assert client.sequence("RV-2").status == "draft"
    reasons["empty_nest@withstand"] = "the leakage step proves the unit"
    with pytest.raises(RefusedError, match="a second engineer has to leave it"):
        client.release_sequence("RV-2", "as ordered", reasons)
    with second_engineer(client) as other:
        other.release_sequence("RV-2", "as ordered", reasons)
    (revision,) = client.sequence_revisions("RV-2")
    assert revision.release is not None
    kept = {f"{each.rule}@{each.step}": each.reason for each in revision.release.accepted}
    assert kept == reasons


def test_two_who_edit_one_draft_are_told(client: Client) -> None:
    read = client.add_sequence(final_test("RV-3"))
    client.add_sequence(final_test("RV-3", title="Hers"), etag=read.etag)
    with pytest.raises(RefusedError, match="RV-3 was changed by mara meanwhile") as refused:
        client.add_sequence(final_test("RV-3", title="His"), etag=read.etag)
    assert refused.value.problem.status == 412
    assert client.sequence("RV-3").title == "Hers"
    with pytest.raises(RefusedError, match="changed"):
        client.add_sequence(final_test("RV-3"), etag='"0.0"')


def test_a_withdrawn_revision_is_not_run_and_its_runs_keep_it(client: Client) -> None:
    client.add_sequence(final_test("RV-4"))
    client.release_sequence("RV-4", "first issue")
    run = client.create_run("RV-4", "FX-A", {"2": "RV-B"})
    client.abort_run(run.id)
    client.withdraw_sequence("RV-4", "level was wrong")
    with pytest.raises(NotFoundError, match="no released revision of sequence 'RV-4'"):
        client.create_run("RV-4", "FX-A", {"2": "RV-B"})
    with pytest.raises(NotFoundError):
        client.withdraw_sequence("RV-4", "again")
    with pytest.raises(WrongStateError, match="is withdrawn"):
        client.withdraw_sequence("RV-4", "again", revision=1)
    (revision,) = client.sequence_revisions("RV-4")
    assert (revision.status, revision.withdrawn_why) == ("withdrawn", "level was wrong")
    assert client.run(run.id).sequence_revision == 1
    assert client.add_sequence(final_test("RV-4")).revision == 2, "the same again is a new draft"


@pytest.mark.parametrize("second_person", [True, None])
def test_an_operator_sees_released_ones_and_a_second_person_releases(
    tmp_path: Path, second_person: bool | None
) -> None:
    """Asked for, or by default where there are two engineers."""
    bench = copy_bench(tmp_path)
    people = tuple(
        FirstAccount(name, name, role, f"{name}-pass")
        for name, role in (("mara", "engineer"), ("nils", "engineer"), ("olle", "operator"))
    )
    settings = Settings(bench, tmp_path, "http://b", accounts=people, second_person=second_person)

    async def play() -> None:
        app = create_app(settings)
        async with app.router.lifespan_context(app):
            transport = httpx.ASGITransport(app)
            async with httpx.AsyncClient(transport=transport, base_url="http://b/api/v1") as wire:
                tokens = {}
                for name in ("mara", "nils", "olle"):
                    body = {"name": name, "password": f"{name}-pass"}
                    answer = await wire.post("/sign-in", json=body)
                    tokens[name] = {"Authorization": f"Bearer {answer.json()['token']}"}

                async def post(name: str, path: str, body: object) -> httpx.Response:
                    return await wire.post(path, json=body, headers=tokens[name])

                async def seen(name: str) -> list[str]:
                    answer = await wire.get("/sequences", headers=tokens[name])
                    return [each["status"] for each in answer.json()]

                await post("mara", "/products", read_demo("products/dc-40.toml"))
                for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
                    await post("mara", "/limit-sets", read_demo(f"limit-sets/{name}.toml"))
                stored = await post("mara", "/sequences", final_test("RV-5"))
                assert stored.status_code == 201, stored.text
                assert (await seen("olle"), await seen("mara")) == ([], ["draft"])
                missing = await wire.get("/sequences/RV-5", headers=tokens["olle"])
                assert missing.status_code == 404
                grounds = {"why": "first issue"}
                refused = await post("mara", "/sequences/RV-5/release", grounds)
                assert refused.status_code == 403 and "second engineer" in refused.json()["detail"]
                released = await post("nils", "/sequences/RV-5/release", grounds)
                assert released.status_code == 200, released.text
                await post("mara", "/sequences", final_test("RV-5", title="Next"))
                assert (await seen("olle"), await seen("mara")) == (["released"], ["draft"])
                shown = await wire.get("/sequences/RV-5", headers=tokens["olle"])
                assert (shown.json()["revision"], shown.headers["etag"]) == (1, '"1.1"')
                for hidden in ("?revision=2", "/differences?old=1&new=2"):
                    path = f"/sequences/RV-5{hidden}"
                    assert (await wire.get(path, headers=tokens["olle"])).status_code == 404
                    assert (await wire.get(path, headers=tokens["mara"])).status_code == 200
                listed = await wire.get("/sequences/RV-5/revisions", headers=tokens["olle"])
                assert [each["status"] for each in listed.json()] == ["released"]

    asyncio.run(play())


def test_a_unit_passes_without_a_step_that_it_did_not_need(client: Client) -> None:
    document = final_test("RV-6")
    document["steps"][1]["on_fail"] = "carry_on"
    document["steps"][2]["when"] = {"all": [{"step": "earth", "outcome": "fail"}]}
    client.add_sequence(document)
    client.release_sequence("RV-6", "insulation after a failed earth only")
    assert client.sequence("RV-6").steps[2].when == "earth fail"
    run_id = run_load(client, {"1": "RV-W"}, "RV-6")
    (unit,) = client.run(run_id).units
    assert (unit.verdict, unit.certificate_kind) == ("pass", "certificate")
    skipped = next(each for each in unit.attempts if each.step_id == "insulation")
    assert (skipped.verdict, skipped.cause) == ("not_run", "skipped")
    assert skipped.note == "Done only when earth fail."
    assert '"cause":"skipped"' in client.certificate(str(unit.certificate)).replace(" ", "")
    with pytest.raises(RefusedError, match="the unit passed"):
        client.repeat(run_id, "1", "no reason")
