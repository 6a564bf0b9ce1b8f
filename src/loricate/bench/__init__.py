"""Reaching instruments: links, profiles, the matrix, the guard and the dead-man's heartbeat."""
