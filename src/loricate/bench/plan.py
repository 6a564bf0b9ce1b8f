"""The bench file: which instruments, matrix, guard and fixtures one service drives."""

import datetime as dt
import tomllib
from collections.abc import Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

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
from loricate.core.fixtures.columns import read_columns
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


class DailyCheckPlan(_Part):
    """The daily check: its sequence, how long it counts (s), and the two reference boxes."""

    sequence: Code
    lasts: Annotated[Seconds, Field(gt=0)] = 86_400.0
    good: str = Field(min_length=1, max_length=64)
    bad: str = Field(min_length=1, max_length=64)


class FixturePlan(_Part):
    """A fixture: for each nest, the matrix column of each unit terminal.

    ``per_row`` nests stand side by side; ``earthed`` are the unit's terminals that the fixture
    itself connects to earth. ``zero_lasts`` is how long a zero of its leads counts (s),
    ``zeroed_by`` the role of the instrument that measures it, ``mating_limit`` how often a nest may
    take a unit until its contacts are renewed. ``columns`` is the file beside the bench file that
    has the nests where there are many contacts; ``daily_check`` is its own where the bench's does
    not fit it.
    """

    code: Code
    title: str
    nests: dict[str, dict[str, int]] = Field(default_factory=dict)
    columns: str = Field(default="", pattern=r"^([A-Za-z0-9][A-Za-z0-9._-]*\.csv)?$")
    per_row: int = Field(default=4, ge=1, le=8)
    zero_lasts: Annotated[Seconds, Field(gt=0)] = 7 * 86_400.0
    zeroed_by: Literal["bond", "wiring"] = "bond"
    mating_limit: int = Field(default=10_000, ge=1)
    earthed: tuple[str, ...] = ()
    daily_check: DailyCheckPlan | None = None

    @model_validator(mode="after")
    def _has_nests(self) -> "FixturePlan":
        if not self.nests:
            remedy = "give the column of each terminal, or the file that has them as columns."
            raise fault_at("nests", "are missing", remedy)
        return self


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

    def check_of(self, fixture: FixturePlan) -> DailyCheckPlan | None:
        """The daily check of a fixture: its own, else the bench's."""
        return fixture.daily_check or self.daily_check

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

    def free_beside(self, nest: Mapping[str, int]) -> tuple[int, ...]:
        """The columns next to a nest's own that no fixture has, up to those that one has.

        Beyond the greatest column of all fixtures nobody knows whether the matrix has more.
        """
        taken = {
            column
            for fixture in self.fixtures
            for own in fixture.nests.values()
            for column in own.values()
        }
        found: list[int] = []
        for column in sorted(set(nest.values())):
            for beyond in (range(column - 1, min(taken), -1), range(column + 1, max(taken))):
                for each in beyond:
                    if each in taken or each in found:
                        break
                    found.append(each)
        return tuple(sorted(found))

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
    return read_document(BenchPlan, with_columns(data, path.parent), "bench file")


def with_columns(data: dict[str, Any], folder: Path) -> dict[str, Any]:
    """A bench file's document with the nests of each fixture that has them in a file of its own.

    Raises DocumentError with the line of each mistake.
    """
    findings: list[Finding] = []
    for index, fixture in enumerate(data.get("fixtures", ())):
        name = fixture.get("columns") if isinstance(fixture, dict) else None
        if not isinstance(name, str) or not name:
            continue
        place = f"fixtures[{index}].columns"
        if fixture.get("nests"):
            message = "is given beside nests", "leave one of them out."
            findings.append(Finding(place, *message))
            continue
        try:
            text = (folder / Path(name).name).read_text(encoding="utf-8")
        except (OSError, ValueError) as error:
            findings.append(Finding(place, f"{name} cannot be read ({error})."))
            continue
        nests, wrong = read_columns(text)
        fixture["nests"] = nests
        findings += [Finding(f"{name}, {where}", reason, remedy) for where, reason, remedy in wrong]
    if findings:
        raise DocumentError("bench file", tuple(findings))
    return data
