"""Series: begun, armed, given serials, stopped, let go on."""

import sqlite3
from typing import Annotated

from fastapi import Path

from loricate.api.series import (
    NewSeries,
    SeriesOut,
    SeriesRelease,
    SeriesSerial,
    SeriesSummary,
)
from loricate.core.sequences.ready import ReadySequence
from loricate.records import series
from loricate.service.desk import Desk
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.series_keeping import ByWhom
from loricate.service.series_showing import in_short, show_series
from loricate.service.sign_in import Definer, Reader, Runner

router = make_router("/series", "series")
SerialInPath = Annotated[str, Path(max_length=64)]


async def _show(series_id: str, desk: Desk) -> SeriesOut:
    seen = await desk.bench.look(lambda side: side.series.seen(series_id))
    shown = await desk.store.read(lambda conn: show_series(conn, series_id, seen))
    if shown.state == "ended":
        return shown

    def sequence_of(conn: sqlite3.Connection) -> ReadySequence:
        return series.sequence_of(conn, series.get_series(conn, series_id))

    sequence = await desk.store.read(sequence_of)
    found = await desk.bench.do(
        lambda side: side.upkeeps.requirements(shown.fixture, sequence, shown.nests)
    )
    return shown.model_copy(update={"notices": [each.reason for each in found if not each.met]})


@router.post("", response_model=SeriesOut, status_code=201)
async def begin_series(body: NewSeries, person: Runner, desk: TheDesk) -> SeriesOut:
    """Check fixture, bench and serials, then make a series, paused. Nothing is energised yet."""
    series_id = await desk.bench.do(
        lambda side: side.series.begin(
            person.name,
            body.sequence,
            body.fixture,
            body.nests,
            body.lot,
            body.count_from,
            body.line,
        )
    )
    return await _show(series_id, desk)


@router.get("", response_model=list[SeriesSummary])
async def list_series(
    person: Reader, desk: TheDesk, page: APage, before: Before = ""
) -> list[SeriesSummary]:
    """Series, newest first."""
    found = await desk.store.read(lambda conn: series.page_of_series(conn, before, page.look_for))
    return [in_short(each) for each in page.cut(found, "before", lambda row: row.id)]


@router.get("/{series_id}", response_model=SeriesOut)
async def show_one_series(series_id: str, person: Reader, desk: TheDesk) -> SeriesOut:
    """A series as it goes."""
    return await _show(series_id, desk)


@router.post("/{series_id}/arm", response_model=SeriesOut)
async def arm_series(series_id: str, person: Runner, desk: TheDesk) -> SeriesOut:
    """Let it go on: from now each unit that is plugged in is tested.

    Takes a closed guard where high voltage is put on. Lasts while the guard stays closed and the
    sign-in holds, until five minutes after the last unit.
    """
    by = ByWhom(person.name, person.session.digest)
    await desk.bench.do(lambda side: side.series.arm(series_id, by))
    return await _show(series_id, desk)


@router.post("/{series_id}/stop", response_model=SeriesOut)
async def stop_series(series_id: str, person: Runner, desk: TheDesk) -> SeriesOut:
    """End it now: outputs fall first, and the unit under test keeps its serial."""
    await desk.bench.do(lambda side: side.series.stop(series_id, person.name))
    return await _show(series_id, desk)


@router.post("/{series_id}/serials", response_model=SeriesOut)
async def give_serial(
    series_id: str, body: SeriesSerial, person: Runner, desk: TheDesk
) -> SeriesOut:
    """Give the serial of a unit to come, after those that wait."""
    await desk.bench.do(lambda side: side.series.give_serial(series_id, body.serial, person.name))
    return await _show(series_id, desk)


@router.delete("/{series_id}/serials/{serial}", response_model=SeriesOut)
async def withdraw_serial(
    series_id: str, serial: SerialInPath, person: Runner, desk: TheDesk
) -> SeriesOut:
    """Take back the serial of a unit to come."""
    await desk.bench.do(lambda side: side.series.withdraw_serial(series_id, serial, person.name))
    return await _show(series_id, desk)


@router.post("/{series_id}/release", response_model=SeriesOut)
async def let_go_on(
    series_id: str, body: SeriesRelease, person: Definer, desk: TheDesk
) -> SeriesOut:
    """An engineer has seen why units fail one after another: the series may be armed again."""
    await desk.bench.do(lambda side: side.series.let_go_on(series_id, body.reason, person.name))
    return await _show(series_id, desk)
