"""Texts that people read, in each language: one catalogue, and what the record says in English."""
