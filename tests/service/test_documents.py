"""Documents after they were issued: found, revoked, approved, superseded, verified by whoever."""

import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest

from loricate.certificates.form import SealedFile
from loricate.certificates.verifying import verify
from loricate.client import (
    Client,
    NotAllowedError,
    NotFoundError,
    RefusedError,
    WrongStateError,
)
from tests.conftest import run_load
from tests.papers.reading import signatures_of, text_of
from tests.rig import PATIENCE_S

GOOD = "DC40-26-0117"


def certified(client: Client, lot: str = "") -> str:
    """The number of a fresh certificate."""
    unit = client.run(run_load(client, {"1": GOOD}, lot=lot)).units[0]
    assert unit.certificate_kind == "certificate" and unit.paper == "made", unit.not_certified
    return str(unit.certificate)


def settled(client: Client, number: str) -> Any:
    """The document in the list, once its paper says how it stands."""
    client.certificate_pdf(number)
    return next(each for each in client.certificates(number=number) if each.number == number)


def verified(client: Client, data: bytes) -> Any:
    """A file verified offline, with the site's keys and its list of now."""
    return verify(data, client.site_keys().model_dump(), client.revocations())


def test_what_quality_revokes_counts_no_longer_anywhere(
    client: Client, quality: Client, tmp_path: Any
) -> None:
    number = certified(client)
    sealed, before = client.certificate(number).encode(), client.certificate_pdf(number)
    made = quality.revoke(number, "Bond source out of tolerance")
    assert made.startswith("X-")
    assert settled(client, number).revoked_by == made
    page = client.verify(number)
    assert (page.status, page.genuine) == ("revoked", True) and "out of tolerance" in page.revoked
    for data in (sealed, before, client.certificate(number).encode()):
        found = verified(client, data)
        assert found.genuine and not found.counts and "out of tolerance" in found.revoked
    now = client.certificate_pdf(number)
    assert "REVOKED" in text_of(now, tmp_path) and verified(client, now).genuine
    assert client.unit(GOOD)[0].revoked == made
    assert next(each for each in client.find_units(GOOD)).revoked == made
    with pytest.raises(WrongStateError, match="revoked already"):
        quality.revoke(number, "once more")
    assert json.loads(client.certificate(made))["document"]["revokes"]["number"] == number
    assert client.ledger().whole and client.check_records().faults == []


def test_only_quality_revokes_and_approves(client: Client) -> None:
    number = certified(client)
    with pytest.raises(NotAllowedError, match="takes the role quality"):
        client.revoke(number, "because")
    with pytest.raises(NotAllowedError, match="takes the role quality"):
        client.approve([number])
    assert client.verify(number).status == "genuine"


def test_what_cannot_be_revoked_is_told_why(client: Client, quality: Client) -> None:
    with pytest.raises(NotFoundError):
        quality.revoke("C-2020-000001", "because")
    with pytest.raises(RefusedError, match="reason"):
        quality.revoke("C-2020-000001", "")
    approval = quality.approve([certified(client)])
    with pytest.raises(WrongStateError, match="kind approval"):
        quality.revoke(approval, "because")


def test_two_who_revoke_at_once_make_one_revocation(client: Client, quality: Client) -> None:
    number = certified(client)
    came: list[str] = []

    def revoke(reason: str) -> None:
        with Client(quality.base_url, token=quality.token) as other:
            try:
                came.append(other.revoke(number, reason))
            except WrongStateError as error:
                came.append(str(error))

    both = [threading.Thread(target=revoke, args=(f"reason {n}",)) for n in range(2)]
    for each in both:
        each.start()
    for each in both:
        each.join()
    assert sorted(each[:2] for each in came)[-1] == "X-" and len(came) == 2
    assert sum(each.startswith("X-") for each in came) == 1, came
    assert client.ledger().whole


def test_an_approval_is_a_second_signature_in_data_and_paper(
    client: Client, quality: Client, tmp_path: Any
) -> None:
    number = certified(client)
    made = quality.approve([number], note="Looked at the curves")
    assert settled(client, number).approvals == 1
    sealed = json.loads(client.certificate(number))
    SealedFile.model_validate(sealed)
    (act,) = sealed["standing"]["approvals"]
    assert act["document"]["number"] == made
    assert act["document"]["approved_by"] == {
        "account": "ines", "name": "Ines Quay", "role": "quality",
    }  # fmt: skip
    pdf = client.certificate_pdf(number)
    assert signatures_of(pdf, tmp_path).count("Signature is Valid") == 2
    assert "Ines Quay (ines)" in " ".join(text_of(pdf, tmp_path).split())
    for data in (pdf, client.certificate(number).encode()):
        found = verified(client, data)
        assert found.counts and len(found.standing.approvals) == 1
    assert [each.number for each in client.verify(number).approvals] == [made]
    with pytest.raises(RefusedError, match="approved already"):
        quality.approve([number])


def test_a_lot_is_summed_up_and_approved_as_a_whole(
    client: Client, quality: Client, tmp_path: Any
) -> None:
    client.open_lot("L-APPROVED", "DC-40", f"{GOOD}..DC40-26-0118")
    run_load(client, {"1": GOOD, "2": "DC40-26-0118"}, lot="L-APPROVED")
    first = quality.issue_summary("L-APPROVED")
    second = client.issue_summary("L-APPROVED")
    assert client.verify(first).superseded_by == second
    sealed = json.loads(client.certificate(second))
    SealedFile.model_validate(sealed)
    assert sealed["document"]["lot"]["tested"] == 2
    waiting = {each.number for each in client.certificates(lot="L-APPROVED", standing="unapproved")}
    assert second in waiting and first not in waiting and len(waiting) == 3
    made = quality.approve(lot="L-APPROVED")
    assert set(client.certificates(number=made)[0].about) == waiting
    assert client.certificates(lot="L-APPROVED", standing="unapproved")[0].kind == "approval"
    with pytest.raises(WrongStateError, match="no document that waits"):
        quality.approve(lot="L-APPROVED")
    found = verified(client, client.certificate_pdf(second))
    assert found.counts and found.standing.approvals
    assert "L-APPROVED" in text_of(client.certificate_pdf(second), tmp_path)
    closed = client.close_lot("L-APPROVED")
    assert closed.state == "closed"
    newest = client.certificates(kind="lot", lot="L-APPROVED")[0]
    assert newest.supersedes == second, "closing a lot issues its summary"
    assert client.ledger().whole


def test_two_who_sum_up_at_once_leave_one_summary_that_counts(client: Client) -> None:
    client.open_lot("L-TWICE", "DC-40", f"{GOOD}..DC40-26-0118")

    def sum_up(_: int) -> str:
        with Client(client.base_url, token=client.token) as other:
            return other.issue_summary("L-TWICE")

    with ThreadPoolExecutor(4) as pool:
        made = list(pool.map(sum_up, range(4)))
    assert len(set(made)) == 4
    assert [each.number for each in client.certificates(lot="L-TWICE", standing="counts")] == [
        max(made)
    ]
    assert client.ledger().whole


def test_nothing_is_approved_that_does_not_count(client: Client, quality: Client) -> None:
    number = certified(client)
    quality.revoke(number, "because of a test")
    with pytest.raises(RefusedError, match="is revoked"):
        quality.approve([number])
    with pytest.raises(RefusedError, match="one document at least"):
        quality.approve([])


def test_a_superseded_document_says_by_what(client: Client, tmp_path: Any) -> None:
    run_id = run_load(client, {"3": "DC40-26-0119"})
    before = str(client.run(run_id).units[0].certificate)
    client.repeat(run_id, "3", "insulator was wiped", step="withstand")
    client.arm_run(run_id)
    client.start_run(run_id)
    for event in client.events(run_id):
        if event.name == "question":
            client.answer(run_id, event.data["nest"], event.data["choices"][0])
    after = str(client.wait_for_papers(run_id).units[0].certificate)
    assert after != before and settled(client, before).superseded_by == after
    pdf = client.certificate_pdf(before)
    assert f"SUPERSEDED: {after}" in text_of(pdf, tmp_path)
    found = verified(client, pdf)
    assert found.genuine and not found.counts and found.standing.superseded_by == after
    assert client.verify(before).status == "superseded"


def test_the_list_is_read_a_page_at_a_time_and_by_what_is_wanted(client: Client) -> None:
    certified(client)
    certified(client)
    first = client.certificates(count=1)
    second = client.certificates(count=1, before=first[0].position)
    assert second[0].position < first[0].position
    whole = client.certificates(count=500)
    assert [each.position for each in whole] == sorted(
        (each.position for each in whole), reverse=True
    )
    for each in client.certificates(serial="DC40-26-01*", kind="certificate"):
        assert each.serial.startswith("DC40-26-01") and each.product == "DC-40"
    assert client.certificates(serial="DC40_26%") == []
    assert client.certificates(number="C-1999") == []


def test_a_file_is_verified_by_upload_against_the_ledger_of_now(
    client: Client, quality: Client
) -> None:
    number = certified(client)
    pdf, sealed = client.certificate_pdf(number), client.certificate(number)
    for data in (pdf, sealed.encode()):
        found = client.verify_file(data)
        assert found.genuine and found.counts and found.number == number and found.checked
    spoilt = client.verify_file(sealed.replace('"pass"', '"fail"').encode())
    assert not spoilt.genuine and spoilt.faults
    assert not client.verify_file(b"nonsense").genuine
    quality.revoke(number, "because of a test")
    assert not client.verify_file(pdf).counts


def test_a_paper_is_made_again_when_it_is_gone(
    client: Client, quality: Client, site: dict[str, Any]
) -> None:
    number = certified(client)
    newest = max(
        (path for path in (site["folder"] / "papers").rglob("*") if path.is_file()),
        key=lambda path: path.stat().st_mtime_ns,
    )
    kept = newest.read_bytes()
    newest.unlink()
    assert not client.ledger().whole
    with pytest.raises(NotFoundError, match="paper"):
        client.certificate_pdf(number)
    quality.draw_again(number)
    assert verified(client, client.certificate_pdf(number)).genuine
    newest.write_bytes(kept)  # put back, so that the ledger of the shared site is whole again
    assert client.ledger().whole


def test_no_clean_copy_of_what_was_revoked_is_given_while_the_marked_one_cannot_be_made(
    client: Client, quality: Client, site: dict[str, Any], tmp_path: Any
) -> None:
    number = certified(client)
    papers = site["folder"] / "papers"
    papers.rename(tmp_path / "papers")
    papers.write_text("no folder")
    try:
        quality.revoke(number, "because of a test")
        with pytest.raises((WrongStateError, NotFoundError)):
            client.certificate_pdf(number)
    finally:
        papers.unlink()
        (tmp_path / "papers").rename(papers)
    client.try_outbox()
    until = time.monotonic() + PATIENCE_S
    while client.certificates(number=number)[0].paper != "made" and time.monotonic() < until:
        time.sleep(0.05)
    assert "REVOKED" in text_of(client.certificate_pdf(number), tmp_path)


@pytest.mark.parametrize("status", ["genuine", "revoked", "unknown"])
def test_the_public_page_is_light_and_says_plainly_how_it_stands(
    client: Client, quality: Client, status: str
) -> None:
    number = "C-1999-000001" if status == "unknown" else certified(client)
    if status == "revoked":
        quality.revoke(number, "<script>alert(1)</script> & so on")
    answer = httpx.get(f"{client.base_url}/verify/{number}", timeout=PATIENCE_S)
    assert answer.status_code == (404 if status == "unknown" else 200)
    assert len(answer.content) <= 30_000 and "<script" not in answer.text
    assert status.capitalize() in answer.text
    assert "default-src 'none'" in answer.headers["content-security-policy"]
    assert answer.headers["content-type"].startswith("text/html")


def test_however_many_ask_at_once_nothing_false_is_said_and_engineers_do_not_wait(
    client: Client,
) -> None:
    """Anybody may ask, so anybody may ask too often."""
    number = certified(client)

    def ask(_: int) -> tuple[int, bool, bool]:
        answer = httpx.get(f"{client.base_url}/verify/{number}", timeout=PATIENCE_S)
        return answer.status_code, ">Genuine<" in answer.text, "Not checked" in answer.text

    with ThreadPoolExecutor(40) as pool:
        asked = [pool.submit(ask, n) for n in range(120)]
        for _ in range(5):
            assert client.sequence_file("DC40-FINAL"), "what engineers ask for has its own room"
    came = {each.result() for each in asked}
    assert came <= {(200, True, False), (503, False, True)} and (200, True, False) in came


@pytest.mark.parametrize("number", ["x" * 5000, "%00", "<b>", "C-2026-000001%0a"])
def test_the_public_page_answers_nonsense_with_unknown(client: Client, number: str) -> None:
    answer = httpx.get(f"{client.base_url}/verify/{number}", timeout=PATIENCE_S)
    assert answer.status_code == 404 and len(answer.content) <= 30_000


def test_ambient_conditions_are_said_once_a_shift_and_stand_on_the_certificate(
    client: Client, tmp_path: Any
) -> None:
    noted = client.note_ambient("70.7 °F", "45 %")
    assert (noted.temperature, noted.humidity, noted.holds) == ("21.5 °C", "45 %", True)
    number = certified(client)
    told = json.loads(client.certificate(number))["document"]["ambient"]
    assert (told["temperature"], told["humidity"]) == ("21.5 °C", "45 %")
    text = " ".join(text_of(client.certificate_pdf(number), tmp_path).split())
    assert "21.5 °C, 45 %" in text and "Mara Quill (mara)" in text


@pytest.mark.parametrize(
    ("temperature", "humidity", "says"),
    [("warm", "", "temperature"), ("21", "", "temperature"), ("900 °C", "", "nobody tests"),
     ("21 °C", "145 %", "humidity"), ("21 °C", "45", "humidity")],
)  # fmt: skip
def test_what_no_thermometer_says_is_refused_with_the_field(
    client: Client, temperature: str, humidity: str, says: str
) -> None:
    with pytest.raises(RefusedError, match=says):
        client.note_ambient(temperature, humidity)
