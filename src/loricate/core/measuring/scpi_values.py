"""Numbers as instruments write them, and what they write where they have none.

IEEE 488.2 gives the decimal forms (NR1, NR2, NR3); SCPI-1999 vol. 1, 7.2.1.4 and 7.2.1.5, the
spellings of what is no number: 9.91E37 for not-a-number, ±9.9E37 for the infinities.
"""

import math
import re

NOT_A_NUMBER, INFINITE = 9.91e37, 9.9e37
_DECIMAL = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,3})?")
_WORDS = {"INF": math.inf, "+INF": math.inf, "NINF": -math.inf, "-INF": -math.inf}


def read_value(text: str) -> float:
    """Give the number that ``text`` spells; NaN where it spells none, ±inf where it is too large.

    Only the forms of IEEE 488.2 are numbers: no underscores, commas, spaces inside or other digits.
    """
    word = text.strip(" \t\r\n").upper()
    if word in _WORDS:
        return _WORDS[word]
    if _DECIMAL.fullmatch(word) is None:
        return math.nan
    value = float(word)
    if math.isclose(value, NOT_A_NUMBER, rel_tol=1e-4):
        return math.nan
    return math.copysign(math.inf, value) if abs(value) >= INFINITE else value
