"""A series as it is shown: what to do now, how units came out, how fast."""

import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import replace

from loricate.api.line import LineOut
from loricate.api.series import SeriesOut, SeriesSummary, SeriesUnit
from loricate.core.planning.series import sum_up, what_to_do
from loricate.records import sequences, series
from loricate.records.series import SeriesRecord
from loricate.service.series_keeping import Seen

LAST_UNITS = 20
WORDS = {"pass": "passed", "fail": "failed", "inconclusive": "not decided", "not_run": "not tested"}


def in_short(record: SeriesRecord) -> SeriesSummary:
    """A series in a list."""
    return SeriesSummary.model_validate(
        {name: getattr(record, name) for name in SeriesSummary.model_fields}
        | {"nests": list(record.nests), "line": LineOut.of(record.line, in_series=True)}
    )


def show_series(conn: sqlite3.Connection, series_id: str, seen: Seen | None) -> SeriesOut:
    """All of a series; raises NotFound. ``seen`` is how it stands at the bench, if it is on."""
    record = series.get_series(conn, series_id)
    if record.state == series.ON and seen is None:
        record = replace(record, state=series.PAUSED, note="That it was paused was not kept.")
    code, revision = record.sequence_code, record.sequence_revision
    product = sequences.get_sequence(conn, code, revision).product
    # Of what has ended the sequence is not read: it may be one of long ago.
    needs_arming = record.state != series.ENDED and series.sequence_of(conn, record).is_hazardous
    loads = series.loads_of(conn, series_id)
    counted_from = sum(run_id <= record.counted_after for run_id, _ in loads)
    came = sum_up([load for _, load in loads], counted_from)
    serials = series.waiting_serials(conn, series_id)
    units = series.newest_units(conn, series_id, LAST_UNITS)
    return SeriesOut(
        **in_short(record).model_dump(),
        product=product,
        needs_arming=needs_arming,
        armed_left_s=None if seen is None else seen.armed_left_s,
        next_in_s=0.0 if seen is None or seen.run else seen.wait_s,
        now=_now(record, needs_arming, seen, serials, _came_out(units)),
        run="" if seen is None else seen.run,
        serials=serials,
        tested=came.tally.tested,
        passed=came.tally.passed,
        failed=came.tally.failed,
        first_pass_yield=came.tally.first_pass_yield,
        failed_in_a_row=came.failed_in_a_row,
        cadence_s=came.cadence_s,
        notices=[],
        units=[SeriesUnit.model_validate(each) for each in units],
    )


def _now(
    record: SeriesRecord,
    is_hazardous: bool,
    seen: Seen | None,
    serials: list[str],
    came_out: Mapping[str, str],
) -> str:
    if record.state == series.ENDED:
        return "The series has ended."
    if record.state == series.HELD:
        return "Call an engineer: the series is held."
    if seen is None:
        return "Arm the series." if is_hazardous else "Let the series go on."
    if seen.is_ending:
        return "Wait: the series is being paused."
    if seen.run:
        return "Leave the unit in: it is being tested."
    return what_to_do(
        record.nests,
        seen.to_take_out,
        seen.to_plug_in,
        serials,
        came_out,
        seen.goes_again,
    )


def _came_out(units: Sequence[Mapping[str, str]]) -> dict[str, str]:
    """How the units of the last load did, by nest."""
    return {
        each["nest"]: ", ".join(filter(None, (WORDS[each["verdict"]], each["cause"]))).replace(
            "_", " "
        )
        for each in units
        if each["run"] == units[0]["run"] and each["state"] == "finished"
    }
