"""Windings: motors, transformers, coils."""

from collections.abc import Iterator, Mapping
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.limits.limit import Code
from loricate.core.products.families.section import ACROSS, Expectation, FamilySection, Terminal
from loricate.core.quantities import Fraction, Ohms
from loricate.core.windings.phases import Connection
from loricate.core.windings.temperature import Conductor, Insulant

ThermalClass = Literal[90, 105, 120, 130, 155, 180, 200, 220, 250]  # IEC 60085
PHASES = 3


class NamedWinding(BaseModel):
    """One winding of several, by its two ends; the first ends of all are in phase."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Code = Field(title="Name")
    start: Terminal = Field(title="Start")
    end: Terminal = Field(title="End")
    resistance: Annotated[Ohms, Field(gt=0)] | None = Field(
        default=None, title="Resistance", description="Nominal, at the reference temperature"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1, title="Tolerance", description="Of its resistance"
    )


class WindingSection(FamilySection):
    """What is known of a winding."""

    expected = (
        Expectation(
            ("winding_resistance", "impedance", "continuity"), "the resistance of a winding"
        ),
        Expectation((*ACROSS, "polarization", "step_voltage"), "the insulation of a winding"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"short_circuit_impedance": "short_circuit_impedance"}

    leads: tuple[Terminal, ...] = Field(
        default=(),
        max_length=PHASES,
        title="Leads",
        description="Both ends of one winding, or the three leads of three phases in their order",
    )
    windings: tuple[NamedWinding, ...] = Field(
        default=(), max_length=40, title="Windings", description="Of a transformer, by their ends"
    )
    connection: Connection | None = Field(
        default=None, title="Connection", description="How three phases are joined inside"
    )
    conductor: Conductor = Field(
        default=Conductor.COPPER,
        title="Conductor",
        description="With whose figure for its resistance over temperature: copper 234.5 "
        "(IEEE 112, IEC 60335-1), copper_iec 235 (IEC 60034-1, IEC 60076-1), aluminium 225",
    )
    insulant: Insulant | None = Field(
        default=None,
        title="Insulation",
        description="As the correction of its resistance to 40 °C distinguishes it (IEEE 43)",
    )
    thermal_class: ThermalClass | None = Field(
        default=None, title="Thermal class", description="Of the insulation, in °C"
    )
    wound: Literal["random", "form"] | None = Field(default=None, title="Wound")
    short_circuit_impedance: Annotated[Fraction, Field(gt=0, lt=1)] | None = Field(
        default=None, title="Short-circuit impedance", description="Of a transformer, in percent"
    )

    @model_validator(mode="after")
    def _leads_fit(self) -> "WindingSection":
        if len(self.leads) == 1 or len(set(self.leads)) < len(self.leads):
            raise fault_at("leads", "do not make a winding", "name two or three, each once.")
        names = [each.name for each in self.windings]
        if len(set(names)) < len(names):
            raise fault_at("windings", "has a name twice", "each needs its own.")
        for place, each in enumerate(self.windings):
            if each.start == each.end:
                raise fault_at(f"windings[{place}].end", "is its start", "name the other end.")
        if self.connection is not None and len(self.leads) != PHASES:
            raise fault_at("connection", "is of three phases", "name their three leads.")
        return self

    def words(self) -> Mapping[str, tuple[str, ...]]:
        """How it is wound."""
        return {} if self.wound is None else {"wound": (self.wound,)}

    def numbers(self) -> Mapping[str, float]:
        """Its impedance, and its thermal class."""
        known = {
            "short_circuit_impedance": self.short_circuit_impedance,
            "thermal_class": self.thermal_class,
        }
        return {name: float(value) for name, value in known.items() if value is not None}

    def reached(self) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
        """Its leads, and the ends of its windings."""
        yield "leads", self.leads
        for place, each in enumerate(self.windings):
            yield f"windings[{place}].start", (each.start,)
            yield f"windings[{place}].end", (each.end,)

    @property
    def pairs(self) -> tuple[tuple[str, Terminal, Terminal], ...]:
        """What has a resistance: each two leads, and each winding, by name."""
        leads = self.leads
        ends = [leads] if len(leads) < PHASES else [*zip(leads, leads[1:] + leads[:1], strict=True)]
        between = [(f"{a} to {b}", a, b) for a, b in ends] if leads else []
        return (*between, *((each.name, each.start, each.end) for each in self.windings))
