"""The kinds of step, each in one module here, listed in plain sight."""

from loricate.core.kinds.clips import Clips
from loricate.core.kinds.continuity import Continuity
from loricate.core.kinds.defibrillation import Defibrillation
from loricate.core.kinds.entry import Entry
from loricate.core.kinds.gauge import Gauge
from loricate.core.kinds.ground_bond import GroundBond
from loricate.core.kinds.impedance import Impedance
from loricate.core.kinds.inductance import Inductance
from loricate.core.kinds.insulation import Insulation
from loricate.core.kinds.intermittent import Intermittent
from loricate.core.kinds.kind import KINDS, Kind, KindSettings, find_kind, register
from loricate.core.kinds.leakage import Leakage
from loricate.core.kinds.polarity import Polarity
from loricate.core.kinds.polarization import Polarization
from loricate.core.kinds.power import Power
from loricate.core.kinds.question import Question
from loricate.core.kinds.response import Response
from loricate.core.kinds.step_voltage import StepVoltage
from loricate.core.kinds.surge import Surge
from loricate.core.kinds.temperature import Temperature
from loricate.core.kinds.touch import Touch
from loricate.core.kinds.turns_ratio import TurnsRatioStep
from loricate.core.kinds.visual import Visual
from loricate.core.kinds.wait import WaitStep
from loricate.core.kinds.winding_resistance import WindingResistance
from loricate.core.kinds.wiring import WiringStep
from loricate.core.kinds.withstand import Withstand

SHIPPED: tuple[Kind, ...] = (
    Visual,
    GroundBond,
    Continuity,
    WiringStep,
    Intermittent,
    Touch,
    Polarity,
    Insulation,
    Withstand,
    Clips,
    Leakage,
    Defibrillation,
    Response,
    Gauge,
    Power,
    Impedance,
    Temperature,
    WindingResistance,
    Polarization,
    StepVoltage,
    Surge,
    TurnsRatioStep,
    Inductance,
    Question,
    Entry,
    WaitStep,
)

for _kind in SHIPPED:
    register(_kind)

__all__ = ["KINDS", "SHIPPED", "Kind", "KindSettings", "find_kind", "register"]
