"""The computation: quantities, sequences, kinds, grading, limits. No I/O, no clock, no web."""
