"""What a table of leakage currents costs beside its measurements: switchings, and time."""

import datetime as dt
import tempfile
from pathlib import Path

from loricate.client import Client
from loricate.commands import demo_site
from loricate.core.kinds.leakage import Leakage
from loricate.core.leakage.table import Cell, switchings
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.proposing import proposed_step
from loricate.simulator.hands_link import Hands

SET, DWELL_S, QUICK = "IEC-60601-1-8.7", 1.0, 20.0
WHY = "a table by itself, for a figure"


def matrix_switchings() -> float:
    """The changes in the whole table of the demo's fluid warmer, over one for each further cell."""
    products = {each["code"]: each for each in demo_site.demo_documents("products")}
    sets = {each["code"]: each for each in demo_site.demo_documents("limit-sets")}
    product = Product.model_validate(products["FW-2"])
    found = proposed_step("leakage", product, LimitSet.model_validate(sets[SET]))
    filled = found.step
    settings = Leakage.model_validate(filled["settings"])
    cells: list[Cell] = [point.values["cell"] for point in settings.points(product)]
    if len(cells) != found.points or len(set(cells)) != len(cells):
        raise RuntimeError("The table has not every cell once.")
    return switchings(cells) / (len(cells) - 1)


def matrix_overhead() -> float:
    """The time that a table takes on the demo bench in real time, over the dwells of its cells.

    One polarity, and the unit on: nobody is waited for.
    """
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), QUICK) as site,
        Client(site["url"]) as client,
    ):
        hands = Hands("127.0.0.1", site["ports"]["HANDS"])
        client.sign_in(site["name"], site["password"])
        document = {**demo_site.demo_sequence("FW2-FINAL"), "code": "TABLE"}
        table = next(step for step in document["steps"] if step["id"] == "leakage")
        table["settings"] |= {"switch": "on", "polarity": "normal", "dwell": f"{DWELL_S:g} s"}
        client.add_sequence(document)
        reasons = {
            f"{each.rule}@{each.step}".removesuffix("@"): WHY
            for each in client.review("TABLE").findings
        }
        client.release_sequence("TABLE", WHY, reasons)
        run = client.create_run("TABLE", "FX-W", {"1": "TABLE-1"})
        client.arm_run(run.id)
        client.start_run(run.id)
        for event in client.events(run.id):
            if event.name == "question":
                client.answer(run.id, "1", event.data["choices"][0])
            elif event.name == "step_started" and event.data["step"] == "leakage":
                hands.pace(1.0)
        attempt = client.run(run.id).units[0].attempts[-1]
    cells = len({each.point for each in attempt.readings if each.point})
    if attempt.verdict != "pass" or cells < 50:
        raise RuntimeError(f"The table was not measured to its end: {attempt.verdict}, {cells}.")
    began, ended = (
        dt.datetime.fromisoformat(each) for each in (attempt.started_at, attempt.ended_at)
    )
    return (ended - began).total_seconds() / (cells * DWELL_S)
