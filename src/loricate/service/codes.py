"""One-time codes beside the password (TOTP, RFC 6238), each of which is taken once."""

import datetime as dt
import time
from dataclasses import dataclass
from typing import Self

import pyotp

from loricate.papers.symbols import qr_rows

WINDOW = 1  # time steps before and after, for clocks that do not agree


KEPT_S = 600.0  # how long a secret waits for its first code


@dataclass(frozen=True, slots=True)
class CodeSecret:
    """What an authenticator is set up with, and when it was given."""

    secret: str
    uri: str
    given_at: float

    @property
    def is_old(self) -> bool:
        """Whether its first code comes too late."""
        return time.monotonic() - self.given_at > KEPT_S

    @classmethod
    def new(cls, name: str, site: str) -> Self:
        """A fresh one for an account."""
        secret = pyotp.random_base32()
        uri = pyotp.TOTP(secret).provisioning_uri(name=name, issuer_name=site)
        return cls(secret, uri, time.monotonic())

    @property
    def rows(self) -> list[str]:
        """The address as a QR code: rows of ``1`` for dark and ``0`` for light."""
        return qr_rows(self.uri)


def step_of(secret: str, code: str, at: dt.datetime) -> int | None:
    """The time step whose code this is, about a moment; None for none."""
    maker, typed = pyotp.TOTP(secret), code.replace(" ", "")
    present = maker.timecode(at)
    for step in range(present - WINDOW, present + WINDOW + 1):
        if pyotp.utils.strings_equal(maker.generate_otp(step), typed):
            return step
    return None
