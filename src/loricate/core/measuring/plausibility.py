"""Whether what an instrument says can be true: nothing is graded that is not plausible.

There are two looks. ``believed`` takes an output as an instrument told it: what lies beyond the
meter's floor or range becomes a bound, and what contradicts physics, the programme, the clock or
the samples becomes a doubt. ``core.readings.contradictions`` looks at the readings that a step made
of it, after every correction. A doubt leaves the step inconclusive and counts against the
instrument.

Uncertainties are expanded (k = 2). Two figures contradict each other when they are further apart
than both uncertainties and a hundredth of the larger.
"""

import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from loricate.core.measuring.actions import Ending, Look, Output
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Bound, Doubt
from loricate.core.measuring.roles import sampled_dimension
from loricate.core.quantities import TIME, display

# What is a magnitude and so never negative, by its name in a summary.
MAGNITUDES = frozenset(
    {
        "voltage",
        "secondary",
        "current",
        "current_max",
        "load_current",
        "peak_current",
        "dc_current",
        "power",
        "impedance",
    }
)
# Of two figures of one summary the first can never be the greater one.
NEVER_MORE = (
    ("resistive_current", "current"),
    ("current", "current_max"),
    ("current", "peak_current"),
    ("in_phase", "secondary"),
)
AGREEMENT = 0.01  # of the larger of two figures
STEADY = 0.2  # how far a summary may be from the last look at the running output
SHORT = 0.02  # of a programmed time that may be missing
LOOK_S = 0.02  # how finely times are told
LONG, LONG_S = 0.05, 0.2  # how much longer than programmed an output may be on
FALLEN = 0.4  # what may be left of a charging current since the last look


@dataclass(frozen=True, slots=True)
class Times:
    """What an output was programmed for: its times in s.

    What was seen until ``set_s`` after its start was of other settings than it ended with.
    """

    ramp_s: float = 0.0
    dwell_s: float = 0.0
    fall_s: float = 0.0
    slack_s: float = 0.0  # by which one that was taken off by hand may have ended later
    set_s: float = -math.inf

    @classmethod
    def of(cls, settings: Mapping[str, float | str]) -> "Times":
        """The times among the settings of an output; what is not set takes no time."""
        return cls(*(float(settings.get(name, 0.0)) for name in ("ramp_s", "dwell_s", "fall_s")))

    @property
    def total_s(self) -> float:
        """From the start of the ramp to the end of the fall."""
        return self.ramp_s + self.dwell_s + self.fall_s


def believed(output: Output, programme: Times, meter: Capability) -> Output:
    """The output with bounds where the meter ends, its time at level, and every doubt."""
    summary, bounds = dict(output.summary), dict(output.bounds)
    told_s = summary.pop("at_level_s", math.nan)
    derived_s = output.ended_s - programme.ramp_s - programme.fall_s
    at_level_s = max(0.0, derived_s) if math.isnan(told_s) else told_s
    texts: list[str] = []
    for name, value in summary.items():
        summary[name], bound, problem = _bounded(name, value, bounds.get(name), meter)
        if bound is not None:
            bounds[name] = bound
        if problem:
            texts.append(problem)
    found = replace(output, summary=summary, bounds=bounds, at_level_s=at_level_s)
    texts += _against_physics(found)
    texts += _against_programme(found, programme)
    texts += _against_samples(found, programme)
    doubts = tuple(Doubt(output.instrument, text) for text in dict.fromkeys(texts))
    return replace(found, doubts=output.doubts + doubts) if doubts else found


def believed_look(look: Look, meter: Capability) -> Look:
    """A look with bounds where the meter ends, and what of it is no reading as doubts."""
    values, bounds = dict(look.sample.values), dict(look.sample.bounds)
    texts: list[str] = []
    for name, value in look.sample.values.items():
        values[name], bound, problem = _bounded(name, value, bounds.get(name), meter)
        if bound is not None:
            bounds[name] = bound
        if problem:
            texts.append(problem)
    sample = replace(look.sample, values=values, bounds=bounds)
    doubts = tuple(Doubt(look.instrument, text) for text in texts)
    return replace(look, sample=sample, doubts=look.doubts + doubts)


def _bounded(
    name: str, value: float, told: Bound | None, meter: Capability
) -> tuple[float, Bound | None, str]:
    """A value of a summary, its bound if it has one, and why it is no reading, if it is none."""
    floor, ceiling = meter.floor.get(name, 0.0), meter.ceiling.get(name, math.inf)
    if math.isnan(value):
        return value, told, f"gave no reading of {_words(name)}"
    if value == -math.inf:
        return math.nan, told, f"gave minus infinity as {_words(name)}"
    if math.isinf(ceiling) and math.isinf(value):
        return math.nan, told, f"gave infinity as {_words(name)}, whose range is not known"
    size = abs(value)
    if told is Bound.BELOW:
        if size > ceiling:
            text = f"says that {_words(name)} is under its floor and gives {_shown(name, value)}"
            return value, told, text
        return max(size, floor), told, ""
    if size >= ceiling:
        return ceiling, Bound.ABOVE, _negative_text(name, value)
    if told is Bound.ABOVE:
        return size, told, _negative_text(name, value)
    if size < floor:
        return floor, Bound.BELOW, ""
    return value, told, ""


def _negative_text(name: str, value: float) -> str:
    if value < 0 and name in MAGNITUDES:
        return f"gave {_words(name)} of {_shown(name, value)}, which is a magnitude"
    return ""


def _against_physics(output: Output) -> Iterator[str]:
    """What of one summary cannot be true together."""
    for name, value in output.summary.items():
        if name not in MAGNITUDES or value >= 0:
            continue
        if output.bounds.get(name, Bound.EXACT) is Bound.EXACT and value < -_u(output, name):
            yield _negative_text(name, value)
    for lesser, greater in NEVER_MORE:
        if {lesser, greater} <= output.summary.keys():
            yield from _never_more(output, lesser, greater)
    if {"voltage", "load_current", "power"} <= output.summary.keys():
        volts, amperes = output.summary["voltage"], output.summary["load_current"]
        most_w = volts * amperes
        slack = math.hypot(_u(output, "voltage") * amperes, _u(output, "load_current") * volts)
        watts = abs(output.summary["power"])
        if watts > most_w + slack + _u(output, "power") + AGREEMENT * max(most_w, watts):
            shown, most = _shown("power", watts), _shown("power", most_w)
            yield f"gave a power of {shown}, more than volts by amperes, {most}"
    yield from _against_triangle(output)


def _never_more(output: Output, lesser: str, greater: str) -> Iterator[str]:
    small, great = abs(output.summary[lesser]), abs(output.summary[greater])
    if output.bounds.get(lesser) is Bound.BELOW or output.bounds.get(greater) is Bound.ABOVE:
        return
    slack = _u(output, lesser) + _u(output, greater) + AGREEMENT * max(small, great)
    if small > great + slack:
        yield (
            f"gave {_words(lesser)} of {_shown(lesser, small)}, more than {_words(greater)} of "
            f"{_shown(greater, great)}"
        )


def _against_triangle(output: Output) -> Iterator[str]:
    """|Z| must be the hypotenuse of R and X."""
    if not {"impedance", "resistance", "reactance"} <= output.summary.keys():
        return
    if output.bounds.get("impedance", Bound.EXACT) is not Bound.EXACT:
        return
    size = output.summary["impedance"]
    whole = math.hypot(output.summary["resistance"], output.summary["reactance"])
    if abs(size - whole) > 2 * _u(output, "impedance") + AGREEMENT * max(size, whole):
        told, made = _shown("impedance", size), _shown("impedance", whole)
        yield f"gave an impedance of {told}, and its R and X make {made}"


def _against_programme(output: Output, programme: Times) -> Iterator[str]:
    """An output that finished must have been on, and at its level, as long as programmed."""
    if output.ending is not Ending.FINISHED:
        return
    if not math.isfinite(output.ended_s) or not math.isfinite(output.at_level_s):
        yield "did not say how long its output was on"
        return
    total_s = programme.total_s
    if output.ended_s < total_s * (1 - SHORT) - LOOK_S:
        total = display(total_s, TIME)
        yield f"ended after {display(output.ended_s, TIME)} of the {total} programmed"
    elif output.at_level_s < programme.dwell_s * (1 - SHORT) - LOOK_S:
        held, wanted = display(output.at_level_s, TIME), display(programme.dwell_s, TIME)
        yield f"held its level for {held} of the {wanted} programmed"
    if output.ended_s > total_s * (1 + LONG) + LONG_S + programme.slack_s:
        total = display(total_s, TIME)
        yield f"was on for {display(output.ended_s, TIME)}, longer than the {total} programmed"


def _against_samples(output: Output, programme: Times) -> Iterator[str]:
    """The summary must fit what was seen while the output was on."""
    elapsed = [sample.elapsed_s for sample in output.samples]
    if any(later < earlier for earlier, later in itertools.pairwise(elapsed)):
        yield "has a clock that went back while its output was on"
    dwelling = [sample for sample in output.samples if sample.phase == "dwell"]
    if output.ending is not Ending.FINISHED or not dwelling:
        return
    if "current_max" in output.summary and output.bounds.get("current_max") is not Bound.ABOVE:
        seen = max((abs(sample.values.get("current", 0.0)) for sample in dwelling), default=0.0)
        most = output.summary["current_max"]
        if seen > most + 2 * _u(output, "current_max") + AGREEMENT * max(most, seen):
            greatest = _shown("current", most)
            yield f"gave {greatest} as its greatest current and showed {_shown('current', seen)}"
    last = dwelling[-1]
    is_late = last.elapsed_s >= programme.ramp_s + programme.dwell_s / 2
    if is_late and last.elapsed_s > programme.set_s:
        yield from _against_last(output, last)


def _against_last(output: Output, last: Sample) -> Iterator[str]:
    """Towards its end an output is steady, but for a charging current, which only falls."""
    is_charging = "current_max" in output.summary
    for name, value in output.summary.items():
        seen = last.values.get(name)
        exact = output.bounds.get(name, Bound.EXACT) is Bound.EXACT
        is_part = name in ("resistance", "reactance") and "impedance" in output.summary
        if (
            seen is None
            or not exact
            or is_part
            or last.bounds.get(name, Bound.EXACT) is not Bound.EXACT
        ):
            continue
        least = FALLEN if is_charging and name != "voltage" else 1 - STEADY
        low, high = abs(seen) * least, abs(seen) * (1 + STEADY)
        slack = 3 * _u(output, name)
        if not low - slack <= abs(value) <= high + slack:
            yield (
                f"gave {_words(name)} of {_shown(name, value)}, and {_shown(name, seen)} at the "
                "last look at its running output"
            )


def doubts_text(doubts: Sequence[Doubt]) -> str:
    """The doubts in sentences."""
    return " ".join(f"Not plausible: {each.instrument} {each.text}." for each in doubts)


def _u(output: Output, name: str) -> float:
    accuracy = output.accuracy.get(name)
    value = output.summary[name]
    return accuracy.expanded(value) if accuracy is not None and math.isfinite(value) else 0.0


def _words(name: str) -> str:
    return name.replace("_", " ")


def _shown(name: str, value: float) -> str:
    dimension = sampled_dimension(name)
    return f"{value:g}" if dimension is None else display(value, dimension)
