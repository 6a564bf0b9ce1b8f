"""Products: what is tested, and what must be tested of it."""
