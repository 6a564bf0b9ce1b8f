"""The hands of the simulated floor: put units in nests, open the guard, switch instruments off."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.dc_source import TurnedSource
from loricate.simulator.scpi import ScpiError
from loricate.simulator.server import MISCHIEF, Instrument

if TYPE_CHECKING:
    from loricate.simulator.printer import Printer


class Hands(Instrument):
    """Does by command what a person at the bench does by hand."""

    model = "HANDS"

    def __init__(
        self,
        floor: Floor,
        clock: PacedClock,
        instruments: Mapping[str, Instrument],
        restore: Callable[[], None],
        host: str,
        printer: "Printer | None" = None,
    ) -> None:
        super().__init__("0")
        self.floor, self.clock, self.instruments, self.host = floor, clock, instruments, host
        self.printer = printer
        self.command("HANDs:NEST:LOAD", self._load)
        self.command("HANDs:NEST:EMPTy", self._empty)
        self.command("HANDs:NEST:TURN", self._turn)
        self.command("HANDs:NEST:BEND", self._bend)
        self.command("HANDs:NEST:CLIP", self._clip)
        self.command("HANDs:NEST:WARM", self._warm)
        self.command("HANDs:NEST:PUMP", self._pump)
        self.command("HANDs:NEST:SHOWn?", self._shown)
        self.command("HANDs:DIAL", self._dial)
        self.command("HANDs:NEST:TOUCh", self._touch)
        self.command("HANDs:NEST:LIFT", self._lift)
        self.command("HANDs:GUARd", lambda text: floor.set_guard(scpi.boolean(text)))
        self.command("HANDs:POWer", self._power)
        self.command("HANDs:FAULt", self._fault)
        self.command("HANDs:PACE", self._pace)
        self.command("HANDs:RESTore", restore)
        self.command("HANDs:FOOT", self._press)
        self.command("HANDs:PRINter", self._print)
        self.command("HANDs:RELay", self._relay)
        self.command("HANDs:WIRE", self._wire)

    def _load(self, nest: str, model: str, faults: str, serial: str) -> None:
        chosen = tuple(name for name in scpi.unquoted(faults).split("|") if name)
        try:
            self.floor.put_in(
                scpi.unquoted(nest), scpi.unquoted(model), chosen, scpi.unquoted(serial)
            )
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _empty(self, nest: str) -> None:
        try:
            self.floor.take_out(scpi.unquoted(nest))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _turn(self, nest: str, position: str) -> None:
        """Turn the switch of the unit in a nest."""
        try:
            self.floor.turn(scpi.unquoted(nest), scpi.unquoted(position))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _clip(self, nest: str, contact: str, terminal: str) -> None:
        """Put a contact's clip to a terminal of the unit in a nest."""
        try:
            self.floor.clip(scpi.unquoted(nest), scpi.unquoted(contact), scpi.unquoted(terminal))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _warm(self, nest: str, celsius: str) -> None:
        """Have the unit in a nest at a temperature."""
        try:
            self.floor.warm(scpi.unquoted(nest), scpi.number(celsius, -50, 250))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _pump(self, nest: str, pascals: str) -> None:
        """Bring the cuff of the device in a nest to a pressure; 0 vents it."""
        device = self.floor.device_in(scpi.unquoted(nest))
        if device is None:
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        device.cuff_pa = scpi.number(pascals, 0, 100_000)

    def _shown(self, nest: str, name: str) -> str:
        """What a person reads from the display of the device in a nest."""
        device = self.floor.device_in(scpi.unquoted(nest))
        try:
            told = device.shown(scpi.unquoted(name)) if device is not None else None
        except KeyError:
            told = None
        if told is None:
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        return told if isinstance(told, str) else f"{told:.6g}"

    def _dial(self, name: str, volts: str, slope: str) -> None:
        """Turn the dial of a source, by so many volts a second."""
        source = self.instruments.get(scpi.unquoted(name))
        if not isinstance(source, TurnedSource):
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        source.dial(scpi.number(volts, 0, 10_000), scpi.number(slope, 1, 100_000))

    def _touch(self, nest: str, contact: str) -> None:
        """Hold the probe to a contact."""
        try:
            self.floor.touch(scpi.unquoted(nest), scpi.unquoted(contact))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    def _lift(self) -> None:
        """Take the probe away."""
        self.floor.touched = None

    def _bend(self, nest: str) -> None:
        """Bend the unit in a nest."""
        try:
            self.floor.bend(scpi.unquoted(nest))
        except KeyError:
            raise ScpiError(*scpi.ILLEGAL_VALUE) from None

    async def _power(self, name: str, state: str) -> None:
        instrument = self.instruments.get(scpi.unquoted(name))
        if instrument is None:
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        await instrument.power(scpi.boolean(state), self.host)

    def _fault(self, name: str, how: str) -> None:
        instrument = self.instruments.get(scpi.unquoted(name))
        known = () if instrument is None else (*MISCHIEF, *instrument.own_mischief, "NONE")
        if instrument is None or how.upper() not in known:
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        instrument.misbehave(how.upper())

    def _pace(self, text: str) -> None:
        self.clock.pace = scpi.number(text, 0.1, 1000)

    def _press(self) -> None:
        self.floor.presses += 1

    def _print(self, trouble: str) -> None:
        """Have the printer in a trouble of its own, or READY again."""
        if self.printer is None:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        if trouble.upper() not in (*self.printer.troubles, "READY"):
            raise ScpiError(*scpi.ILLEGAL_VALUE)
        self.printer.trouble = "" if trouble.upper() == "READY" else trouble.upper()

    def _relay(self, row: str, column: str, state: str) -> None:
        """STUCK, GOOD, or the Ω that an open relay leaks through."""
        point = (int(scpi.number(row, 1, 10_000)), int(scpi.number(column, 1, 10_000)))
        self.floor.stuck.discard(point)
        self.floor.leaks.pop(point, None)
        if state.upper() == "STUCK":
            self.floor.stuck.add(point)
        elif state.upper() != "GOOD":
            self.floor.leaks[point] = scpi.number(state, 1e-3, 1e12)

    def _wire(self, a: str, b: str, ohms: str) -> None:
        """The Ω between two columns' wires."""
        pair = (int(scpi.number(a, 1, 10_000)), int(scpi.number(b, 1, 10_000)))
        self.floor.wet[pair] = scpi.number(ohms, 1e-3, 1e12)
