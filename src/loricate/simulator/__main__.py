"""``python -m loricate.simulator FILE [PACE [PRINTED]]``: serve stand-ins as long as the parent.

What the systems beside the bench take is signed with STAND_IN_SECRET, where that is set.
"""

import contextlib
import os
import sys
import threading
from pathlib import Path

# The networks are small: a thread pool for their linear algebra costs more than it gives.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import uvloop

from loricate.simulator.standins import serve_until_cancelled


def _leave_with_parent() -> None:
    """End the process when standard input closes, so that no stand-in outlives who started it."""
    sys.stdin.buffer.read()
    os._exit(0)


if __name__ == "__main__":
    threading.Thread(target=_leave_with_parent, daemon=True).start()
    pace = float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
    with contextlib.suppress(KeyboardInterrupt):
        printed = Path(sys.argv[3]) if len(sys.argv) > 3 else None
        secret = os.environ.get("STAND_IN_SECRET", "")
        uvloop.run(serve_until_cancelled(Path(sys.argv[1]), pace, printed, secret))
