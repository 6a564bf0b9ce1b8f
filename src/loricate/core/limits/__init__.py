"""Limits: what readings are held against, and where each figure comes from."""
