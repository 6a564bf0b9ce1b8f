"""A challenge beside the network solver alone."""

import gc
import time
from dataclasses import replace
from itertools import cycle, islice
from pathlib import Path
from typing import Any

from figures.demo_documents import demo_sequence
from loricate.challenge import challenge
from loricate.commands.places import demo_folder
from loricate.core.sequences.ready import ReadySequence
from loricate.simulator.network import Network, Transient
from loricate.simulator.units import UnitModel, read_unit_model

FAULTS, STEPS = 20, 12


def twelve_steps() -> ReadySequence:
    """The demo's electrical steps over and over, until there are twelve."""
    demo = demo_sequence()
    electrical = [step for step in demo.steps if step.roles]
    steps = tuple(
        replace(step, id=f"{step.id}{number}")
        for number, step in enumerate(islice(cycle(electrical), STEPS))
    )
    return ReadySequence(demo.code, demo.title, demo.product, demo.decision, steps)


def twenty_faults() -> UnitModel:
    """The drying cabinet with its faults repeated under other names until there are twenty."""
    model = read_unit_model(Path(demo_folder()) / "stand-ins" / "drying-cabinet.toml")
    own = list(model.fault.items())
    faults = {
        f"{name}_{number}": fault for number in range(FAULTS // len(own) + 1) for name, fault in own
    }
    return model.model_copy(update={"fault": dict(list(faults.items())[:FAULTS])})


class _Watch:
    """Sums the time spent in the solver's own functions."""

    def __init__(self) -> None:
        self.spent_s = 0.0

    def around(self, owner: type, name: str) -> None:
        """Time every call of a method; never put back, for the process ends with the figure."""
        own: Any = getattr(owner, name)

        def timed(*args: Any, **options: Any) -> Any:
            begin = time.perf_counter()
            try:
                return own(*args, **options)
            finally:
                self.spent_s += time.perf_counter() - begin

        setattr(owner, name, timed)


def challenge_over_solver() -> float:
    """A challenge of twelve steps, twenty faults and 200 good units over its solver's own time."""
    sequence, model = twelve_steps(), twenty_faults()
    challenge(sequence, model, repetitions=2)
    watch = _Watch()
    watch.around(Network, "solve_ac")
    for name in ("__init__", "rebuild", "advance", "charges"):  # its decays are found when made
        watch.around(Transient, name)
    gc.collect()
    gc.freeze()  # what the figures before left behind: a challenge has a process of its own
    begin = time.perf_counter()
    challenge(sequence, model)
    return (time.perf_counter() - begin) / watch.spent_s
