"""Links over TCP and VISA: answers, time-outs, and that a late answer never meets a later query."""

import asyncio
import contextlib
from collections.abc import AsyncIterator

import pytest

from loricate.bench.errors import LinkFailed
from loricate.bench.links import Link, TcpLink, make_link


@pytest.fixture
async def echo_port() -> AsyncIterator[int]:
    """An instrument that answers a query with itself; `slow?` answers late, `hang?` hangs up."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(asyncio.CancelledError):
            while line := await reader.readline():
                if line.startswith(b"hang?"):
                    break
                if line.startswith(b"slow?"):
                    await asyncio.sleep(2)
                if b"?" in line:
                    writer.write(line)
        writer.close()

    server = await asyncio.start_server(talk, "127.0.0.1", 0)
    yield server.sockets[0].getsockname()[1]
    server.close()


@pytest.fixture(params=["tcp://127.0.0.1:{port}", "visa:TCPIP::127.0.0.1::{port}::SOCKET"])
async def link(request: pytest.FixtureRequest, echo_port: int) -> AsyncIterator[Link]:
    """The same instrument over each back end."""
    link = make_link("X1", request.param.format(port=echo_port), timeout_s=1.0)
    await link.open()
    yield link
    link.close()
    await asyncio.sleep(0.05)


async def test_a_query_gives_its_own_answer(link: Link) -> None:
    assert [await link.query(f"{n}?") for n in range(5)] == [f"{n}?" for n in range(5)]


async def test_a_write_has_no_answer_and_a_sent_now_line_does_not_wait(link: Link) -> None:
    await link.write("set")
    link.send_now("stop")
    assert await link.query("next?") == "next?"
    assert link.is_open


async def test_an_instrument_that_hangs_up_is_told(link: Link) -> None:
    with pytest.raises(LinkFailed, match="X1"):
        await link.query("hang?")
        await link.query("after?")
    assert not link.is_open


async def test_a_late_answer_never_meets_the_next_query(echo_port: int) -> None:
    link = TcpLink("X1", f"tcp://127.0.0.1:{echo_port}", timeout_s=0.5)
    await link.open()
    with pytest.raises(LinkFailed, match=r"did not answer within 0\.5 s"):
        await link.query("slow?")
    with pytest.raises(LinkFailed, match="not connected"):
        await link.query("first?")
    await link.open()
    assert await link.query("second?") == "second?"
    link.close()


async def test_a_cancelled_query_gives_up_its_link(echo_port: int) -> None:
    link = TcpLink("X1", f"tcp://127.0.0.1:{echo_port}")
    await link.open()
    asking = asyncio.ensure_future(link.query("slow?"))
    await asyncio.sleep(0.05)
    asking.cancel()
    with pytest.raises(asyncio.CancelledError):
        await asking
    assert not link.is_open


@pytest.mark.parametrize("address", ["tcp://127.0.0.1:1", "visa:TCPIP::127.0.0.1::1::SOCKET"])
async def test_nobody_there_is_told_with_address_and_remedy(address: str) -> None:
    link = make_link("X1", address, timeout_s=1.0)
    with pytest.raises(LinkFailed) as failed:
        await link.open()
        await link.query("*IDN?")
    assert address in str(failed.value) and "check that it is on" in str(failed.value)
    link.close()
    await asyncio.sleep(0.05)


def test_an_address_of_another_form_is_refused() -> None:
    with pytest.raises(LinkFailed, match="neither"):
        make_link("X1", "gopher://x")
