"""The event log: ordered, resumable, and never held up by a slow watcher."""

import asyncio
import itertools

from loricate.execution.events import MOST_SAMPLES, EventLog


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
    assert log.watched_by == 1
    watching.cancel()
    await asyncio.wait([watching])
    await asyncio.sleep(0)
    assert log.watched_by == 0


async def test_what_a_run_remembers_stays_in_bounds_however_long_it_is() -> None:
    """A late watcher gets the course of the step under way, and the last look of those before."""
    log = EventLog()
    for step in ("long", "longer"):
        for nest in ("1", "2"):
            log.publish("step_started", nest=nest, step=step)
        for number in range(5_000):
            log.publish("sample", nest=str(1 + number % 2), step=step, elapsed_s=number)
        assert len(log.events) < 2 * MOST_SAMPLES + 20
        if step == "long":
            for nest in ("1", "2"):
                log.publish("step_finished", nest=nest, step=step)
    log.close()
    given = [event async for event in log.follow()]
    numbers = [event.number for event in given]
    assert numbers == sorted(set(numbers)) and given[-1].data["elapsed_s"] == 4_999
    finished = [event for event in given if event.data["step"] == "long"]
    assert [event.name for event in finished] == [
        "step_started", "step_started", "sample", "sample", "step_finished", "step_finished",
    ]  # fmt: skip
    course = [event.data["elapsed_s"] for event in given[len(finished) + 2 :]]
    assert course[0] < 10 and max(b - a for a, b in itertools.pairwise(course)) < 100


async def test_a_watcher_that_keeps_up_sees_every_sample() -> None:
    log = EventLog()
    seen = []

    async def watch() -> None:
        async for event in log.follow():
            seen.append(event.number)

    watching = asyncio.ensure_future(watch())
    for number in range(3 * MOST_SAMPLES):
        log.publish("sample", nest="1", step="a", elapsed_s=number)
        await asyncio.sleep(0)
        await asyncio.sleep(0)
    log.close()
    await watching
    assert seen == list(range(1, 3 * MOST_SAMPLES + 1))
