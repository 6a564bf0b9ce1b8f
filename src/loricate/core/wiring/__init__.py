"""Wiring: what of a cable should hang together, what was seen to, and what explains the rest."""
