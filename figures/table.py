"""The table of figures."""

from collections.abc import Callable
from dataclasses import dataclass

from figures.aborts import abort_ms, abort_p99
from figures.beats import beat_gap
from figures.challenges import challenge_over_solver
from figures.checks import check_over_sqlite
from figures.deliveries import paper_delay, papers_of_32_s
from figures.harness import (
    challenge_s,
    harness_overhead,
    proof_applications,
    wiring_measurements,
)
from figures.loads import best_forecast, load_over_bound
from figures.long_steps import long_step_memory, long_step_page
from figures.medical import capture_keys, matrix_overhead, matrix_switchings
from figures.nets_drawn import nets_drawn_ms, nets_scrolled_ms
from figures.paper import certificate_cpu, verify_many
from figures.processes import cli_start
from figures.releases import release_page_ms
from figures.report_memory import report_memory
from figures.runs import engine_overhead
from figures.searches import search_over_sql
from figures.sends import outbox_rate
from figures.storage import commit_rate, commit_rate_of_many
from figures.trends import trend_over_sql
from figures.windings import surge_core, waveform_in
from figures.wires import event_lag, link_query


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure: how it is measured, in what unit, against what, and the ratio aimed at."""

    measure: Callable[[], float]
    unit: str
    baseline: str
    goal: str


FIGURES = {
    "engine_overhead": Figure(
        engine_overhead, "ratio", "the instruments' own programmed time, pace 1", "<= 1.01"
    ),
    "link_query": Figure(link_query, "ratio", "a query over a raw socket", "<= 1.5"),
    "search_over_sql": Figure(
        search_over_sql,
        "ratio",
        "the worst of 13 statements, each written by hand, over 1,000,000 units in runs",
        "<= 1.5",
    ),
    "trend_over_sql": Figure(
        trend_over_sql,
        "ratio",
        "the worst of 7 statements, each written by hand, over 20,000,000 readings",
        "<= 1.5",
    ),
    "check_rate": Figure(
        check_over_sqlite,
        "ratio",
        "SQLite's integrity check of the same file, 1,000 units with 60,000 readings",
        "reported",
    ),
    "report_memory": Figure(
        report_memory, "ratio", "the same for ten units, the most that any worker has", "<= 1.3"
    ),
    "outbox_rate": Figure(
        outbox_rate, "ratio", "bare loopback posts of the same bytes, as many at once", ">= 0.5"
    ),
    "commit_rate": Figure(
        commit_rate, "ratio", "bare executemany at the same durability", ">= 0.2"
    ),
    "commit_rate_of_many": Figure(
        commit_rate_of_many, "ratio", "the same, 500 readings an attempt", ">= 0.5"
    ),
    "certificate_cpu": Figure(
        certificate_cpu, "ratio", "a bare Typst page of as many lines, signed alike", "<= 1.5"
    ),
    "paper_delay": Figure(paper_delay, "ratio", "making eight such bare papers", "<= 1.5"),
    "papers_of_32": Figure(papers_of_32_s, "s", "none: what is left of 3 s", "<= 3"),
    "verify": Figure(
        verify_many, "ratio", "checking the two signatures of each of 1,000 papers", "<= 2"
    ),
    "cli_start": Figure(cli_start, "ratio", "python -c 'import click'", "<= 1.5"),
    "event_lag": Figure(event_lag, "link round trips", "one query over the link", "<= 10"),
    "abort_p99": Figure(
        abort_p99, "link round trips", "one query over the link", "<= 3, or 50 ms if that is more"
    ),
    "abort_ms": Figure(abort_ms, "ms", "none: what is left of 50 ms", "<= 50"),
    "release_page_200": Figure(
        release_page_ms, "ms", "none: a review of 200 points, as its page asks for it", "<= 100"
    ),
    "beat_gap": Figure(
        beat_gap, "ratio", "the beats' interval of 50 ms; the dead-man is at 8", "<= 2"
    ),
    "wiring_measurements": Figure(
        wiring_measurements, "ratio", "nets + ceil(log2 nets) + components of HN-128", "1.00"
    ),
    "proof_applications": Figure(proof_applications, "applications", "none: ceil(log2 128)", "7"),
    "harness_overhead": Figure(
        harness_overhead, "ratio", "the instruments' own programmed time, pace 1", "<= 1.05"
    ),
    "challenge_16_nets": Figure(
        challenge_s(16, None), "s", "none: 16 nets and all their faults", "<= 10"
    ),
    "challenge_128_nets": Figure(
        challenge_s(128, 400), "s", "none: 128 nets and 400 faults", "<= 120"
    ),
    "challenge_over_solver": Figure(
        challenge_over_solver, "ratio", "the time in the network solver alone", "<= 2"
    ),
    "nets_drawn": Figure(
        nets_drawn_ms, "ms", "none: scripting of list and drawing of 512 nets", "<= 100"
    ),
    "nets_scrolled": Figure(
        nets_scrolled_ms, "ms", "none: the longest frame as their list is scrolled", "<= 1000"
    ),
    "long_step_memory": Figure(
        long_step_memory, "ratio", "the same of one minute, eight watchers each", "<= 1.1"
    ),
    "long_step_page": Figure(
        long_step_page, "% of a core", "none: the browser on the Run page in minute ten", "<= 5"
    ),
    "waveform_in": Figure(waveform_in, "ratio", "reading and parsing the block alone", "<= 1.5"),
    "surge_core": Figure(surge_core, "ratio", "the same sums in bare numpy", "<= 1.3"),
    **{
        f"load_over_bound_{nests}": Figure(
            load_over_bound(nests),
            "ratio",
            "the busiest instrument's total, or the longest single nest",
            f"<= {1.02 * best_forecast(nests):.3f}",
        )
        for nests in (1, 4, 8, 16, 32)
    },
    "matrix_switchings": Figure(
        matrix_switchings, "ratio", "one change for each further cell of the table", "<= 1.0"
    ),
    "matrix_overhead": Figure(
        matrix_overhead, "ratio", "the dwells of the table's cells, pace 1", "<= 1.05"
    ),
    "capture_keys": Figure(
        capture_keys,
        "ratio",
        "one key for each figure of a good device's functional part",
        "<= 1.2",
    ),
}
