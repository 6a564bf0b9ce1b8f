"""Documents of former forms, as today's sheets read them: what was not said then stays unsaid."""

from typing import Any


def in_current_form(document: dict[str, Any]) -> dict[str, Any]:
    """A certificate's document with every member that a sheet looks for; the rest as it is."""
    run = {"operator_name": "", **document["run"]}
    sequence = {
        **document["sequence"],
        "findings_left": [
            {"by_name": "", **each} for each in document["sequence"]["findings_left"]
        ],
    }
    return {
        "zone": "",
        "ambient": None,
        "wiring": None,
        **document,
        "run": run,
        "sequence": sequence,
        "steps": [_step(step) for step in document["steps"]],
        "remarks": [{"name": "", **remark} for remark in document["remarks"]],
    }


def _step(step: dict[str, Any]) -> dict[str, Any]:
    return {
        "faults": [],
        "curves": [],
        **step,
        "readings": [_reading(reading) for reading in step["readings"]],
    }


def _reading(reading: dict[str, Any]) -> dict[str, Any]:
    current = {
        "quantity": reading.get("name", ""),
        "point": "",
        "band": "",
        "ungraded": "",
        "repetition": 1,
        "guarded": reading.get("outcome", ""),
        **reading,
    }
    if "corrections" not in reading:
        before = reading.get("as_measured_text")
        current["corrections"] = [{"what": "", "text": before}] if before else []
    current["corrections"] = [{"reason": "", **each} for each in current["corrections"]]
    return current
