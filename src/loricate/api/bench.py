"""The bench: who answers, calibration, fixtures."""

import datetime as dt

from pydantic import BaseModel, Field


class InstrumentOut(BaseModel):
    """One instrument as last seen; ``problem`` is empty when it answers."""

    id: str
    role: str
    title: str
    address: str
    serial: str
    identity: str
    problem: str
    calibrated: dt.date | None
    due: dt.date | None
    days_left: int | None = Field(description="Days until the calibration ends; negative when over")
    certificate: str


class FixtureOut(BaseModel):
    """A fixture and its nests: terminal to matrix column."""

    code: str
    title: str
    nests: dict[str, dict[str, int]]


class BenchOut(BaseModel):
    """The bench that this service drives."""

    code: str
    title: str
    site: str
    guard_closed: bool | None = Field(description="None when the guard does not answer")
    running: str
    instruments: list[InstrumentOut]
    fixtures: list[FixtureOut]
