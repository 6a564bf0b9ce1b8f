"""Messages to other systems: each gets there once, in order, and says what the record says."""

import asyncio
import base64
import json
import shutil
import ssl
from collections.abc import AsyncIterator
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import pytest
from drill.sends import send_through_trouble

from loricate.certificates.acts import Signer
from loricate.core.errors import DocumentError
from loricate.core.messages import shaped
from loricate.records import outbox
from loricate.service import sending
from loricate.service.messaging import AT_ONCE, Messenger
from loricate.service.sending import Sender
from loricate.service.site_file import SendPlan, read_site_plan
from loricate.service.targets import target_of
from loricate.simulator.receiver import TROUBLES, Receiver
from tests.service.live_rig import Live
from tests.service.test_assets import NUMBER, QUICK, describe, have_tested
from tests.service.test_tls import write_certificate

SECRET = base64.b64encode(b"a secret of thirty-two bytes, so").decode()


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is put off is not put off for long."""
    monkeypatch.setattr(outbox, "FIRST_WAIT_S", 0.02)
    monkeypatch.setattr(outbox, "LONGEST_WAIT_S", 0.2)
    monkeypatch.setattr(sending, "LOOK_S", 0.05)


class Works:
    """A service and the manufacturing system that it sends to."""

    def __init__(self, live: Live, receiver: Receiver) -> None:
        self.live, self.receiver = live, receiver

    async def connect(self, **plan: Any) -> None:
        """Have the service send to it, as its site file would."""
        desk, folder = self.live.desk, self.live.desk.settings.site_folder
        (folder / "send.secret").write_text(SECRET)
        chosen = SendPlan.model_validate(
            {
                "name": "works",
                "to": f"http://127.0.0.1:{self.receiver.port}/messages",
                "what": ("document", "test", "device"),
                "secret_file": "send.secret",
                "within_s": 0.3,
                **plan,
            }
        )
        await desk.sender.close()
        messenger = desk.messenger
        await messenger.close()
        messenger.plans = (chosen,)
        messenger.targets.update(
            Messenger((chosen,), folder, desk.store, "Quillmere", "BENCH-2").targets
        )
        sender = Sender(desk.store)
        sender.add("works", partial(messenger.send, chosen), AT_ONCE)
        sender.open()
        desk.sender = desk.keeper.sender = sender

    async def waiting(self) -> list[dict[str, Any]]:
        """What still waits for it."""
        found = await self.live.get("/outbox?waiting=true")
        return [each for each in found if each["target"] == "works"]

    async def until_sent(self, count: int = 1) -> list[dict[str, Any]]:
        """What it has taken, in order, once it is so many and nothing waits for it."""

        async def all_sent() -> bool:
            return len(self.receiver.taken) >= count and not await self.waiting()

        await self.live.until(all_sent)
        return [each.message for each in self.receiver.taken.values()]

    async def until_stuck(self, *said: str) -> dict[str, Any]:
        """An entry that waits with a problem which says this."""

        async def stuck() -> Any:
            for each in await self.waiting():
                if each["problem"] and all(words in each["problem"] for words in said):
                    return each
            return None

        found: dict[str, Any] = await self.live.until(stuck)
        return found


@pytest.fixture
async def works(live: Live) -> AsyncIterator[Works]:
    receiver = Receiver(SECRET, late_s=0.5)
    await receiver.serve("127.0.0.1", 0)
    yield Works(live, receiver)
    await receiver.close()


async def test_ten_thousand_documents_in_short_get_through_a_bad_system() -> None:
    """What `make drill` does with 10,000: none lost, none doubled, none out of order."""
    lines: list[str] = []
    sent = await send_through_trouble(300, 20261202, lines.append, services=2)
    assert sent.faults == [] and sent.taken == 300, lines
    assert sent.times > sent.taken, "answers were lost"


@pytest.mark.parametrize("trouble", TROUBLES)
async def test_each_trouble_by_itself_loses_and_doubles_nothing(works: Works, trouble: str) -> None:
    await works.connect()
    works.receiver.troubles, works.receiver.share = (trouble,), 0.5

    def queue(conn: Any) -> None:
        for n in range(24):
            body = json.dumps({"kind": "test", "n": n})
            outbox.add_message(conn, "works", str(n), f"U{n % 3}", {"kind": "test", "body": body})

    await works.live.desk.store.write(queue)
    taken = await works.until_sent()
    assert sorted(each["n"] for each in taken) == list(range(24))
    for unit in range(3):
        own = [each["n"] for each in taken if each["n"] % 3 == unit]
        assert own == sorted(own), "those of a unit come in their order"
    assert all(each.is_the_same for each in works.receiver.taken.values())


async def test_what_is_told_of_a_unit_is_what_the_record_says(works: Works) -> None:
    await works.connect()
    await works.live.release(QUICK)
    await describe(works.live)
    run = await have_tested(works.live, NUMBER, "open_earth")
    taken = await works.until_sent(3)
    by_kind = {each["kind"]: each for each in taken}
    assert [each["kind"] for each in taken] == ["document", "test", "device"]
    (unit,) = (await works.live.get(f"/runs/{run['id']}"))["units"]
    test = by_kind["test"]["test"]
    told = {name: test[name] for name in unit if name != "paper"}  # which is made afterwards
    assert told == {name: unit[name] for name in told}, "to the last digit and bound"
    number = unit["certificate"]
    document = by_kind["document"]["document"]
    assert document["number"] == number == test["certificate"]
    found = await works.live.wire.post("/verify", content=document["sealed"].encode())
    assert found.json()["genuine"] and found.json()["number"] == number
    device = by_kind["device"]["device"]
    assert (device["state"], device["test"]["verdict"]) == ("in_repair", "fail")
    assert {each["unit"]["asset"] for each in taken} == {NUMBER}


async def test_an_act_is_told_of_each_unit_that_it_is_on(works: Works) -> None:
    await works.connect(what=("document",))
    await works.live.release(QUICK)
    await describe(works.live)
    await have_tested(works.live, NUMBER, "open_earth")
    first = await works.until_sent()
    number = first[0]["document"]["number"]
    await works.live.desk.acts.revoke(
        number, "source was wrong", Signer("ines", "Ines Quay", "quality")
    )

    async def told() -> Any:
        found = [each.message for each in works.receiver.taken.values()]
        return found[1:] if len(found) > len(first) else None

    (act,) = await works.live.until(told)
    assert (act["document"]["kind"], act["document"]["about"]) == ("revocation", number)
    assert act["unit"]["serial"] == first[0]["unit"]["serial"]


async def test_a_system_that_hangs_delays_no_run(works: Works) -> None:
    await works.connect(within_s=30.0)
    works.receiver.troubles, works.receiver.late_s = ("SILENT",), 60.0
    await works.live.release(QUICK)
    await describe(works.live)
    first = await have_tested(works.live, NUMBER)
    again = await have_tested(works.live, NUMBER)
    assert first["state"] == again["state"] == "finished"
    assert not works.receiver.taken and len(await works.waiting()) > 1


async def test_a_message_that_is_refused_holds_up_its_own_unit_until_it_is_left_out(
    works: Works, monkeypatch: pytest.MonkeyPatch
) -> None:
    await works.connect()
    keep = Receiver._keep
    refused = httpx.Response(422, json={"detail": "Its order is not known here."})

    def picky(request: httpx.Request) -> httpx.Response:
        told = json.loads(request.content)
        if told["n"] == 0:
            return refused
        keep(works.receiver, request.headers["webhook-id"], request.content)
        return httpx.Response(204)

    target = works.live.desk.messenger.targets["works"]
    wire = httpx.MockTransport(picky)
    monkeypatch.setattr(target, "_wire", httpx.AsyncClient(transport=wire))

    def queue(conn: Any) -> None:
        for n in range(4):
            body = json.dumps({"kind": "test", "n": n})
            outbox.add_message(conn, "works", str(n), f"U{n % 2}", {"kind": "test", "body": body})

    await works.live.desk.store.write(queue)
    stuck = await works.until_stuck("422", "not known here")
    await works.live.until(partial(_have_come, works, {1, 3}))
    assert stuck["is_message"] and stuck["subject"] == "0"
    waiting = {each["subject"]: each for each in await works.waiting()}
    assert set(waiting) == {"0", "2"}
    assert (waiting["0"]["behind"], waiting["2"]["behind"]) == (None, stuck["id"])
    path = f"/outbox/{stuck['id']}/leaving"
    short = await works.live.wire.post(path, json={"reason": ""})
    assert short.status_code == 422 and "reason" in short.text
    left = await works.live.post(path, {"reason": "its order was deleted"})
    assert left["left_out"] == "mara: its order was deleted"
    await works.live.until(partial(_have_come, works, {1, 2, 3}))
    twice = await works.live.post(path, {"reason": "once more"}, status=409)
    assert "does not wait" in twice["detail"]
    trail = await works.live.get("/audit?action=leave out")
    assert trail[0]["detail"] == "its order was deleted"


async def _have_come(works: Works, numbers: set[int]) -> bool:
    return {each.message["n"] for each in works.receiver.taken.values()} == numbers


async def test_what_is_no_message_is_not_left_out(live: Live) -> None:
    await live.desk.sender.close()
    await live.desk.store.write(lambda conn: outbox.add_outgoing(conn, "paper", "C-1", {}))
    (entry,) = await live.get("/outbox?waiting=true")
    assert not entry["is_message"]
    refused = await live.post(f"/outbox/{entry['id']}/leaving", {"reason": "do not"}, status=409)
    assert "is no message to another system" in refused["detail"]
    missing = await live.post("/outbox/4711/leaving", {"reason": "do not"}, status=404)
    assert "4711" in missing["detail"]


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        ("secret", "holds no secret"),
        ("empty", "is empty"),
        ("gone", "cannot be read"),
        ("another", "It is not signed by who may"),
    ],
)
async def test_a_secret_that_is_none_is_told_and_put_right_without_a_restart(
    works: Works, spoil: str, says: str
) -> None:
    await works.connect()
    path = works.live.desk.settings.site_folder / "send.secret"
    texts = {"secret": "ä?", "empty": "\n", "another": base64.b64encode(b"x" * 32).decode()}
    if spoil == "gone":
        path.unlink()
    else:
        path.write_text(texts[spoil])
    facts = {"kind": "test", "body": '{"kind": "test"}'}
    await works.live.desk.store.write(
        lambda conn: outbox.add_message(conn, "works", "1", "U", facts)
    )
    await works.until_stuck(says)
    assert not works.receiver.taken
    path.write_text(f"{SECRET}\n")
    assert len(await works.until_sent()) == 1


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        (
            httpx.Response(302, headers={"location": "http://else/"}),
            "sends posts on to http://else/",
        ),
        (httpx.Response(200, html="<p>Sign in</p>"), "answers with a page"),
        (httpx.Response(401, json={"title": "Who are you?"}), "401 (Who are you?)"),
        (httpx.Response(200, content=b"x" * 70_000), "more than 65536 bytes"),
        (httpx.Response(100), "answers 100"),
    ],
    ids=["redirect", "page", "stranger", "endless", "continue"],
)
async def test_only_an_answer_of_its_own_says_that_a_message_was_taken(
    works: Works, monkeypatch: pytest.MonkeyPatch, answer: httpx.Response, says: str
) -> None:
    await works.connect()
    wire = httpx.MockTransport(lambda request: answer)
    target = works.live.desk.messenger.targets["works"]
    monkeypatch.setattr(target, "_wire", httpx.AsyncClient(transport=wire))
    facts = {"kind": "test", "body": '{"kind": "test"}'}
    await works.live.desk.store.write(
        lambda conn: outbox.add_message(conn, "works", "1", "U", facts)
    )
    await works.until_stuck(says)


async def test_a_system_may_answer_with_an_id_of_its_own(
    works: Works, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As many do, of what they made of it; unless the site says that it names the message."""
    await works.connect()
    wire = httpx.MockTransport(lambda request: httpx.Response(201, json={"id": 4711}))
    target = works.live.desk.messenger.targets["works"]
    monkeypatch.setattr(target, "_wire", httpx.AsyncClient(transport=wire))
    facts = {"kind": "test", "body": '{"kind": "test"}'}
    await works.live.desk.store.write(
        lambda conn: outbox.add_message(conn, "works", "1", "U", facts)
    )

    async def sent() -> bool:
        return await works.live.desk.store.read(outbox.count_waiting) == 0

    await works.live.until(sent)


async def test_a_system_that_answers_by_id_is_believed_for_no_other_answer(works: Works) -> None:
    await works.connect(answers="id")
    works.receiver.troubles = ("NONSENSE", "ANOTHER")
    facts = {"kind": "test", "body": '{"kind": "test"}'}
    await works.live.desk.store.write(
        lambda conn: outbox.add_message(conn, "works", "1", "U", facts)
    )
    await works.until_stuck("127.0.0.1")
    works.receiver.troubles = ()
    assert len(await works.until_sent()) == 1


async def test_what_waits_for_a_system_that_nobody_names_says_so(live: Live) -> None:
    await live.desk.store.write(
        lambda conn: outbox.add_message(conn, "gone", "1", "U", {"kind": "test", "body": "{}"})
    )
    await live.desk.sender.close()
    live.desk.sender.open()
    (entry,) = await live.get("/outbox?waiting=true")
    assert "names no 'gone' any more" in entry["problem"]
    await live.post(f"/outbox/{entry['id']}/leaving", {"reason": "that system is gone"})
    assert await live.get("/outbox?waiting=true") == []


def test_a_receiver_takes_it_in_its_own_words() -> None:
    message = {"id": "7", "unit": {"serial": "S-1"}, "test": {"verdict": "pass", "rows": ["pass"]}}
    fields = {"SN": "unit.serial", "RESULT": "test.verdict", "DOC": "document.number", "N": "id.x"}
    words = {"pass": "OK"}
    assert shaped(message, fields, words) == {"SN": "S-1", "RESULT": "OK", "DOC": None, "N": None}
    assert shaped(message, {}, words)["test"] == {"verdict": "OK", "rows": ["OK"]}
    assert shaped(message, {}, {}) == message


async def test_a_system_whose_certificate_nobody_knows_is_trusted_by_its_own_file(
    works: Works, tmp_path: Path
) -> None:
    """And by nothing else: who is in between is told nothing."""
    write_certificate(tmp_path / "works.pem")
    trust = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    trust.load_cert_chain(tmp_path / "works.pem")
    await works.receiver.close()
    await works.receiver.serve("127.0.0.1", 0, trust)
    facts = {"kind": "test", "body": '{"kind": "test"}'}
    to = f"https://localhost:{works.receiver.port}/messages"
    await works.connect(to=to, within_s=30.0)
    await works.live.desk.store.write(
        lambda conn: outbox.add_message(conn, "works", "1", "U", facts)
    )
    await works.until_stuck("CERTIFICATE_VERIFY_FAILED")
    assert not works.receiver.taken
    shutil.copy(tmp_path / "works.pem", works.live.desk.settings.site_folder / "ca.pem")
    await works.connect(to=to, within_s=30.0, ca_file="ca.pem")
    assert len(await works.until_sent()) == 1


def test_certificates_that_are_none_are_told_at_the_start(tmp_path: Path) -> None:
    (tmp_path / "ca.pem").write_text("none")
    for name in ("ca.pem", "gone.pem"):
        plan = SendPlan(name="works", to="https://w/x", ca_file=name)
        with pytest.raises(DocumentError, match=f"names {name}, which holds no certificates"):
            target_of(plan, tmp_path)


WHERE = 'name = "works"\nto = "http://w/x"\n'


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ('name = "works"', "to"),
        ('name = "works"\nto = "ftp://w/x"', "to"),
        ('name = "works"\nto = "mqtt://broker"', "to"),
        ('name = "works"\nto = "mqtt://broker/a/#"', "to"),
        ('name = "carry"\nto = "http://w/x"', "one of its own"),
        (WHERE + 'what = ["all"]', "what"),
        (WHERE + "what = []", "what"),
        (WHERE + 'account = "b"', "token_file"),
        ('name = "b"\nto = "mqtt://b/t"\nanswers = "id"', "broker"),
        (WHERE + 'fields = { SN = "unit.serail" }', "'serail' in 'unit.serail'"),
        (WHERE + 'fields = { SN = "id.x" }', "has no parts"),
        (WHERE + 'fields = { SN = "test.attempts.step" }', "has no parts"),
        (WHERE + "[[send]]\n" + WHERE, "'works' twice"),
    ],
)
def test_a_site_file_that_names_what_is_none_says_where(
    tmp_path: Path, entry: str, says: str
) -> None:
    path = tmp_path / "site.toml"
    path.write_text(f'format = "loricate-site/1"\n[[send]]\n{entry}\n')
    with pytest.raises(DocumentError) as error:
        read_site_plan(path)
    assert says in str(error.value) and "send" in str(error.value)


async def test_what_was_sent_is_kept_once_for_all_and_holds_nothing_any_more(works: Works) -> None:
    await works.connect(within_s=30.0)
    facts = {"kind": "test", "body": '{"kind": "test"}'}

    def queue(conn: Any) -> None:
        for n in range(40):
            outbox.add_message(conn, "works", str(n), f"U{n}", facts)

    await works.live.desk.store.write(queue)
    await works.until_sent()
    found = await works.live.desk.store.read(lambda conn: outbox.list_outgoing(conn, 100))
    assert {each.tries for each in found} == {1} and {str(each.facts) for each in found} == {"{}"}
    assert len({each.key for each in found}) == 40
    await asyncio.sleep(0.2)
    assert all(each.times == 1 for each in works.receiver.taken.values()), "and none again"
