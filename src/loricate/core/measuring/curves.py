"""Traces: readings that are curves, thinned to a size that can be kept for every attempt.

A trace is columns of equal length: ``elapsed_s`` in seconds of the instrument's own clock, and one
column a quantity in SI units. Where a sample lacks a quantity its place holds None.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from loricate.core.measuring.actions import Sample

MOST_SAMPLES = 1_000
DIGITS = 6


@dataclass(slots=True)
class Thinner:
    """Collects samples; when there are too many it drops every other and takes half as many."""

    most: int = MOST_SAMPLES
    samples: list[Sample] = field(default_factory=list)
    _stride: int = 1
    _seen: int = 0

    def add(self, sample: Sample) -> None:
        """Take a sample in, if its turn has come."""
        if self._seen % self._stride == 0:
            if len(self.samples) >= self.most:
                self.samples = self.samples[::2]
                self._stride *= 2
            if self._seen % self._stride == 0:
                self.samples.append(sample)
        self._seen += 1


@dataclass(frozen=True, slots=True)
class Trace:
    """Columns by name, ``elapsed_s`` and the quantities; ``phases`` tells where each one begins."""

    columns: dict[str, list[float | None]]
    phases: tuple[tuple[float, str], ...]

    def __bool__(self) -> bool:
        """Whether there is a curve to draw: one sample is none."""
        return len(self.columns.get("elapsed_s", ())) > 1


def make_trace(samples: Sequence[Sample]) -> Trace:
    """Make a trace of samples in order, each value to six significant digits."""
    names = dict.fromkeys(name for sample in samples for name in sample.values)
    columns: dict[str, list[float | None]] = {
        "elapsed_s": [round(sample.elapsed_s, 4) for sample in samples]
    }
    for name in names:
        found = [sample.values.get(name) for sample in samples]
        columns[name] = [None if v is None else float(f"{v:.{DIGITS}g}") for v in found]
    phases: list[tuple[float, str]] = []
    for sample in samples:
        if not phases or phases[-1][1] != sample.phase:
            phases.append((round(sample.elapsed_s, 4), sample.phase))
    return Trace(columns, tuple(phases))


def join_traces(traces: Sequence[Trace]) -> Trace:
    """The traces of repetitions as one, each after the other, in no more samples than one has."""
    stride = -(-sum(len(each.columns["elapsed_s"]) for each in traces) // MOST_SAMPLES) or 1
    names = dict.fromkeys(name for trace in traces for name in trace.columns)
    columns: dict[str, list[float | None]] = {name: [] for name in names}
    phases: list[tuple[float, str]] = []
    begin = 0.0
    for number, trace in enumerate(traces, start=1):
        elapsed = [value or 0.0 for value in trace.columns["elapsed_s"]]
        if not elapsed:
            continue
        phases.append((round(begin, 4), f"repetition {number}"))
        columns["elapsed_s"] += [round(begin + value, 4) for value in elapsed[::stride]]
        for name in names:
            if name != "elapsed_s":
                absent: list[float | None] = [None] * len(elapsed)
                columns[name] += trace.columns.get(name, absent)[::stride]
        begin += elapsed[-1]
    return Trace(columns, tuple(phases))
