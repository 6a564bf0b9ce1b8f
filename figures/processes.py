"""What starting the command line costs."""

import subprocess
import sys
import time
from pathlib import Path

from figures.pairs import ratio_of_pairs

PAIRS = 15


def _wall(*words: str) -> float:
    begun = time.perf_counter()
    subprocess.run(words, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - begun


def cli_start() -> float:
    """Wall time of ``loricate --help`` over that of importing click."""
    command = str(Path(sys.executable).with_name("loricate"))
    return ratio_of_pairs(
        lambda: _wall(command, "--help"),
        lambda: _wall(sys.executable, "-c", "import click"),
        PAIRS,
    )
