"""Capture: a cable's description from units that are known to be good."""
