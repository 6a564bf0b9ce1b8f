"""The bench's error tree."""


class BenchError(Exception):
    """Root of every error that reaching instruments raises."""


class LinkFailed(BenchError):
    """An instrument did not answer, or its link broke."""

    def __init__(self, instrument: str, address: str, reason: str) -> None:
        super().__init__(instrument, address, reason)
        self.instrument, self.address, self.reason = instrument, address, reason

    def __str__(self) -> str:
        return (
            f"Instrument {self.instrument} at {self.address} {self.reason}; check that it is on, "
            "its cable, and the address in the bench file."
        )


class InstrumentFault(BenchError):
    """An instrument answered, but with an error or with nonsense."""

    def __init__(self, instrument: str, reason: str) -> None:
        super().__init__(instrument, reason)
        self.instrument, self.reason = instrument, reason

    def __str__(self) -> str:
        return f"Instrument {self.instrument} {self.reason}."


class Implausible(InstrumentFault):
    """What an instrument says of its output cannot be true; it counts against the instrument."""


class TooSoon(InstrumentFault):
    """An output was asked for before its role had rested."""

    def __init__(self, instrument: str, left_s: float) -> None:
        super().__init__(
            instrument, f"must rest {left_s:.0f} s more before its next output; it stays off"
        )
        self.left_s = left_s


class GuardOpen(BenchError):
    """High voltage was asked for with the guard open."""

    def __str__(self) -> str:
        return "The guard is open; close it before high voltage is switched on."


class NotArmed(BenchError):
    """High voltage was asked for by what was started without being armed."""

    def __init__(self, instrument: str) -> None:
        super().__init__(instrument)
        self.instrument = instrument

    def __str__(self) -> str:
        return (
            f"Instrument {self.instrument} would put a hazardous voltage on, and nobody armed "
            "that; its output stays off."
        )


class Charged(BenchError):
    """Root of what keeps everybody away from the fixture: no relay may move, nobody touch it."""


class StillCharged(Charged):
    """The unit did not discharge to a safe voltage in time."""

    def __init__(self, instrument: str, residual_v: float, safe_v: float) -> None:
        super().__init__(instrument, residual_v, safe_v)
        self.instrument, self.residual_v, self.safe_v = instrument, residual_v, safe_v

    def __str__(self) -> str:
        return (
            f"Instrument {self.instrument} still reads {self.residual_v:.0f} V at the unit; "
            f"{self.safe_v:.0f} V is safe. Do not touch the fixture; treat it as charged, earth it "
            "by hand, then confirm that."
        )


class ChargeUnknown(Charged):
    """After an output nothing could say what is left at the unit."""

    def __init__(self, instrument: str, why: str) -> None:
        super().__init__(instrument, why)
        self.instrument, self.why = instrument, why

    def __str__(self) -> str:
        return (
            f"Instrument {self.instrument} cannot say what is left at the unit ({self.why}). Do "
            "not touch the fixture; treat it as charged, earth it by hand, then confirm that."
        )
