"""Measuring a fixture's zero: leads by the bond source, impedance paths open and shorted."""

from collections.abc import Generator, Sequence
from dataclasses import dataclass

from loricate.core.actions import Action, Connect, Outcome, Role, put_on
from loricate.core.impedance import ImpedancePath
from loricate.core.quantities import CURRENT, VOLTAGE
from loricate.core.readings import Bound, resistance_of
from loricate.core.zeroes import lead_problem, leads_of, paths_to_measure

CURRENT_A, LEAST_A, DWELL_S = 10.0, 9.0, 0.5
SIGNAL_V, SIGNAL_S = 1.0, 0.2
LEAST_SPREAD = 100.0  # an open path and a shorted one are further apart than this


@dataclass(frozen=True, slots=True)
class ZeroMeasured:
    """The leads of a nest, Ω and expanded uncertainty (k = 2) by contact, or what is wrong."""

    leads: dict[str, tuple[float, float]]
    instrument: str = ""
    problem: str = ""


def zero_nest(contacts: Sequence[str]) -> Generator[Action, Outcome, ZeroMeasured]:
    """Measure the paths between shorted contacts and solve each contact's lead."""
    paths: dict[tuple[str, str], float] = {}
    greatest_u, instrument = 0.0, ""
    for a, b in paths_to_measure(contacts):
        yield Connect(Role.BOND, {"high": (a,), "low": (b,)})
        output = yield from put_on(Role.BOND, {"level_a": CURRENT_A, "dwell_s": DWELL_S})
        current = output.reading("current", CURRENT)
        found = resistance_of(output.reading("voltage", VOLTAGE), current)
        ohms = found.value if found.bound is Bound.EXACT else float("inf")
        problem = lead_problem(a, b, ohms)
        if not problem and not current.value >= LEAST_A:
            problem = f"Only {current.text} of {CURRENT_A:g} A flowed from {a} to {b}; try again."
        if problem:
            return ZeroMeasured({}, output.instrument, problem)
        paths[a, b] = ohms
        greatest_u, instrument = max(greatest_u, found.uncertainty), output.instrument
    leads = leads_of(paths, contacts)
    # A lead is half the sum of up to three paths: its share of their uncertainty is √3/2 of one.
    share = greatest_u * 3**0.5 / 2
    return ZeroMeasured({name: (ohms, share) for name, ohms in leads.items()}, instrument)


def measure_path(path: ImpedancePath) -> Generator[Action, Outcome, complex]:
    """The impedance in Ω that a path shows as it is, open or shorted; over the range its edge."""
    yield Connect(Role.IMPEDANCE, {"high": (path.high,), "low": (path.low,)})
    output = yield from put_on(
        Role.IMPEDANCE,
        {"level_v": SIGNAL_V, "frequency_hz": path.frequency_hz, "dwell_s": SIGNAL_S},
    )
    if output.bounds.get("impedance", Bound.EXACT) is not Bound.EXACT:
        return complex(output.summary["impedance"], 0.0)
    return complex(output.summary["resistance"], output.summary["reactance"])


def path_problem(path: ImpedancePath, open_ohms: complex, short_ohms: complex) -> str:
    """What is wrong with a path's zero, or nothing: open must be far above shorted."""
    if abs(open_ohms) > LEAST_SPREAD * abs(short_ohms):
        return ""
    return (
        f"The path from {path.high} to {path.low} reads {abs(short_ohms):.3g} Ω shorted and "
        f"{abs(open_ohms):.3g} Ω open at {path.frequency_hz:g} Hz; seat the shorting plug for the "
        "first, take everything out for the second, and zero again."
    )
