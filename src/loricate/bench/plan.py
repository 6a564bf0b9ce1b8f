"""The bench file: which instruments, matrix, guard and fixtures one service drives."""

import datetime as dt
import tomllib
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Annotated, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    StringConstraints,
    WithJsonSchema,
    model_validator,
)

from loricate.core.documents import fault_at, read_document
from loricate.core.errors import DocumentError, Finding
from loricate.core.limits.limit import Code
from loricate.core.measuring.roles import ROLES, Role, check_role
from loricate.core.quantities import Seconds

Address = Annotated[str, Field(pattern=r"^(tcp://[^:/]+:\d+|visa:.+)$")]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


Named = Annotated[str, StringConstraints(strip_whitespace=True, max_length=64)]


class LinkedPart(_Part):
    """What is reached over a link: where, how it is spoken to, and who must answer.

    Maker, model and serial are held against the fields of its identity (IEEE 488.2, 10.14), as far
    as they are given.
    """

    id: Code
    address: Address
    profile: str
    maker: Named = ""
    model: Named = ""
    serial: Named = ""


KnownRole = Annotated[
    Role, AfterValidator(check_role), WithJsonSchema({"type": "string", "enum": list(ROLES)})
]


class InstrumentPlan(LinkedPart):
    """One instrument: role, address, profile, who it is, and its calibration.

    A bench may have any number of one role; a step takes a free one that can do it.
    """

    role: KnownRole
    title: str
    serial: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1)]
    calibrated: dt.date
    due: dt.date
    certificate: str = ""


class MatrixPlan(LinkedPart):
    """The relay matrix: its address, and the rows that each instrument terminal is wired to.

    They are given by the instrument's id, or by the role of one that has it alone.
    """

    rows: dict[str, dict[str, tuple[int, ...]]]


class GuardPlan(LinkedPart):
    """The guard's input."""


class FixturePlan(_Part):
    """A fixture: for each nest, the matrix column of each unit terminal.

    ``per_row`` nests stand side by side; ``earthed`` are the unit's terminals that the fixture
    itself connects to earth. ``zero_lasts`` is how long a zero of its leads counts (s),
    ``mating_limit`` how often a nest may take a unit until its contacts are renewed.
    """

    code: Code
    title: str
    nests: dict[str, dict[str, int]] = Field(min_length=1)
    per_row: int = Field(default=4, ge=1, le=8)
    zero_lasts: Annotated[Seconds, Field(gt=0)] = 7 * 86_400.0
    mating_limit: int = Field(default=10_000, ge=1)
    earthed: tuple[str, ...] = ()


class DailyCheckPlan(_Part):
    """The daily check: its sequence, how long it counts (s), and the two reference boxes."""

    sequence: Code
    lasts: Annotated[Seconds, Field(gt=0)] = 86_400.0
    good: str = Field(min_length=1, max_length=64)
    bad: str = Field(min_length=1, max_length=64)


class InputsPlan(LinkedPart):
    """Digital inputs of the bench: the foot switch, and a switch in each nest that feels a unit.

    ``presence`` gives the number of each nest's input by fixture and nest.
    """

    presence: dict[str, dict[str, int]] = Field(default_factory=dict)


class ClimatePlan(LinkedPart):
    """What measures the air about the units: temperature in °C, relative humidity in percent."""


class BenchPlan(_Part):
    """A bench file.

    ``pace`` is how many times faster than real time the instruments' clocks may go: 1, but for
    stand-ins. An instrument whose clock outruns it is not believed.
    """

    format: Literal["loricate-bench/1"]
    code: Code
    title: str
    site: str
    instruments: tuple[InstrumentPlan, ...] = Field(min_length=1)
    matrix: MatrixPlan
    guard: GuardPlan
    fixtures: tuple[FixturePlan, ...] = Field(min_length=1)
    daily_check: DailyCheckPlan | None = None
    inputs: InputsPlan | None = None
    climate: ClimatePlan | None = None
    pace: float = Field(default=1.0, ge=1.0)

    @model_validator(mode="after")
    def _no_doubles(self) -> "BenchPlan":
        named = {f"instruments[{index}]": each.id for index, each in enumerate(self.instruments)}
        named |= {"matrix": self.matrix.id, "guard": self.guard.id}
        if self.inputs is not None:
            named["inputs"] = self.inputs.id
        if self.climate is not None:
            named["climate"] = self.climate.id
        for place, name in named.items():
            first = next(other for other, its in named.items() if its == name)
            if first != place:
                raise fault_at(f"{place}.id", f"{name} is that of {first}", "give each its own.")
        self._check_rows()
        for index, fixture in enumerate(self.fixtures):
            columns: dict[int, str] = {}
            for nest, terminals in fixture.nests.items():
                for terminal, column in terminals.items():
                    place = f"nests.{nest}.{terminal}"
                    if (first := columns.setdefault(column, place)) != place:
                        reason = f"is on matrix column {column}, as {first} is"
                        raise fault_at(f"fixtures[{index}].{place}", reason, "give each its own.")
        return self

    def _check_rows(self) -> None:
        """Rows must belong to one instrument each, and no two instruments to one row."""
        wired: dict[int, str] = {}
        for name, terminals in self.matrix.rows.items():
            meant = [each.id for each in self.instruments if name in (each.id, each.role)]
            if not meant:
                raise fault_at(f"matrix.rows.{name}", "is no instrument", "give an id or a role.")
            if len(meant) > 1:
                reason = f"may mean {' or '.join(meant)}"
                raise fault_at(f"matrix.rows.{name}", reason, "give the rows by id.")
            for row in (row for rows in terminals.values() for row in rows):
                if wired.setdefault(row, meant[0]) != meant[0]:
                    reason = f"has row {row}, which is {wired[row]}'s"
                    raise fault_at(f"matrix.rows.{name}", reason, "a row is one's.")

    @cached_property
    def rows(self) -> dict[str, dict[str, tuple[int, ...]]]:
        """The rows of each instrument's terminals, by its id."""
        return {
            each.id: self.matrix.rows.get(each.id) or self.matrix.rows.get(each.role, {})
            for each in self.instruments
        }

    @property
    def earthed(self) -> dict[str, tuple[str, ...]]:
        """What of a unit each fixture earths, of those that earth anything."""
        return {each.code: each.earthed for each in self.fixtures if each.earthed}

    def of_role(self, role: Role) -> tuple[InstrumentPlan, ...]:
        """The instruments of a role, in their order."""
        return tuple(each for each in self.instruments if each.role == role)

    def nest_names(self, nests: Sequence[Mapping[str, int]]) -> tuple[str, ...]:
        """The names of nests by their columns."""
        return tuple(
            name
            for fixture in self.fixtures
            for name, columns in fixture.nests.items()
            if any(columns == nest for nest in nests)
        )

    def find_fixture(self, code: str) -> FixturePlan | None:
        """Give the fixture of this code, or None."""
        return next((each for each in self.fixtures if each.code == code), None)


def read_bench_plan(path: Path) -> BenchPlan:
    """Read a bench file; raises DocumentError naming each faulty key."""
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        finding = Finding(str(path), f"cannot be read ({error.strerror}).")
        raise DocumentError("bench file", (finding,)) from error
    except tomllib.TOMLDecodeError as error:
        raise DocumentError(
            "bench file", (Finding(str(path), f"is not TOML: {error}."),)
        ) from error
    moved = tuple(  # benches of 0.1.0 had these
        Finding(name, "belongs into the site file now", "move it to site.toml beside this file.")
        for name in ("exports", "sounds")
        if name in data
    )
    if moved:
        raise DocumentError("bench file", moved)
    return read_document(BenchPlan, data, "bench file")
