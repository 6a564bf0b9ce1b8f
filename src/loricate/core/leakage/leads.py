"""The leads of a leakage meter: which goes where, and what may change while mains is on."""

from collections.abc import Iterable, Mapping

from loricate.core.leakage.table import Cell
from loricate.core.leakage.taps import WITH_MAINS, Tap

EARTH_LEAD = "0"  # the meter's own earth, as a place that a current returns to
Leads = Mapping[str, int]  # the number of the lead to each terminal of the unit


def leads_of(taps: Iterable[Tap]) -> dict[str, int]:
    """A lead to each place, where a box of patient leads is needed for them; none where it is not.

    One lead does where what is measured is always at the same place, against earth.
    """
    known = list(taps)
    ends = {tap.measured for tap in known if tap.measured}
    if len(ends) <= 1 and not any(
        tap.returned or tap.driven or tap.path in WITH_MAINS for tap in known
    ):
        return {}
    named = dict.fromkeys(terminal for tap in known for terminal in tap.terminals)
    return {terminal: number for number, terminal in enumerate(named, start=1)}


def numbers(terminals: Iterable[str], leads: Leads) -> str:
    """Some leads as a meter is told them: ``1,2``."""
    return ",".join(str(leads[each]) for each in terminals) or EARTH_LEAD


def leads_programme(tap: Tap, leads: Leads) -> dict[str, float | str]:
    """What a meter with such leads is told of a tap."""
    path = "mains" if tap.path in WITH_MAINS else "leads"
    return {
        "path": "earth" if tap.path == "earth" else path,
        "measured": numbers(tap.measured, leads),
        "returned": numbers(tap.returned, leads),
        "driven": numbers(tap.driven, leads),
    }


def under_mains(cell: Cell) -> Cell:
    """What cells have in common that are measured while mains stays on.

    Which leads are measured from and to may change then. What mains is put on, and the earth
    conductor, are connected with mains off.
    """
    stays = cell.tap.path not in ("earth", "mains_on_case", *WITH_MAINS)
    return Cell(Tap("patient"), cell.supply) if stays else cell
