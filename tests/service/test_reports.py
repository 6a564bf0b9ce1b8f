"""Reports of units: from the record, for whoever may read, and plain about what has no document."""

import json
import os
from pathlib import Path
from typing import Any

import pytest

from loricate.client import Client, NotFoundError, RefusedError, WrongStateError
from tests import command_line
from tests.conftest import release
from tests.papers.reading import pictures_of, text_of
from tests.service.test_photos import entries, photo


def with_a_cue(code: str) -> dict[str, Any]:
    document = entries(code)
    document["steps"][0]["cues"] = [{"text": "Clip the meter to the panel."}]
    return document


def begun(client: Client, code: str, serial: str) -> str:
    release(client, with_a_cue(code))
    run = client.create_run(code, "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    return run.id


def answered(client: Client, run_id: str) -> None:
    for event in client.events(run_id):
        if event.name == "question":
            client.answer(run_id, "1", "24.1 V", picture=photo(len(event.data["question"])))


def test_a_report_tells_what_was_done_asked_and_shown(
    client: Client, site: dict[str, Any], tmp_path: Path
) -> None:
    run_id = begun(client, "REPORT-1", "RP-1")
    answered(client, run_id)
    client.remark(run_id, "1", "Dent at the rear", picture=photo(200))
    pdf = client.unit_report("RP-1", "photos")
    page = " ".join(text_of(pdf, tmp_path, "-layout").split())
    assert "Before: Clip the meter to the panel." in page
    assert "Panel voltage 24.1 V, " in page and "Dent at the rear" in page
    assert pictures_of(pdf, tmp_path) == 3
    # It passed, and nothing of what the product needs was tested.
    assert "PASS, and not certified." in page and "Expected tests passed" in page
    asked = ("unit", "report", "rp-1", "--depth", "summary", "--to", "r.pdf", "--json")
    environment = {**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token}
    told = command_line.run(*asked, env=environment, cwd=tmp_path)
    written = json.loads(told.stdout)
    summary = (tmp_path / written["file"]).read_bytes()
    assert len(summary) == written["bytes"]
    short = text_of(summary, tmp_path, "-layout")
    assert "Clip the meter" not in short and "PASS, and not certified." in short


def test_there_is_none_of_a_run_that_goes_on_and_steps_never_done_are_named(
    client: Client, tmp_path: Path
) -> None:
    run_id = begun(client, "REPORT-2", "RP-2")
    next(event for event in client.events(run_id) if event.name == "question")
    with pytest.raises(WrongStateError, match="when it has ended"):
        client.unit_report("RP-2")
    client.answer(run_id, "1", "24.1 V", picture=photo())
    events = client.events(run_id)
    next(e for e in events if e.name == "question" and e.data["step"] == "lamp")
    client.abort_run(run_id)
    page = text_of(client.unit_report("RP-2", "summary"), tmp_path, "-layout")
    assert "Never done." in page or "NOT RUN" in page
    assert "PASS" not in page.split("Readings")[0]


def test_a_wrong_question_names_its_field(client: Client) -> None:
    with pytest.raises(NotFoundError, match="NO-SUCH"):
        client.unit_report("NO-SUCH")
    run_id = begun(client, "REPORT-3", "RP-3")
    answered(client, run_id)
    with pytest.raises(RefusedError, match="depth"):
        client.unit_report("RP-3", "deep")
    with pytest.raises(NotFoundError):
        client.unit_report("RP-3", run_id="no-run")
    other = begun(client, "REPORT-4", "RP-4")
    answered(client, other)
    with pytest.raises(NotFoundError, match="RP-3"):
        client.unit_report("RP-3", run_id=other)
