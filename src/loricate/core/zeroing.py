"""Measuring a fixture's zero: the bond source through the shorted contacts of one nest."""

from collections.abc import Generator, Sequence
from dataclasses import dataclass

from loricate.core.actions import Action, Connect, Energise, Outcome, Output, Program, Role
from loricate.core.errors import ProcedureError
from loricate.core.quantities import CURRENT, VOLTAGE
from loricate.core.readings import Bound, resistance_of
from loricate.core.zeroes import lead_problem, leads_of, paths_to_measure

CURRENT_A, DWELL_S = 10.0, 0.5


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
        yield Program(Role.BOND, {"level_a": CURRENT_A, "dwell_s": DWELL_S})
        output = yield Energise(Role.BOND, hazardous=False)
        if not isinstance(output, Output):
            raise ProcedureError("A zero was sent no output.")
        found = resistance_of(
            output.reading("voltage", VOLTAGE), output.reading("current", CURRENT)
        )
        ohms = found.value if found.bound is Bound.EXACT else float("inf")
        if problem := lead_problem(a, b, ohms):
            return ZeroMeasured({}, output.instrument, problem)
        paths[a, b] = ohms
        greatest_u, instrument = max(greatest_u, found.uncertainty), output.instrument
    leads = leads_of(paths, contacts)
    # A lead is half the sum of up to three paths: its share of their uncertainty is √3/2 of one.
    share = greatest_u * 3**0.5 / 2
    return ZeroMeasured({name: (ohms, share) for name, ohms in leads.items()}, instrument)
