"""Line options of a load or a series, as options of a command."""

import functools
from collections.abc import Callable
from typing import Any

import click

_OPTIONS = {
    "start_delay": click.option("--start-delay", help="Time between start and first step: '2 s'."),
    "repeat_every": click.option("--repeat-every", help="From start to start: '10 s'."),
    "stop_after_fails": click.option(
        "--stop-after-fails", type=click.IntRange(0, 1000), help="After so many; 0: never."
    ),
    "sounds": click.option(
        "--sounds",
        type=click.Choice(["every", "passes", "fails", "off"]),
        help="Ends that the console sounds.",
    ),
    "verdict_stays": click.option(
        "--verdict-stays", help="How long the console shows a pass: '3 s'."
    ),
    "send": click.option(
        "--send",
        type=click.Choice(["every", "passes", "off"]),
        help="Whose documents go to the folder of exports.",
    ),
    "print": click.option(
        "--print",
        type=click.Choice(["every", "passes", "off"]),
        help="Whose documents are printed on the site's printer.",
    ),
}


def line_options(*names: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Add the options of these names, by default all; a command is given them as ``line``.

    What is not given is as the sequence has it.
    """

    def add(function: Callable[..., None]) -> Callable[..., None]:
        @functools.wraps(function)
        def called(**given: Any) -> None:
            line = {name: given.pop(name) for name in wanted}
            function(line={name: said for name, said in line.items() if said is not None}, **given)

        made: Callable[..., None] = called
        for name in reversed(wanted):
            made = _OPTIONS[name](made)
        return made

    wanted = names or tuple(_OPTIONS)
    return add
