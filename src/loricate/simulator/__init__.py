"""Stand-ins: an electrical world with units in fixtures, and instruments that serve SCPI over TCP.

It knows nothing of the service; the service knows it only as addresses.
"""
