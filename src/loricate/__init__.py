"""Loricate: production electrical safety testing, from the sequence to the signed certificate."""

__version__ = "0.1.0"
