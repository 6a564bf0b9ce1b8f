"""The computation: quantities, sequences, kinds, grading and limits. No I/O, no clock, no web, no SQL."""
