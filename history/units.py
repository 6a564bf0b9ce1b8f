"""What is wrong with the units of the history, and what wears while they are tested.

Three things are to be found in it: the insulation of new cabinets gets worse from week to week, one
lot has filters of the wrong value, and a contact of one nest wears out.
"""

import random
import re
from dataclasses import dataclass
from pathlib import Path

WEEKS, DAYS_A_WEEK, LOADS_A_DAY, NESTS = 13, 2, 2, 8
MOST_UNITS = 400
BAD_LOT_WEEK, BAD_SHARE = 7, 0.45
WORN_NEST = 5
LONE_FAULTS = ("cracked_insulator", "loose_earth", "wrong_element", "loose_strand")
LONE_SHARE = 0.025
FIRST_SERIAL = 2001


@dataclass(frozen=True, slots=True)
class Load:
    """Eight units that are tested at once."""

    week: int
    day: int  # of the week
    place: int  # in the day
    units: tuple[tuple[str, str], ...]  # serial and faults, by nest

    @property
    def lot(self) -> str:
        """Each week's units are a lot."""
        return f"L-F{self.week + 36}"


def plan() -> list[Load]:
    """Every load, in the order of time; the same each time."""
    pick, serial, loads = random.Random(7), FIRST_SERIAL, list[Load]()
    for week in range(WEEKS):
        for day in range(DAYS_A_WEEK):
            for place in range(LOADS_A_DAY):
                if len(loads) * NESTS >= MOST_UNITS:
                    return loads
                units = []
                for nest in range(1, NESTS + 1):
                    units.append((f"DC40-26-{serial}", _faults(week, nest, pick)))
                    serial += 1
                loads.append(Load(week, day, place, tuple(units)))
    return loads


def _faults(week: int, nest: int, pick: random.Random) -> str:
    faults = [f"damp_{week}"]
    if nest == WORN_NEST:
        faults.append(f"worn_{week}")
    if week == BAD_LOT_WEEK and pick.random() < BAD_SHARE:
        faults.append("leaky_filter")
    elif pick.random() < LONE_SHARE:
        faults.append(pick.choice(LONE_FAULTS))
    return "|".join(faults)


def write_floor(demo: Path, to: Path) -> Path:
    """Copy the demo's stand-ins, with cabinets that can be damp and worn; gives their file."""
    to.mkdir(parents=True)
    for path in (demo / "stand-ins").glob("*.toml"):
        text = path.read_text(encoding="utf-8")
        if path.name == "drying-cabinet.toml":
            text += "".join(_wear(week) for week in range(WEEKS))
        text = at_fellside(text)
        (to / path.name).write_text(text, encoding="utf-8")
    return to / "stand-ins.toml"


def at_fellside(text: str) -> str:
    """A bench or floor file with the serials of instruments that are another bench's."""
    return re.sub(
        r'serial = "([A-Z]{2})-(\d{2})(\d{3})"',
        lambda found: f'serial = "{found[1]}-{found[2]}{int(found[3]) ^ 511:03}"',
        text,
    )


def _wear(week: int) -> str:
    """A fifth less insulation than the week before; and 2.5 mΩ a week in a contact."""
    return f"""
[fault.damp_{week}]
title = "Damp filling, week {week}"
change = [
  {{ element = "insulation", value = "{850 * 0.82**week:.0f} MΩ" }},
  {{ element = "absorption_fast", value = "{400 * 0.9**week:.0f} MΩ" }},
]

[fault.worn_{week}]
title = "Worn contact, week {week}"
change = [{{ element = "cord_earth", value = "{78 + 2.5 * week:.0f} mΩ" }}]
"""
