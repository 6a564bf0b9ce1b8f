"""Sequences: documents of steps, made ready to run."""
