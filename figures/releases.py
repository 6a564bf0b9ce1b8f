"""How long a release page of a sequence with many points takes to prepare."""

import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from loricate.client import Client
from loricate.commands import demo_site

POINTS, TIMES = 200, 15
SOURCE = "drawing of the harness"


def harness() -> tuple[dict[str, Any], dict[str, Any]]:
    """A product of two connectors, and a sequence that measures every wire between them."""
    pairs = [(f"J1.{number}", f"P1.{number}") for number in range(1, POINTS + 1)]
    product = {
        "format": "loricate-product/2", "code": "HN-200", "title": "Harness of 200 wires",
        "family": "cable", "terminals": [each for pair in pairs for each in pair],
    }  # fmt: skip
    sequence = {
        "format": "loricate-sequence/2", "code": "HN-200", "title": "Wires", "product": "HN-200",
        "steps": [
            {
                "id": "wires", "kind": "continuity", "title": "Every wire",
                "settings": {"paths": [{"high": high, "low": low} for high, low in pairs]},
                "limits": {"resistance": {"maximum": "1 Ω", "source": SOURCE}},
            }
        ],
    }  # fmt: skip
    return product, sequence


def release_page_ms() -> float:
    """The median time (ms) until a client has the review of the harness, as the page asks it."""
    product, sequence = harness()
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), 1.0) as sign_in,
        Client(sign_in["url"]) as client,
    ):
        client.sign_in(sign_in["name"], sign_in["password"])
        client.add_product(product)
        client.add_sequence(sequence)
        spent = []
        for _ in range(TIMES + 1):  # the first starts the worker
            begun = time.perf_counter()
            client.review("HN-200")
            spent.append(time.perf_counter() - begun)
    return statistics.median(spent[1:]) * 1e3
