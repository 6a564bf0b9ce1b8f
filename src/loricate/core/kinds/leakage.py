"""Leakage at mains voltage through a body-model network; AC rms and peak and DC, in A.

`earth` measures the current in the protective earth conductor, `touch` that from an accessible part
to earth, `patient` that from an applied part; `auxiliary`, `total_patient` and the three with mains
put on a part are as IEC 60601-1 8.7 has them (`core.leakage.taps`). In normal condition or with one
single fault, the neutral or the earth open. The methods are those of IEC 62353: direct,
differential (what leaves by the line and does not come back), alternative (both poles tied and fed
without mains). The network weights frequency: the medical device of IEC 60601-1 figure 12 (1 kΩ;
10 kΩ with 15 nF) or that of IEC 60990 figure 4 (1500 Ω and 0.22 µF, 500 Ω; 10 kΩ, 22 nF). The
supply voltage is re-measured and the reading refers to it.

Path, condition, polarity and switch may each be several: every combination that applies is a point
with its own limit, in the order that needs the fewest changes. What does not apply is left out and
named with its reason. Mains is off while anything but the place of the measurement changes; where
the unit's own switch is to be moved, the operator is asked.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import groupby
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.kind import (
    Demand,
    KindSettings,
    Limits,
    LimitSlot,
    Point,
    Points,
)
from loricate.core.kinds.mains import mains_demands, passes_when_off, scaled, why_not_at_mains
from loricate.core.kinds.outputs import (
    TIME_SLOT,
    beyond_the_meter,
    cut_faults,
    falls_short,
    level_faults,
    too_much,
)
from loricate.core.leakage.filling import proposed_settings
from loricate.core.leakage.leads import Leads, leads_of, leads_programme, under_mains
from loricate.core.leakage.table import (
    CONDITION_WORDS,
    Cell,
    Condition,
    Method,
    Polarity,
    SwitchedTo,
    Wanted,
    table_of,
)
from loricate.core.leakage.taps import (
    WITH_DC,
    WORDS,
    Connections,
    Path,
    taps_of,
)
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.measuring.actions import (
    Ask,
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Hold,
    Look,
    Off,
    Output,
    Procedure,
    Programme,
    Source,
    Tell,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import For
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.families.section import Terminal
from loricate.core.products.left_out import LeftOut
from loricate.core.products.product import EarthTerminal, Product
from loricate.core.quantities import (
    CURRENT,
    NUMBER,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Hertz,
    Seconds,
    Volts,
    display,
)

CANNOT = "it cannot be switched"
LIVE = "The earth is open: whatever the device earths may be live. Touch nothing of it."
LEFT_S, MOST_S = 10.0, 3000.0  # that an output may stay on beside a cell's dwell, and in all


def _one_or_more(value: str | Iterable[str]) -> tuple[str, ...]:
    """One alone may be written as it is."""
    return tuple([value] if isinstance(value, str) else value)


Paths = Annotated[
    tuple[Path, ...],
    Field(min_length=1),
    BeforeValidator(_one_or_more, json_schema_input_type=tuple[Path, ...] | Path),
]
Conditions = Annotated[
    tuple[Condition, ...],
    Field(min_length=1),
    BeforeValidator(_one_or_more, json_schema_input_type=tuple[Condition, ...] | Condition),
]
Places = Annotated[
    tuple[Connections, ...],
    Field(min_length=1),
    BeforeValidator(_one_or_more, json_schema_input_type=tuple[Connections, ...] | Connections),
]
Polarities = Annotated[
    tuple[Polarity, ...],
    Field(min_length=1),
    BeforeValidator(_one_or_more, json_schema_input_type=tuple[Polarity, ...] | Polarity),
]
Switches = Annotated[
    tuple[SwitchedTo, ...],
    Field(min_length=1),
    BeforeValidator(_one_or_more, json_schema_input_type=tuple[SwitchedTo, ...] | SwitchedTo),
]


@dataclass(slots=True)
class _Found:
    """What the cells have shown so far; supply, load and time are of the step as a whole.

    ``leads`` go to the unit, ``of`` are the cells to measure, ``wanted`` the quantities that
    have limits; it ``is_table`` where the step has several, whether all are measured or some of
    them again. ``load_text`` is what a unit took that is not switched as it is to be.
    """

    leads: Leads
    of: int
    wanted: frozenset[str]
    is_table: bool
    load_text: str = ""
    readings: list[Reading] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    supplies: list[Reading] = field(default_factory=list)
    loads: list[Reading] = field(default_factory=list)  # where the unit can draw one
    idle: list[Reading] = field(default_factory=list)  # where it cannot
    times: list[Reading] = field(default_factory=list)

    def measured(self) -> Measured:
        """Everything, with the least of what is of the whole: what is no number comes first."""
        least = [
            min(each, key=lambda reading: (reading.value == reading.value, reading.value)).at("")
            for each in (self.supplies, self.loads or self.idle, self.times)
            if each
        ]
        return Measured((*self.readings, *least), tuple(self.faults))


class Leakage(KindSettings):
    """Which leakage, at which supply, in which condition, by which method and network."""

    name = "leakage"
    title = "Leakage"
    points_stand_alone = True
    slots = {
        "current": LimitSlot(CURRENT, title="Leakage current, rms", side="maximum"),
        "peak_current": LimitSlot(CURRENT, title="Leakage current, peak", side="maximum"),
        "dc_current": LimitSlot(CURRENT, title="Leakage current, DC", side="maximum"),
        "voltage": LimitSlot(VOLTAGE, title="Supply voltage", of_whole=True),
        "load_current": LimitSlot(CURRENT, title="Load current", of_whole=True),
        "time_at_level": LimitSlot(TIME, title=TIME_SLOT["time_at_level"].title, of_whole=True),
    }
    measured_as = {"supply": "voltage", "dwell": "time_at_level"}
    is_filled = True
    judged_by = ("current", "peak_current", "dc_current")
    advises = ("empty_nest", "limit_out_of_reach")
    meters = ("voltage", "current", "dc_current", "load_current")

    path: Paths = Field(default=("earth",), title="Leakage path")
    method: Method = Field(
        default="direct",
        title="Method",
        description="Differential: line less neutral. Alternative: both poles tied, no mains",
    )
    condition: Conditions = Field(
        default=("normal",), title="Condition", description="Normal, or one single fault"
    )
    network: Literal["iec60601", "iec60990", "none"] = Field(
        default="iec60990", title="Body network", description="None: 1 kΩ, without weighting"
    )
    line: Terminal = Field(default="L", title="Line terminal")
    neutral: Terminal = Field(default="N", title="Neutral terminal")
    earth: EarthTerminal = Field(
        default="PE", title="Earth terminal", description="`none` where the unit has no earth"
    )
    part: Terminal | None = Field(
        default=None,
        title="Accessible or applied part",
        description="For touch and patient; without it, each that the product describes",
    )
    connections: Places = Field(
        default=("together",),
        title="Patient connections",
        description="All of an applied part together, or each of them",
    )
    supply: Annotated[Volts, Field(gt=0)] = Field(default=230.0, title="Supply voltage")
    nominal: Annotated[Volts, Field(gt=0)] | None = Field(
        default=None, title="Scaled to", description="The current is scaled to this supply"
    )
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Supply frequency")
    polarity: Polarities = Field(default=("normal",), title="Polarity")
    switch: Switches = Field(
        default=("on",),
        title="Unit's own switch",
        description="A cue tells the operator to move it; of both, the step asks for the second",
    )
    dwell: Annotated[Seconds, Field(gt=0)] = Field(
        default=1.0, title="Dwell", description="At each place and condition"
    )
    load_current: Annotated[Amperes, Field(ge=0)] = Field(
        default=0.0,
        title="Load current when on",
        description="At least this proves that the unit is on; more than this, that it is not off",
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Supply tolerance", description="Departure of the supply still accepted"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        return why_not_at_mains(product)

    @model_validator(mode="after")
    def _fits_together(self) -> "Leakage":
        for name in ("path", "condition", "connections", "polarity", "switch"):
            if len(set(getattr(self, name))) < len(getattr(self, name)):
                raise fault_at(name, "has one twice", "name each once.")
        if self.method == "differential" and self.path != ("earth",):
            raise fault_at("path", "is not what method differential measures", "choose earth.")
        if self.method == "alternative" and self.condition != ("normal",):
            raise fault_at(
                "condition", "needs mains, and method alternative has none", "choose normal."
            )
        if "open_earth" in self.condition and self.earth is None:
            reason = "is not fit for condition open_earth"
            raise fault_at("earth", reason, "give an earth terminal.")
        if self.condition == ("open_earth",) and self.path == ("earth",):
            reason = "is not fit for condition open_earth"
            raise fault_at("path", reason, "choose a path other than earth.")
        return self

    def unfit(self, product: Product) -> Iterator[tuple[str, str, str]]:
        """What a path needs to know of the product."""
        if "touch" in self.path and self.part is None and not product.accessible_parts:
            remedy = "give the accessible part, or describe them in the product's medical section."
            yield "part", "is missing for path touch", remedy

    def _table(self, product: Product) -> tuple[tuple[Cell, ...], tuple[LeftOut, ...]]:
        taps, unknown = taps_of(self.path, product, self.connections, self.part or "")
        wanted = Wanted(
            self.condition, self.polarity, self.switch, self.method, self.earth is not None
        )
        cells, left = table_of(taps, wanted)
        return cells, (*unknown, *left)

    def points(self, product: Product) -> Points:
        """Every combination that applies, in the order in which they are measured."""
        touched = tuple(part.terminal for part in product.accessible_parts)
        cells = self._table(product)[0]
        return tuple(self._point(cell, touched, len(cells)) for cell in cells)

    @classmethod
    def proposed(cls, product: Product, items: Sequence[LimitSetItem]) -> dict[str, Any]:
        """Every path and condition that is limited, at the supply that is asked for."""
        return proposed_settings(product, items)

    def left_out(self, product: Product) -> tuple[LeftOut, ...]:
        """The combinations that do not apply to this product."""
        return self._table(product)[1]

    def _point(self, cell: Cell, touched: tuple[str, ...], of: int) -> Point:
        """A cell as a point, named by what differs within the step, which has so many.

        ``touched`` is what of the unit anybody may touch after it.
        """
        tap, supply = cell.tap, cell.supply
        place = f"{WORDS[tap.path]} {tap.name}".strip() if len(self.path) > 1 else tap.name
        words = [
            place,
            CONDITION_WORDS.get(supply.condition, "") if len(self.condition) > 1 else "",
            "reversed" if len(self.polarity) > 1 and supply.polarity == "reversed" else "",
            "off" if len(self.switch) > 1 and supply.switch == "off" else "",
        ]
        is_one_of_many = any(len(each) > 1 for each in (self.condition, self.polarity, self.switch))
        name = ", ".join(filter(None, words)) or ("normal" if is_one_of_many else "")
        values: dict[str, Any] = {
            "cell": cell,
            "path": tap.path,
            "condition": supply.condition,
            "polarity": supply.polarity,
            "switch": supply.switch,
            "touched": touched,
            "of": of,
        }
        if tap.measured:
            values["terminals"] = tap.measured
        if tap.applied_part:
            values["applied_part"] = tap.applied_part
        return Point(name, values)

    def is_measured(self, quantity: str, point: Point) -> bool:
        """Direct current is asked for where it would flow through a patient."""
        return quantity != "dc_current" or point.values.get("path") in WITH_DC

    def shares_terminals(self) -> bool:
        return True

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        used: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None:
            used["earth"] = (self.earth,)
        if self.part is not None and self.path != ("earth",):
            used["part"] = (self.part,)
        return used

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Supply the unit in one way after another; in each, measure at every place there is.

        A cell is one dwell. With ``nominal`` the leakage is scaled to that supply,
        I·V_nominal/V_measured (IEC 62353).
        """
        leads = self._leads(points)
        wanted = frozenset(measurand.quantity for measurand in limits)
        found = _Found(leads, len(points), wanted, points[0].values["of"] > 1)
        stands = self.switch[0]
        numbered = list(enumerate(points, start=1))
        for common, group in groupby(numbered, lambda each: under_mains(_cell(each[1]))):
            stage, to = list(group), common.supply.switch
            if to != stands:
                stands = to
                yield from do(_moving(f"Switch the unit {to}.", to))
            done = yield from self._stage(stage, found)
            if done < len(stage) and found.is_table:
                text = f"The unit draws {found.load_text}: it is not {to}. Switch it {to}."
                answer = yield from do(_moving(text, to, CANNOT))
                if answer.choice != CANNOT:
                    stage = stage[done:]
                    done = yield from self._stage(stage, found)
            if done < len(stage):
                cause = Cause.NO_CONTACT if to == "on" else Cause.SWITCHED_ON
                found.faults.append(Fault(cause, stage[done][1].name))
                break
        return found.measured()

    def _stage(self, stage: Sequence[tuple[int, Point]], found: _Found) -> Asking[int]:
        """Measure at one place after another while the unit is supplied in one way.

        Gives how many were measured: fewer than there are where the unit is not switched as it is
        to be.
        """
        if _cell(stage[0][1]).supply.condition == "open_earth":
            yield from do(Tell(LIVE))
        yield from do(Connect(LEAKAGE, self._connected(stage, found.leads)))
        is_on, ran_out_at = False, -1
        place, longest_s = 0, self.dwell
        while place < len(stage):
            number, point = stage[place]
            if found.is_table:
                yield from do(At(point.name, number, found.of))
            if len(stage) == 1:
                whole = yield from do(Energise(LEAKAGE, self._programme(point, found, self.dwell)))
                place += self._take(point, whole, whole.time_at_level, found)
                break
            if not is_on:
                longest_s = min(MOST_S, (self.dwell + LEFT_S) * (len(stage) - place))
            programme = self._programme(point, found, longest_s)
            level = yield from do(Source(LEAKAGE, programme, self.dwell))
            held = None
            if level.look is not None:
                held = yield from do(Hold(LEAKAGE, (For(self.dwell),)))
            is_on = held is not None and held.met is not None
            if held is not None and is_on:
                lasted = Reading(
                    "time_at_level", held.held_s, TIME, instrument=held.last.instrument
                )
                if too_much(held.highest.get("voltage", 0.0), self.supply, self.tolerance):
                    found.faults.append(Fault(Cause.OVERSTRESS, point.name))
                if not self._take(point, held.last, lasted, found):
                    break
                place += 1
                continue
            # It ended by itself: what is left goes on with mains put on anew.
            output = yield from do(Off(LEAKAGE))
            if output.ending is not Ending.FINISHED:
                place += self._take(point, output, output.time_at_level, found)
            elif ran_out_at == place:
                found.faults.append(Fault(Cause.LEVEL_NOT_REACHED, point.name))
                place += 1
            else:
                ran_out_at = place
        if is_on:
            # It may have tripped since the last look: that is of the last place.
            output = yield from do(Off(LEAKAGE))
            last = stage[min(place, len(stage) - 1)][1].name
            wrong = cut_faults(output, self.supply)
            found.faults += [Fault(each.cause, last) for each in wrong]
        return place

    def _leads(self, points: Points) -> Leads:
        """The leads to the unit: to where something is measured, and to what may stay charged.

        By leads what is left is measured and bled off, of an earth that was opened and of what
        anybody may touch, whether the unit earths it or only should.
        """
        leads = leads_of(_cell(point).tap for point in points)
        if not leads:
            return leads
        opens = any(_cell(point).supply.condition == "open_earth" for point in points)
        open_earth = (self.earth,) if opens and self.earth is not None else ()
        for terminal in (*points[0].values["touched"], *open_earth):
            leads.setdefault(terminal, len(leads) + 1)
        return leads

    def _connected(
        self, stage: Sequence[tuple[int, Point]], leads: Leads
    ) -> dict[str, tuple[str, ...]]:
        """The meter's terminals for a stage: with a box, a lead to each place of the unit."""
        terminals: dict[str, tuple[str, ...]] = {"line": (self.line,), "neutral": (self.neutral,)}
        if self.earth is not None and _cell(stage[0][1]).supply.condition != "open_earth":
            terminals["earth"] = (self.earth,)
        if leads:
            led = {
                name: number for name, number in leads.items() if (name,) != terminals.get("earth")
            }
            return terminals | {f"lead_{number}": (name,) for name, number in led.items()}
        for _, point in stage:
            if touched := _cell(point).tap.measured:
                terminals["body"] = touched
        return terminals

    def _programme(self, point: Point, found: _Found, dwell_s: float) -> Programme:
        tap, supply = _cell(point).tap, _cell(point).supply
        programme: dict[str, float | str] = {
            "path": "earth" if tap.path == "earth" else "touch",
            "method": self.method,
            "neutral": "open" if supply.condition == "open_neutral" else "closed",
            "network": self.network,
            "polarity": supply.polarity,
            "level_v": self.supply,
            "frequency_hz": self.frequency,
            "dwell_s": dwell_s,
        }
        return programme | leads_programme(tap, found.leads) if found.leads else programme

    def _take(self, point: Point, seen: Output | Look, at_level: Reading, found: _Found) -> bool:
        """Take what a cell has shown; False where the unit is not switched as it must be."""
        output = seen if isinstance(seen, Output) else None
        shown = seen.summary if isinstance(seen, Output) else seen.sample.values
        supply = seen.reading("voltage", VOLTAGE)
        load = seen.reading("load_current", CURRENT)
        switch, draws = _cell(point).supply.switch, self._draws(point)
        is_cut = output is not None and output.ending is not Ending.FINISHED
        is_wrong = draws and not is_cut and self._is_switched_wrong(load, switch)
        if is_wrong and found.is_table:
            found.load_text = display(load.value, CURRENT)
            return False  # it is asked for, and measured again
        for name in ("current", "peak_current", "dc_current"):
            is_asked = name != "peak_current" or name in found.wanted or not found.is_table
            if name not in shown or not is_asked or not self.is_measured(name, point):
                continue
            reading = seen.reading(name, CURRENT)
            if self.nominal is not None:
                reading = scaled(reading, self.nominal, supply)
            found.readings.append(reading.at(point.name))
        found.supplies.append(supply)
        found.times.append(at_level)
        (found.loads if draws and switch == "on" else found.idle).append(load)
        wrong: tuple[Fault, ...] = ()
        if output is not None and is_cut:
            wrong = cut_faults(output, self.supply)
        elif output is not None:
            wrong = level_faults(output, supply, "voltage", self.supply, self.tolerance)
        elif falls_short(supply, self.supply, self.tolerance):
            wrong = (Fault(Cause.LEVEL_NOT_REACHED),)
        found.faults += [Fault(each.cause, point.name) for each in wrong]
        return not is_wrong or bool(wrong)

    def _draws(self, point: Point) -> bool:
        """Whether a load current can flow: not with an open neutral, nor without mains."""
        return self.method != "alternative" and _cell(point).supply.condition != "open_neutral"

    def _is_switched_wrong(self, load: Reading, switch: SwitchedTo) -> bool:
        """Whether the load current says that the unit is not switched as it is to be."""
        if switch == "on":
            return self.load_current > 0 and not load.value >= self.load_current
        return self.load_current > 0 and not load.value <= self.load_current

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The supply must reach the voltage and hold it; DC is not read by every make."""
        reads_dc = any(measurand.quantity == "dc_current" for measurand in limits)
        demands = mains_demands(self.supply, self.frequency, self.dwell)
        return (*demands, Demand(LEAKAGE, "dc", 1.0, NUMBER, "path")) if reads_dc else demands

    def demands_at(self, points: Points) -> tuple[Demand, ...]:
        """A lead to each place, where one is not enough."""
        count = len(self._leads(points))
        return (Demand(LEAKAGE, "leads", float(count), NUMBER, "path"),) if count else ()

    def programmed_s(self, points: Points) -> float:
        return self.dwell * max(1, len(points))

    def wants_switch(self) -> str:
        return self.switch[0]

    def leaves_switch(self) -> str:
        return self.switch[-1]

    def fails_when_empty(self, limits: Limits) -> bool:
        proves = "on" in self.switch and set(self.condition) != {"open_neutral"}
        return (self.load_current > 0 and proves and self.method != "alternative") or any(
            bool(limit.minimum) for limit in limits.values()
        )

    def advice(self, step: Considered) -> Iterator[Advice]:
        if not self.fails_when_empty(step.limits):
            yield from passes_when_off()
        yield from beyond_the_meter(step, LEAKAGE)


def _cell(point: Point) -> Cell:
    cell: Cell = point.values["cell"]
    return cell


def _moving(text: str, to: str, *otherwise: str) -> Ask:
    """Have somebody move the unit's own switch."""
    return Ask(text, (f"it is {to}", *otherwise), hands_in=True, position=to)
