"""Electrical networks solved by nodal analysis.

Nodes are strings; ``EARTH`` is the reference. A voltage source is given with its output resistance
and enters as its Norton equivalent. Every node leaks to earth through ``GMIN_S`` so that a floating
part has a defined voltage. Values are in SI units.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

EARTH = "earth"
GMIN_S = 1e-13

Vector = npt.NDArray[np.float64]
Phasors = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class Resistor:
    """A resistance of ``ohms`` between two nodes."""

    a: str
    b: str
    ohms: float


@dataclass(frozen=True, slots=True)
class Capacitor:
    """A capacitance of ``farads`` between two nodes."""

    a: str
    b: str
    farads: float


@dataclass(frozen=True, slots=True)
class Gap:
    """A gap that strikes above ``volts`` (peak) and then conducts through ``ohms`` until released.

    An arcing gap conducts only now and then, for moments too short to trip a source.
    """

    a: str
    b: str
    volts: float
    ohms: float = 500.0
    arcing: bool = False


@dataclass(frozen=True, slots=True)
class Source:
    """An ideal voltage ``volts`` in series with ``ohms`` from ``minus`` to ``plus``."""

    plus: str
    minus: str
    volts: complex
    ohms: float


Element = Resistor | Capacitor | Gap


class Network:
    """A set of elements and the gaps that have struck so far."""

    def __init__(self, elements: Iterable[Element]) -> None:
        self.elements = tuple(elements)
        self.gaps = tuple(each for each in self.elements if isinstance(each, Gap))
        self.struck: set[Gap] = set()
        names = {EARTH}
        for element in self.elements:
            names |= {element.a, element.b}
        self.index = {name: number for number, name in enumerate(sorted(names - {EARTH}))}

    def _add(self, matrix: Vector, a: str, b: str, amount: float) -> None:
        i, j = self.index.get(a), self.index.get(b)
        if i is not None:
            matrix[i, i] += amount
        if j is not None:
            matrix[j, j] += amount
        if i is not None and j is not None:
            matrix[i, j] -= amount
            matrix[j, i] -= amount

    def matrices(self, sources: Sequence[Source]) -> tuple[Vector, Vector]:
        """Give the conductance (S) and capacitance (F) matrices, source resistances included."""
        for source in sources:
            for node in (source.plus, source.minus):
                if node != EARTH and node not in self.index:
                    self.index[node] = len(self.index)
        size = len(self.index)
        conductance = np.eye(size) * GMIN_S
        capacitance = np.zeros((size, size))
        for element in self.elements:
            if isinstance(element, Resistor):
                self._add(conductance, element.a, element.b, 1 / element.ohms)
            elif isinstance(element, Capacitor):
                self._add(capacitance, element.a, element.b, element.farads)
            elif element in self.struck and not element.arcing:
                self._add(conductance, element.a, element.b, 1 / element.ohms)
        for source in sources:
            self._add(conductance, source.plus, source.minus, 1 / source.ohms)
        return conductance, capacitance

    def injection(self, sources: Sequence[Source]) -> Phasors:
        """The Norton currents (A) that ``sources`` push into each node."""
        currents = np.zeros(len(self.index), dtype=np.complex128)
        for source in sources:
            amount = source.volts / source.ohms
            if source.plus in self.index:
                currents[self.index[source.plus]] += amount
            if source.minus in self.index:
                currents[self.index[source.minus]] -= amount
        return currents

    def solve_ac(self, sources: Sequence[Source], frequency_hz: float) -> "Solution":
        """Give the steady-state node phasors (same scale as the sources, rms or peak)."""
        conductance, capacitance = self.matrices(sources)
        admittance = conductance + 2j * math.pi * frequency_hz * capacitance
        solved = np.linalg.solve(admittance, self.injection(sources))
        return Solution(self, solved.astype(np.complex128))

    def strike(self, solution: "Solution", peak_factor: float) -> list[Gap]:
        """Strike every gap whose voltage is over its limit; give those newly struck."""
        fresh = []
        for gap in self.gaps:
            across = abs(solution.across(gap.a, gap.b)) * peak_factor
            if across > gap.volts and gap not in self.struck:
                self.struck.add(gap)
                fresh.append(gap)
        return fresh

    def release(self) -> None:
        """Let every struck gap go out, as when the output has been off."""
        self.struck.clear()


@dataclass(frozen=True, slots=True)
class Solution:
    """Node voltages of a network."""

    network: Network
    voltages: Phasors

    def at(self, node: str) -> complex:
        """The voltage of a node against earth; 0 for earth and for a node nothing touches."""
        place = self.network.index.get(node)
        return 0j if place is None else complex(self.voltages[place])

    def across(self, a: str, b: str) -> complex:
        """The voltage from b to a."""
        return self.at(a) - self.at(b)

    def current_of(self, source: Source) -> complex:
        """The current in A that a source delivers out of its plus terminal."""
        return (source.volts - self.across(source.plus, source.minus)) / source.ohms


class Transient:
    """A network followed through time by the implicit Euler rule with a fixed step.

    Implicit Euler is stable for any step and exact for a ramp into a capacitor.
    """

    def __init__(self, network: Network, sources: Sequence[Source], step_s: float) -> None:
        self.network, self.step_s = network, step_s
        self.voltages = np.zeros(0)
        self.rebuild(sources)

    def rebuild(self, sources: Sequence[Source]) -> None:
        """Take up a change of struck gaps or source resistances; voltages carry over."""
        conductance, capacitance = self.network.matrices(sources)
        self._storage = capacitance / self.step_s
        self._inverse = np.linalg.inv(conductance + self._storage)
        kept = np.zeros(len(conductance))
        kept[: len(self.voltages)] = self.voltages
        self.voltages = kept

    def advance(self, sources: Sequence[Source]) -> Solution:
        """Go one step with the sources at their new voltages."""
        pushed = self.network.injection(sources).real + self._storage @ self.voltages
        self.voltages = self._inverse @ pushed
        return Solution(self.network, self.voltages.astype(np.complex128))
