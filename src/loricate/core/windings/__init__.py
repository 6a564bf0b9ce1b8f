"""What is reckoned of windings: temperature, phases, polarization, ladders, surges, ratios.

Pure formulas, each with its source; values in SI units, temperatures in °C.
"""
