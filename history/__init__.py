"""How the demo's history is made: three months of a bench, tested by the stand-ins' physics.

A bench out of reach of the demo's own, Fellside works, tests 400 drying cabinets from September to
November: its service runs under a date of the past, its units wear as ``units`` says, and what it
has stored is carried out as any bench would. ``python -m history`` writes ``demo/history``, in
some minutes.
"""
