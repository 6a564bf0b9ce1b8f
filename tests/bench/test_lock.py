"""The instrument's own lock: who has it has it alone, whoever else comes, until the link ends."""

import asyncio

import pytest

from loricate.bench.bench import Bench
from loricate.bench.claims import Claimed
from tests.rig import PATIENCE_S, Rig, on_the_way, said


async def ask(rig: Rig, name: str, *lines: str) -> list[str]:
    """What somebody on another link is answered; for a command, the error that it left."""
    instrument = rig.floor.instruments[name]
    reader, writer = await asyncio.open_connection("127.0.0.1", instrument.port)
    answers = []
    for line in lines:
        writer.write(f"{line}\n".encode())
        if not line.endswith("?"):
            writer.write(b"SYSTem:ERRor?\n")
        answers.append((await reader.readline()).decode().strip())
    writer.close()
    await writer.wait_closed()
    return answers


async def test_whoever_comes_second_may_ask_and_change_nothing(rig: Rig) -> None:
    granted, owner, reset, level, identity = await ask(
        rig, "HV1", "SYSTem:LOCK:REQuest?", "SYSTem:LOCK:OWNer?", "*RST", "SOURce:VOLTage 5 kV",
        "*IDN?",
    )  # fmt: skip
    assert granted == "0" and owner.startswith("127.0.0.1:")
    assert reset.startswith("-203") and level.startswith("-203")
    assert identity.startswith("LORICATE,")


async def test_a_second_bench_is_refused_before_its_set_up_and_told_by_whom(rig: Rig) -> None:
    """From another machine, where no lock of the kernel is seen: no *RST reaches an instrument."""
    heard: list[str] = []
    for name in rig.floor.instruments:
        on_the_way(rig, name, lambda line: heard.append(line.strip()) or line)  # type: ignore[func-returns-value]
    second = Bench(rig.bench.plan)
    problems = await second.connect()
    assert len(problems) == len(second.everything)
    assert "is in use by 127.0.0.1:" in problems["HV1"]
    with pytest.raises(Claimed, match=r"in use by 127\.0\.0\.1:"):
        second.claim("another machine")
    second.hang_up()
    assert {line for line in heard if not line.endswith("?")} == set()
    assert await rig.bench.look() == {}, "the first has noticed nothing"


async def test_the_lock_ends_with_its_link_and_is_taken_again_with_the_next(rig: Rig) -> None:
    source = rig.bench.instruments["HV1"]
    for _ in range(5):
        source.link.close()
        await source.connect()
    assert await ask(rig, "HV1", "SYSTem:LOCK:REQuest?") == ["0"]
    rig.bench.hang_up()
    async with asyncio.timeout(PATIENCE_S):  # its links end in their own time
        while await ask(rig, "HV1", "SYSTem:LOCK:OWNer?") != ["NONE"]:
            pass
    assert await ask(rig, "HV1", "SYSTem:LOCK:REQuest?") == ["1"]


async def test_an_answer_that_grants_nothing_and_refuses_nothing_is_no_lock(rig: Rig) -> None:
    source = rig.bench.instruments["HV1"]
    source.link.close()
    said(rig, "HV1", lambda line, answer: "2" if "LOCK" in line else answer)
    with pytest.raises(Exception, match=r"SYSTem:LOCK:REQuest\?"):
        await source.connect()
