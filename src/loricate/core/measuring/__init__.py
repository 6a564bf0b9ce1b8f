"""Measuring: what is asked of instruments, what they said, and what it is worth."""
