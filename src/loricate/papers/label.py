"""A label with a sequence's code, to be scanned at the bench: Code 128, QR code, and in words.

The label is 62 mm by 29 mm. Both symbols hold the code alone, as a scanner types it.
"""

from loricate.papers.look import Look
from loricate.papers.symbols import BAR_MODULE_MM, bar_code, bar_modules, qr_code
from loricate.papers.typesetting import typeset

TEMPLATE = "label.typ"
WIDTH_MM, MARGIN_MM = 62.0, 2.5
NARROWEST_MM = 0.125  # 8 dots to the mm is what label printers have
QUIET_MODULES = 20  # ISO/IEC 15417 wants ten free on each side
MADE_AT = "2000-01-01T00:00:00Z"  # a label bears no date: the same one is the same bytes


def draw_label(code: str, name: str, site: str, look: Look) -> bytes:
    """The label as a PDF of one page; the same code and name give the same bytes.

    A code too long for bars that a label printer can draw is on the QR code alone.
    """
    modules = bar_modules(code)
    module_mm = min(BAR_MODULE_MM, (WIDTH_MM - 2 * MARGIN_MM) / (modules + QUIET_MODULES))
    has_bars = module_mm >= NARROWEST_MM
    files = {"code.svg": qr_code(code)}
    if has_bars:
        files["bars.svg"] = bar_code(code)
    told = {
        "title": f"Label of {code}",
        "about": name or code,
        "site": site,
        "code": code,
        "name": name,
        "bars_mm": modules * module_mm if has_bars else 0.0,
        "words": {
            "code": look.words.say("code-of", url=code),
            "bars": look.words.say("bars-of", code=code),
        },
    }
    return typeset(TEMPLATE, told, look, MADE_AT, files)
