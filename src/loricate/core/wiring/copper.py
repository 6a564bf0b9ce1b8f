"""The resistance of copper conductors, by length, cross-section and temperature.

Source: IEC 60028, standard annealed copper at 20 °C: 17.24 mΩ·mm²/m, 0.00393 /K.
"""

from loricate.core.quantities import as_figure, exactly

RESISTIVITY_OHM_M = 17.24e-9  # at 20 °C
PER_KELVIN = 0.00393
REFERENCE_C = 20.0


def copper_ohms(length_m: float, area_m2: float, temperature_c: float = REFERENCE_C) -> float:
    """Resistance in Ω of a conductor ``length_m`` long and ``area_m2`` thick.

    12 m of 0.5 mm²: 0.4138 Ω at 20 °C, 0.4219 Ω at 25 °C. Raises ValueError for no conductor.
    """
    if length_m <= 0 or area_m2 <= 0:
        raise ValueError("A conductor has a length and a cross-section above zero.")
    cold = exactly(RESISTIVITY_OHM_M) * exactly(length_m) / exactly(area_m2)
    return as_figure(cold * (1 + exactly(PER_KELVIN) * (exactly(temperature_c) - 20)))
