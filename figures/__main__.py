"""Run every figure and write ``out/figures.jsonl``, a line each."""

import json
import os
import sys
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from figures.table import FIGURES


def main() -> None:
    """Run the figures named on the command line, or all of them."""
    wanted = sys.argv[1:] or list(FIGURES)
    if strange := [name for name in wanted if name not in FIGURES]:
        raise SystemExit(f"There is no figure {strange[0]}; there are {', '.join(FIGURES)}.")
    out = Path("out") / "figures.jsonl"
    out.parent.mkdir(exist_ok=True)
    lines = []
    for name in wanted:
        figure = FIGURES[name]
        line = {
            "figure": name,
            "value": round(figure.measure(), 4),
            "unit": figure.unit,
            "baseline": figure.baseline,
            "goal": figure.goal,
        }
        lines.append(json.dumps(line, ensure_ascii=False))
        sys.stdout.write(lines[-1] + "\n")
        sys.stdout.flush()
    out.write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
