"""Pre-flight: everything that can be known to be wrong before anything is energised."""

import datetime as dt
from collections.abc import Collection, Sequence

from loricate.bench.bench import InstrumentState
from loricate.bench.plan import BenchPlan
from loricate.core.errors import Finding
from loricate.core.measuring.roles import Role
from loricate.core.sequences.capability import Instruments, can_do, shortfalls
from loricate.core.sequences.ready import ReadySequence

MOST_NAMED = 5  # contacts of a cable that a fixture does not have


def needed_roles(sequence: ReadySequence) -> set[Role]:
    """The roles that the sequence's steps demand."""
    return {role for step in sequence.steps for role in step.roles}


def check_load(
    plan: BenchPlan, fixture_code: str, load: Sequence[tuple[str, str]], sequence: ReadySequence
) -> tuple[Finding, ...]:
    """Check fixture, nests and serials of a load given as (nest, serial) pairs."""
    fixture = plan.find_fixture(fixture_code)
    if fixture is None:
        known = ", ".join(each.code for each in plan.fixtures)
        return (
            Finding("fixture", f"the bench has no fixture '{fixture_code}'", f"it has {known}."),
        )
    found = []
    used_nests: set[str] = set()
    used_serials: dict[str, str] = {}
    terminals = {
        terminal
        for step in sequence.steps
        for used in step.terminals_used.values()
        for terminal in used
    }
    for index, (nest, serial) in enumerate(load):
        path = f"load[{index}]"
        if nest not in fixture.nests:
            known = ", ".join(fixture.nests)
            found.append(
                Finding(
                    f"{path}.nest",
                    f"fixture {fixture.code} has no nest '{nest}'",
                    f"it has {known}.",
                )
            )
            continue
        if nest in used_nests:
            found.append(Finding(f"{path}.nest", f"nest {nest} is loaded twice", "keep one."))
        if serial.casefold() in used_serials:
            other = used_serials[serial.casefold()]
            found.append(
                Finding(
                    f"{path}.serial",
                    f"serial {serial} is in nest {other} already",
                    "scan the serial of this unit.",
                )
            )
        used_nests.add(nest)
        used_serials[serial.casefold()] = nest
        unwired = sorted(terminals - set(fixture.nests[nest]))
        if unwired:
            told = ", ".join(unwired[:MOST_NAMED])
            more = len(unwired) - MOST_NAMED
            found.append(
                Finding(
                    f"{path}.nest",
                    f"nest {nest} of {fixture.code} has no contact for {told}"
                    + (f" and {more} more" if more > 0 else ""),
                    "add it to the bench file or use another fixture.",
                )
            )
    found += [
        Finding(
            "fixture",
            f"fixture {fixture.code} earths {' and '.join(fixture.earthed)}, and step '{step.id}' "
            "takes the unit for isolated: what flows to earth goes past its meter",
            "set return = earthed, or use another fixture.",
        )
        for step in sequence.steps
        if fixture.earthed and step.takes_isolated
    ]
    return tuple(found)


def overdue_on(state: InstrumentState, day: dt.date) -> bool:
    """Whether an instrument's calibration has ended before a day."""
    return state.due is not None and state.due < day


def unfit_instruments(states: Sequence[InstrumentState], today: dt.date) -> frozenset[str]:
    """The instruments that no step may take: silent, faulty, or out of calibration."""
    return frozenset(each.id for each in states if each.problem or overdue_on(each, today))


def check_bench(
    states: Sequence[InstrumentState],
    capabilities: Instruments,
    sequence: ReadySequence,
    today: dt.date,
) -> tuple[Finding, ...]:
    """Check that for each step there is an instrument that answers, is in date and reaches far.

    What is wrong with one of several is no finding while another can take its place.
    """
    needed = needed_roles(sequence)
    lacking = _lacking_roles(capabilities, sequence, unfit_instruments(states, today))
    found = list(shortfalls(sequence, capabilities))
    for state in states:
        is_part = bool(needed) and state.role in ("matrix", "guard")
        if not is_part and state.role not in lacking:
            continue
        path = f"bench.{state.id}"
        if state.problem:
            found.append(Finding(f"{path}.address", state.problem))
        if overdue_on(state, today):
            found.append(
                Finding(
                    f"{path}.due",
                    f"the calibration of {state.id} ({state.serial}) ended on {state.due}",
                    "have it calibrated and enter the new date in the bench file.",
                )
            )
    return tuple(found)


def _lacking_roles(
    capabilities: Instruments, sequence: ReadySequence, unfit: Collection[str]
) -> frozenset[str]:
    """The roles of which some step has no instrument left that is fit and can do it."""
    return frozenset(
        str(role)
        for step in sequence.steps
        for role in step.roles
        if not any(
            each.instrument not in unfit and can_do(each, role, step.demands)
            for each in capabilities.get(role, ())
        )
    )
