"""What a device under test shows of what is given to its sensors, and what pressure it keeps.

A unit file's ``device`` says it, and its faults change it. The figures follow what is given with a
time constant, in steps of the display; an alarm comes above its level; the pressure in a cuff that
it holds falls away.
"""

import math
from dataclasses import dataclass, field, replace

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.quantities import DIMENSIONS, TIME, parse

CUFF = "cuff"
AIR = {"temperature": 21.5, "pressure": 0.0}  # what a sensor has that nothing is given to


class Shown(BaseModel):
    """How a figure of its display follows what is given; ``off`` is by how much it is wrong."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    follows: str = "100 ms"
    step: str
    off: str = ""


class Alarm(BaseModel):
    """An alarm that comes while a figure is above a level; one that is not ``there`` never does."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    of: str
    above: str
    there: bool = True


class DeviceModel(BaseModel):
    """The device of a unit file; ``keeps`` is the time constant of the pressure in its cuff.

    What it shows of that pressure is as far ``off`` as what it shows of a pressure given to it.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    shows: dict[str, Shown] = Field(default_factory=dict)
    alarms: dict[str, Alarm] = Field(default_factory=dict)
    keeps: str = ""


class DeviceChange(BaseModel):
    """What a fault changes of a device: a figure that is ``off``, an alarm, what its cuff keeps."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    shows: str = ""
    off: str = ""
    alarm: str = ""
    keeps: str = ""


def changed(model: DeviceModel, changes: tuple[DeviceChange, ...]) -> DeviceModel:
    """The device with a fault's changes; raises KeyError for what it has not."""
    for change in changes:
        shows, alarms = dict(model.shows), dict(model.alarms)
        if change.shows:
            shows[change.shows] = shows[change.shows].model_copy(update={"off": change.off})
        if change.alarm:
            alarms[change.alarm] = alarms[change.alarm].model_copy(update={"there": False})
        keeps = change.keeps or model.keeps
        model = model.model_copy(update={"shows": shows, "alarms": alarms, "keeps": keeps})
    return model


@dataclass(frozen=True, slots=True)
class _Figure:
    """One figure of the display, in SI: what the sensor has reached by now."""

    now: float
    follows_s: float
    step: float
    off: float

    def after(self, given: float, passed_s: float) -> "_Figure":
        return replace(self, now=given + (self.now - given) * math.exp(-passed_s / self.follows_s))

    @property
    def shown(self) -> float:
        return round((self.now + self.off) / self.step) * self.step


@dataclass(slots=True)
class Device:
    """A device in a nest as it stands: its figures, and the pressure (Pa) in its cuff."""

    model: DeviceModel
    cuff_pa: float = 0.0
    _figures: dict[str, _Figure] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, shown in self.model.shows.items():
            dimension = DIMENSIONS[name]
            self._figures[name] = _Figure(
                AIR[name],
                parse(shown.follows, TIME),
                parse(shown.step, dimension),
                parse(shown.off, dimension) if shown.off else 0.0,
            )

    def give(self, given: dict[str, float], passed_s: float) -> None:
        """Let its sensors have something (SI, by quantity) for a while."""
        for name, figure in self._figures.items():
            self._figures[name] = figure.after(given.get(name, AIR[name]), passed_s)

    def pass_time(self, passed_s: float) -> None:
        """Let the pressure in its cuff fall for a while."""
        if self.model.keeps:
            self.cuff_pa *= math.exp(-passed_s / parse(self.model.keeps, TIME))

    @property
    def cuff_shown_pa(self) -> float:
        """What it shows of the pressure in its cuff."""
        figure = self._figures["pressure"]
        return round((self.cuff_pa + figure.off) / figure.step) * figure.step

    def shown(self, name: str) -> float | str:
        """What it shows: a figure (SI), or ``yes`` or ``no`` of an alarm; raises KeyError."""
        if name == CUFF:
            return self.cuff_shown_pa
        if name not in self.model.alarms:
            return self._figures[name].shown
        alarm = self.model.alarms[name]
        is_over = self._figures[alarm.of].now > parse(alarm.above, DIMENSIONS[alarm.of])
        return "yes" if alarm.there and is_over else "no"
