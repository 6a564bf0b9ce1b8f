"""Electrical networks solved by nodal analysis.

Nodes are strings; ``EARTH`` is the reference. A voltage source is given with its output resistance
and enters as its Norton equivalent. Every node leaks to earth through ``GMIN_S`` so that a floating
part has a defined voltage. Values are in SI units.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

EARTH = "earth"
GMIN_S = 1e-13
STRUCK_OHMS = 500.0

Vector = npt.NDArray[np.float64]
Phasors = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class Resistor:
    """A resistance of ``ohms`` between two nodes."""

    a: str
    b: str
    ohms: float


@dataclass(frozen=True, slots=True)
class Coil(Resistor):
    """A resistance with an inductance of ``henries``; those of one ``core`` are coupled.

    The ends ``a`` of coupled coils are in phase; ``coupling`` is 1 where all flux is common.
    """

    henries: float = 0.0
    core: str = ""
    coupling: float = 0.0


@dataclass(frozen=True, slots=True)
class Cell(Resistor):
    """A direct voltage ``volts`` behind a resistance, its plus at ``a``: a resistance to AC."""

    volts: float = 0.0


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
    ohms: float = STRUCK_OHMS
    arcing: bool = False


@dataclass(frozen=True, slots=True)
class Source:
    """An ideal voltage ``volts`` in series with ``ohms`` from ``minus`` to ``plus``."""

    plus: str
    minus: str
    volts: complex
    ohms: float


@dataclass(frozen=True, slots=True)
class Diode:
    """A diode from anode ``a`` to cathode ``b`` that conducts above ``volts``.

    ``solve_dc`` alone tells its directions apart; what asks for more volts finds it conducting.
    """

    a: str
    b: str
    volts: float
    ohms: float = 5.0


Element = Resistor | Capacitor | Gap | Diode
MOST_TURNS = 40  # of a search for which diodes conduct


class Network:
    """A set of elements and the gaps that have struck so far.

    With ``merged_below`` nodes that a resistance of less Ω joins are one: what a source of many kΩ
    sees stays the same, and the rest is solved faster.
    """

    def __init__(self, elements: Iterable[Element], merged_below: float = 0.0) -> None:
        self.elements = tuple(elements)
        self.gaps = tuple(each for each in self.elements if isinstance(each, Gap))
        self._least_gap_v = min((each.volts for each in self.gaps), default=math.inf)
        self.struck: set[Gap] = set()
        names = {each.a for each in self.elements} | {each.b for each in self.elements}
        self.index = {name: number for number, name in enumerate(sorted(names - {EARTH}))}
        if merged_below:
            self._merge(merged_below)
        self.size = len(set(self.index.values()))

    def _merge(self, below_ohms: float) -> None:
        """Give nodes that little resistance joins one place; earth keeps its own."""
        above = {name: name for name in self.index}

        def find(name: str) -> str:
            while above[name] != name:
                above[name] = above[above[name]]
                name = above[name]
            return name

        for each in self.elements:
            is_joint = isinstance(each, Resistor) and each.ohms < below_ohms
            if is_joint and EARTH not in (each.a, each.b):
                above[find(each.b)] = find(each.a)
        places: dict[str, int] = {}
        for name in self.index:
            self.index[name] = places.setdefault(find(name), len(places))

    def _add(self, matrix: Vector, a: str, b: str, amount: float) -> None:
        i, j = self.index.get(a), self.index.get(b)
        if i == j:
            return  # merged, or nothing
        if i is not None:
            matrix[i, i] += amount
        if j is not None:
            matrix[j, j] += amount
        if i is not None and j is not None:
            matrix[i, j] -= amount
            matrix[j, i] -= amount

    def matrices(self, sources: Sequence[Source], with_coils: bool = True) -> tuple[Vector, Vector]:
        """Give the conductance (S) and capacitance (F) matrices, source resistances included.

        Coils are in them by their resistance, or not at all.
        """
        for source in sources:
            for node in (source.plus, source.minus):
                if node != EARTH and node not in self.index:
                    self.index[node] = self.size
                    self.size += 1
        size = self.size
        conductance = np.eye(size) * GMIN_S
        capacitance = np.zeros((size, size))
        for element in self.elements:
            if isinstance(element, Coil) and not with_coils:
                continue
            if isinstance(element, Resistor):
                self._add(conductance, element.a, element.b, 1 / element.ohms)
            elif isinstance(element, Capacitor):
                self._add(capacitance, element.a, element.b, element.farads)
            elif isinstance(element, Diode) or (element in self.struck and not element.arcing):
                self._add(conductance, element.a, element.b, 1 / element.ohms)
        for source in sources:
            self._add(conductance, source.plus, source.minus, 1 / source.ohms)
        return conductance, capacitance

    def _add_coils(self, admittance: Phasors, omega: float) -> None:
        """Put every coil in by (R + jωL)^-1, those of one core together."""
        by_core: dict[str, list[Coil]] = {}
        for number, each in enumerate(self.elements):
            if isinstance(each, Coil):
                by_core.setdefault(each.core or f"by itself {number}", []).append(each)
        for coils in by_core.values():
            henries = np.array([each.henries for each in coils])
            share = np.array([each.coupling for each in coils])
            inductance = np.sqrt(np.outer(henries, henries)) * np.sqrt(np.outer(share, share))
            np.fill_diagonal(inductance, henries)
            impedance = np.diag([each.ohms for each in coils]) + 1j * omega * inductance
            between = np.linalg.inv(impedance)
            ends = np.zeros((len(coils), self.size))
            for row, each in enumerate(coils):
                for node, sign in ((each.a, 1.0), (each.b, -1.0)):
                    if (place := self.index.get(node)) is not None:
                        ends[row, place] += sign
            admittance += ends.T @ between @ ends

    def injection(self, sources: Sequence[Source]) -> Phasors:
        """The Norton currents (A) that ``sources`` push into each node."""
        currents = np.zeros(self.size, dtype=np.complex128)
        for source in sources:
            amount = source.volts / source.ohms
            if source.plus in self.index:
                currents[self.index[source.plus]] += amount
            if source.minus in self.index:
                currents[self.index[source.minus]] -= amount
        return currents

    def solve_ac(self, sources: Sequence[Source], frequency_hz: float) -> "Solution":
        """Give the steady-state node phasors (same scale as the sources, rms or peak)."""
        has_coils = frequency_hz > 0 and any(isinstance(each, Coil) for each in self.elements)
        conductance, capacitance = self.matrices(sources, with_coils=not has_coils)
        admittance = conductance + 2j * math.pi * frequency_hz * capacitance
        if has_coils:
            self._add_coils(admittance, 2 * math.pi * frequency_hz)
        try:
            solved = np.linalg.solve(admittance, self.injection(sources))
        except (
            np.linalg.LinAlgError
        ):  # a part floats, and what ties it to earth is lost in rounding
            solved = np.linalg.lstsq(admittance, self.injection(sources))[0]
        return Solution(self, solved.astype(np.complex128))

    def solve_dc(self, sources: Sequence[Source]) -> "Solution":
        """Give the steady-state node voltages at DC; each diode conducts forward alone."""
        cells = [each for each in self.elements if isinstance(each, Cell)]
        if cells:
            rest = Network(each for each in self.elements if not isinstance(each, Cell))
            own = [Source(each.a, each.b, each.volts, each.ohms) for each in cells]
            return rest.solve_dc([*sources, *own])
        diodes = [each for each in self.elements if isinstance(each, Diode)]
        if not diodes:
            return self.solve_ac(sources, 0.0)
        conducting: set[Diode] = set()
        solution = self._with_diodes(sources, conducting)
        for _ in range(MOST_TURNS):
            wanted = {each for each in diodes if solution.across(each.a, each.b).real > each.volts}
            if wanted == conducting:
                break
            conducting = wanted
            solution = self._with_diodes(sources, conducting)
        return solution

    def _with_diodes(self, sources: Sequence[Source], conducting: set[Diode]) -> "Solution":
        """Solve with these diodes conducting, each a small source against the current."""
        linear = Network(each for each in self.elements if not isinstance(each, Diode))
        drops = [Source(each.a, each.b, each.volts, each.ohms) for each in conducting]
        return linear.solve_ac([*sources, *drops], 0.0)

    def strike(self, solution: "Solution", peak_factor: float) -> list[Gap]:
        """Strike every gap whose voltage is over its limit; give those newly struck."""
        if not self.gaps:
            return []
        # Nothing is further apart than twice what is furthest from earth.
        if 2 * float(np.abs(solution.voltages).max()) * peak_factor <= self._least_gap_v:
            return []
        fresh = []
        for gap in self.gaps:
            across = abs(solution.across(gap.a, gap.b)) * peak_factor
            if across > gap.volts and gap not in self.struck:
                self.struck.add(gap)
                fresh.append(gap)
        return fresh

    def reached(self, nodes: Iterable[str]) -> set[str]:
        """Every node that hangs together with these, earth neither among them nor a tie."""
        beside: dict[str, list[str]] = {}
        for each in self.elements:
            beside.setdefault(each.a, []).append(each.b)
            beside.setdefault(each.b, []).append(each.a)
        found = {EARTH}
        left = list(nodes)
        while left:
            node = left.pop()
            if node not in found:
                found.add(node)
                left += beside.get(node, ())
        return found - {EARTH}

    def release(self) -> None:
        """Let every struck gap go out, as when the output has been off."""
        self.struck.clear()


class Solution:
    """Node voltages of a network."""

    __slots__ = ("_told", "network", "voltages")

    def __init__(self, network: Network, voltages: Phasors) -> None:
        self.network, self.voltages = network, voltages
        self._told: list[complex] = voltages.tolist()

    def at(self, node: str) -> complex:
        """The voltage of a node against earth; 0 for earth and for a node nothing touches."""
        place = self.network.index.get(node)
        return 0j if place is None else self._told[place]

    def across(self, a: str, b: str) -> complex:
        """The voltage from b to a."""
        return self.at(a) - self.at(b)

    def current_of(self, source: Source) -> complex:
        """The current in A that a source delivers out of its plus terminal."""
        return (source.volts - self.across(source.plus, source.minus)) / source.ohms


def _bases(capacitance: Vector) -> tuple[Vector, Vector, Vector]:
    """The capacitances (F) of independent charges, their base in the nodes, and that of the rest.

    Taken apart by what capacitors join, so that nodes without any stay as they are: a base that
    mixes them would drown their small conductances in the large ones.
    """
    size = len(capacitance)
    label = np.arange(size)
    for a, b in zip(*np.nonzero(capacitance), strict=True):
        label[label == label[a]] = label[b]
    stored, held, free = [], [], []
    for each in np.unique(label):
        nodes = np.nonzero(label == each)[0]
        own, base = np.linalg.eigh(capacitance[np.ix_(nodes, nodes)])
        for amount, vector in zip(own, base.T, strict=True):
            spread = np.zeros(size)
            spread[nodes] = vector
            if amount > 1e-9 * own.max() and amount > 1e-18:
                stored.append(amount)
                held.append(spread)
            else:
                free.append(spread)
    held_base = np.array(held).reshape(len(held), size).T
    return np.array(stored), held_base, np.array(free).reshape(len(free), size).T


class Transient:
    """A network followed through time, exactly for sources that are linear within each step.

    C·dv/dt = i - G·v is solved in the eigenvectors of C, in which nodes without capacitance follow
    the others at once; what is left is a set of decays, each known in closed form. ``charges`` are
    the volts that capacitors hold at the beginning.
    """

    def __init__(
        self,
        network: Network,
        sources: Sequence[Source],
        step_s: float,
        charges: Mapping[Capacitor, float] | None = None,
    ) -> None:
        self.network, self.step_s = network, step_s
        self._charge = np.zeros(0)
        self._solve(sources, charges or {})

    def rebuild(self, sources: Sequence[Source]) -> None:
        """Take up a change of struck gaps or source resistances; charges carry over."""
        self._solve(sources, {})

    def _solve(self, sources: Sequence[Source], charges: Mapping[Capacitor, float]) -> None:
        conductance, capacitance = self.network.matrices(sources)
        kept = np.zeros(len(conductance))
        kept[: len(self._charge)] = self._charge
        for capacitor, volts in charges.items():
            for node, sign in ((capacitor.a, 1), (capacitor.b, -1)):
                place = self.network.index.get(node)
                if place is not None:
                    kept[place] += sign * capacitor.farads * volts
        stored, self._held, self._free = _bases(capacitance)
        own = self._held.T @ conductance @ self._held
        self._mixed = self._free.T @ conductance @ self._held
        self._inverse = np.linalg.inv(self._free.T @ conductance @ self._free)
        reduced = own - self._mixed.T @ self._inverse @ self._mixed
        self._root = np.sqrt(stored)
        rates, self._modes = np.linalg.eigh(reduced / np.outer(self._root, self._root))
        self._rates = np.clip(rates, 0.0, None)
        self._state = self._modes.T @ ((self._held.T @ kept) / self._root)
        self._injected = self.network.injection(sources).real
        self._driven = self._drive(self._injected)

    def _drive(self, injected: Vector) -> Vector:
        """What pushes each decay, for currents (A) pushed into the nodes."""
        free = self._inverse @ (self._free.T @ injected)
        push: Vector = self._modes.T @ (
            (self._held.T @ injected - self._mixed.T @ free) / self._root
        )
        return push

    def advance(self, sources: Sequence[Source], step_s: float | None = None) -> "Solution":
        """Go one step (s) in which the sources go in a straight line to their new voltages."""
        step = self.step_s if step_s is None else step_s
        decay = self._rates * step
        faded = np.exp(-decay)
        small = decay < 1e-6
        safe = np.where(small, 1.0, decay)
        level = np.where(small, 1.0 - decay / 2, (1.0 - faded) / safe)
        slope = np.where(small, 0.5 - decay / 6, (1.0 - level) / safe)
        before, self._injected = self._driven, self.network.injection(sources).real
        self._driven = self._drive(self._injected)
        self._state = faded * self._state + step * (
            level * before + slope * (self._driven - before)
        )
        return self.now()

    def now(self) -> "Solution":
        """The node voltages at this moment."""
        held = (self._modes @ self._state) / self._root
        free = self._inverse @ (self._free.T @ self._injected - self._mixed @ held)
        voltages = self._held @ held + self._free @ free
        self._charge = self._held @ (self._root**2 * held)
        return Solution(self.network, voltages.astype(np.complex128))

    def charges(self) -> dict[Capacitor, float]:
        """The volts that each capacitor holds at this moment."""
        solution = self.now()
        return {
            each: solution.across(each.a, each.b).real
            for each in self.network.elements
            if isinstance(each, Capacitor)
        }
