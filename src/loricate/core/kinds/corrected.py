"""What kinds share that correct a resistance for the unit's temperature.

The corrected resistance is a reading of its own beside the one that was measured. Where there is no
temperature, or one outside of the formula's range, it is left out, so that its limit decides
nothing, and the reason is said.
"""

from collections.abc import Callable, Iterator

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import LimitSlot
from loricate.core.measuring.readings import Reading
from loricate.core.quantities import RESISTANCE
from loricate.core.windings.temperature import (
    Conductor,
    Corrected,
    Insulant,
    OutsideFormula,
    as_corrected,
    conductor_factor,
    insulation_factor,
)

CORRECTED = "corrected_resistance"
NO_TEMPERATURE = (
    "Not corrected: the unit's temperature is not known; add a temperature step before this one."
)
NO_INSULANT = (
    "Not corrected to 40 °C: whether the insulation is thermoplastic or thermosetting is not "
    "known; say so in the product's winding section."
)


def corrected_slot(reference: str) -> dict[str, LimitSlot]:
    """The slot of the corrected resistance."""
    return {CORRECTED: LimitSlot(RESISTANCE, title=f"Resistance at {reference}")}


def of_conductor(
    reading: Reading,
    temperature: Reading | None,
    conductor: Conductor,
    reference_c: float,
    quantity: str = CORRECTED,
) -> tuple[Reading | None, str]:
    """A conductor's resistance at the reference temperature, or why it has none."""
    return _corrected(
        reading, temperature, lambda at_c: conductor_factor(conductor, at_c, reference_c), quantity
    )


def of_insulation(
    reading: Reading, temperature: Reading | None, insulant: Insulant | None
) -> tuple[Reading | None, str]:
    """An insulation's resistance at 40 °C, or why it has none."""
    if insulant is None:
        return None, NO_INSULANT
    return _corrected(
        reading, temperature, lambda at_c: insulation_factor(insulant, at_c), CORRECTED
    )


def _corrected(
    reading: Reading,
    temperature: Reading | None,
    factor: Callable[[float], Corrected],
    quantity: str,
) -> tuple[Reading | None, str]:
    if temperature is None:
        return None, NO_TEMPERATURE
    try:
        found = factor(temperature.value)
    except OutsideFormula as error:
        return None, str(error)
    return as_corrected(reading, found, temperature, quantity), ""


def untold_advice(step: Considered) -> Iterator[Advice]:
    """What is limited after a correction needs a temperature to be corrected with."""
    if step.limits_of(CORRECTED) and not step.has_temperature:
        yield Advice(
            "no_temperature",
            Severity.ERROR,
            "its corrected resistance is limited, and no step before it tells the unit's "
            "temperature: it is never corrected, and nothing is decided.",
            "Add a temperature step before it.",
        )
