"""Test one unit in nest 1 and save its certificate."""

import os
from pathlib import Path

from loricate.client import Client, RefusedError

with Client(os.environ["LORICATE_SERVICE"]) as client:
    client.sign_in(os.environ["LORICATE_NAME"], os.environ["LORICATE_PASSWORD"])
    try:
        run = client.create_run("DC40-FINAL", "FX-A", {"1": "DC40-26-0117"})
    except RefusedError as refused:
        for error in refused.problem.errors:
            print(error.field, error.message)
        raise
    client.arm_run(run.id)  # high voltage is allowed from here on
    client.start_run(run.id)
    for event in client.events(run.id):
        if event.name == "question":
            client.answer(run.id, event.data["nest"], "pass")
        if event.name == "step_finished":
            print(event.data["title"], event.data["verdict"])

    for unit in client.wait_for_papers(run.id).units:  # a run is finished before they are made
        print(f"{unit.serial}: {unit.verdict}")
        if unit.certificate:
            Path(f"{unit.certificate}.pdf").write_bytes(client.certificate_pdf(unit.certificate))
