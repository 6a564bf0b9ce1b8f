"""A link to the hands of a simulated floor: what a person would do at the bench, by command."""

import socket

TIMEOUT_S = 10.0


class HandsError(Exception):
    """The hands could not do what was asked."""


class Hands:
    """Says one line at a time to the hands of running stand-ins."""

    def __init__(self, host: str, port: int) -> None:
        self.host, self.port = host, port

    def do(self, line: str) -> None:
        """Do something and wait until it is done; raises HandsError when it cannot be."""
        with socket.create_connection((self.host, self.port), timeout=TIMEOUT_S) as link:
            # A message of its own: what follows an error in the same message is never answered.
            link.sendall(f"*CLS\n{line}\n*OPC?\n".encode())
            link.recv(100)
            link.sendall(b"SYST:ERR?\n")
            answer = link.recv(200).decode().strip()
        if not answer.startswith(("0,", "+0,")):
            raise HandsError(f"The stand-ins refuse '{line}': {answer}")

    def put(self, nest: str, model: str, faults: str = "", serial: str = "by hand") -> None:
        """Put a stand-in unit into a nest (``FX-A/1``), with faults joined by ``|``."""
        self.do(f'HAND:NEST:LOAD "{nest}","{model}","{faults}","{serial}"')

    def turn(self, nest: str, position: str) -> None:
        """Turn the switch of the unit in a nest."""
        self.do(f'HAND:NEST:TURN "{nest}","{position}"')

    def dial(self, source: str, volts: float, volts_per_second: float) -> None:
        """Turn the dial of a source to so many volts, no faster than told."""
        self.do(f'HAND:DIAL "{source}",{volts:g},{volts_per_second:g}')

    def warm(self, nest: str, celsius: float) -> None:
        """Have what lies in a nest, now and later, at a temperature."""
        self.do(f'HAND:NEST:WARM "{nest}",{celsius:g}')

    def pump(self, nest: str, pascals: float) -> None:
        """Bring the cuff of the device in a nest to a pressure; 0 vents it."""
        self.do(f'HAND:NEST:PUMP "{nest}",{pascals:g}')

    def shown(self, nest: str, name: str) -> str:
        """What the display of the device in a nest shows: a figure in SI, or yes or no."""
        with socket.create_connection((self.host, self.port), timeout=TIMEOUT_S) as link:
            link.sendall(f'*CLS\nHAND:NEST:SHOW? "{nest}","{name}"\nSYST:ERR?\n'.encode())
            told = ""
            while not told.endswith("\n") or ('"' not in told):
                told += link.recv(200).decode()
        answer, _, error = told.rstrip("\n").rpartition("\n")
        if not error.startswith(("0,", "+0,")):
            raise HandsError(f"Nothing in nest {nest} shows a '{name}': {error}")
        return answer

    def clip(self, nest: str, contact: str, terminal: str) -> None:
        """Put a contact's clip to a terminal of the unit in a nest: its own, or another."""
        self.do(f'HAND:NEST:CLIP "{nest}","{contact}","{terminal}"')

    def bend(self, nest: str) -> None:
        """Bend the unit in a nest, once."""
        self.do(f'HAND:NEST:BEND "{nest}"')

    def touch(self, nest: str, contact: str) -> None:
        """Hold the probe to a contact of the unit in a nest, or of the empty nest."""
        self.do(f'HAND:NEST:TOUC "{nest}","{contact}"')

    def lift(self) -> None:
        """Take the probe away."""
        self.do("HAND:NEST:LIFT")

    def empty(self, nest: str) -> None:
        """Take out what is in a nest."""
        self.do(f'HAND:NEST:EMPT "{nest}"')

    def restore(self) -> None:
        """Put back what lay in every nest at the start; relays and wires are good again."""
        self.do("HAND:REST")

    def printer(self, trouble: str) -> None:
        """Have the printer in a trouble of its own, or READY again."""
        self.do(f"HAND:PRIN {trouble}")

    def pace(self, pace: float) -> None:
        """Let the stand-ins' clock go at another speed."""
        self.do(f"HAND:PACE {pace:g}")
