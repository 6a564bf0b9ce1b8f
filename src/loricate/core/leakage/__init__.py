"""The table of leakage currents that a standard asks of a product, and in which order."""
