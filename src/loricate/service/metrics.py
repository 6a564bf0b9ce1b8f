"""What to watch from outside, in OpenMetrics: outputs, beats, runs, queues, disk, documents."""

import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass

from prometheus_client.core import CollectorRegistry, GaugeMetricFamily, Metric
from prometheus_client.openmetrics import exposition
from prometheus_client.registry import Collector

from loricate.bench.danger import DangerState
from loricate.records import ledger, marks, outbox, runs
from loricate.service.desk import Desk

CONTENT_TYPE = exposition.CONTENT_TYPE_LATEST


@dataclass(frozen=True, slots=True)
class Kept:
    """What the records say."""

    runs: dict[str, int]
    documents: dict[str, int]
    set_aside: int
    waiting: int
    marks: int

    @classmethod
    def of(cls, conn: sqlite3.Connection) -> "Kept":
        """Count."""
        return cls(
            runs.count_by_state(conn),
            ledger.count_by_kind(conn),
            ledger.count_set_aside(conn),
            outbox.count_waiting(conn),
            marks.count(conn),
        )


class Snapshot(Collector):
    """The service at one moment."""

    def __init__(self, found: list[Metric]) -> None:
        self._found = found

    def collect(self) -> Iterator[Metric]:
        """Each metric."""
        yield from self._found


def _gauge(name: str, about: str, value: float, unit: str = "") -> Metric:
    return GaugeMetricFamily(f"loricate_{name}", about, value=value, unit=unit)


def _labelled(name: str, about: str, label: str, values: dict[str, int]) -> Metric:
    family = GaugeMetricFamily(f"loricate_{name}", about, labels=[label])
    for each, value in values.items():
        family.add_metric([each], value)
    return family


async def exposed(desk: Desk) -> bytes:
    """The metrics as OpenMetrics text."""
    kept = await desk.store.read(Kept.of)
    energised, gap_s, danger, problems, is_running = await desk.bench.look(
        lambda side: (
            {name: int(each.energised) for name, each in side.bench.instruments.items()},
            side.bench.beat_gap_s,
            side.bench.danger.state,
            len(side.bench.problems),
            int(bool(side.runs.running)),
        )
    )
    rooms = (desk.study, desk.drawing, desk.check.room)
    registry = CollectorRegistry()
    registry.register(
        Snapshot(
            [
                _labelled("output_on", "Whether the output of a role is on", "role", energised),
                _labelled(
                    "danger",
                    "How dangerous the fixture is: 1 for what holds",
                    "state",
                    {each.value: int(each is danger) for each in DangerState},
                ),
                _gauge("beat_gap", "Longest gap between beats in a minute", gap_s, "seconds"),
                _gauge("run_under_way", "Whether a run is under way", is_running),
                _gauge("bench_problems", "Instruments that are not as they must be", problems),
                _labelled("runs", "Runs in the records", "state", kept.runs),
                _labelled("documents", "Documents issued", "kind", kept.documents),
                _gauge("documents_set_aside", "Documents that could not be issued", kept.set_aside),
                _gauge("outbox_waiting", "What has not been sent yet", kept.waiting),
                _gauge("marks", "Marks of records", kept.marks),
                _labelled(
                    "queue",
                    "Work under way or waiting in a room",
                    "room",
                    {room.name: room.inside for room in rooms},
                ),
                _gauge(
                    "disk_free",
                    "Room where the records are",
                    shutil.disk_usage(desk.settings.data_folder).free,
                    "bytes",
                ),
                _gauge(
                    "heads_unwritten",
                    "Places where no head of the ledger can be kept",
                    len(desk.heads.unwritten),
                ),
            ]
        )
    )
    text: bytes = exposition.generate_latest(registry)  # type: ignore[no-untyped-call]
    return text
