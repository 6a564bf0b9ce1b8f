"""Figures of performance, each a ratio to a baseline that runs beside it: ``make bench``."""
