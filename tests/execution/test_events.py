"""The event log: ordered, resumable, and never held up by a slow watcher."""

import asyncio

from loricate.execution.events import EventLog


async def test_a_watcher_gets_what_was_and_what_comes_in_order() -> None:
    log = EventLog()
    log.publish("first", n=1)
    seen = []

    async def watch() -> None:
        async for event in log.follow():
            seen.append((event.number, event.name))

    watching = asyncio.ensure_future(watch())
    await asyncio.sleep(0)
    log.publish("second", n=2)
    log.close()
    await watching
    assert seen == [(1, "first"), (2, "second")]


async def test_a_watcher_resumes_after_the_last_event_it_saw() -> None:
    log = EventLog()
    for n in range(5):
        log.publish("n", n=n)
    log.close()
    assert [event.number async for event in log.follow(3)] == [4, 5]
    assert [event.number async for event in log.follow(99)] == []


async def test_a_slow_watcher_misses_nothing_and_holds_nobody_up() -> None:
    log = EventLog()
    seen = []

    async def slow() -> None:
        async for event in log.follow():
            await asyncio.sleep(0.001)
            seen.append(event.number)

    watching = asyncio.ensure_future(slow())
    for n in range(50):
        log.publish("n", n=n)  # publishing does not wait
    log.close()
    await watching
    assert seen == list(range(1, 51))


async def test_a_watcher_that_goes_leaves_nothing_behind() -> None:
    log = EventLog()

    async def watch() -> None:
        async for _ in log.follow():
            pass

    watching = asyncio.ensure_future(watch())
    await asyncio.sleep(0)
    assert len(log._watchers) == 1
    watching.cancel()
    await asyncio.wait([watching])
    await asyncio.sleep(0)
    assert not log._watchers
