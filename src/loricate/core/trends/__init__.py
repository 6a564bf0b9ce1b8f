"""Trends: what readings of many units say together, and where they are going."""
