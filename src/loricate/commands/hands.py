"""``loricate hands``."""

import json
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from loricate.commands.output import print_json
from loricate.core.errors import QuantityError
from loricate.core.quantities import (
    DIMENSIONS,
    PRESSURE,
    SLOPE,
    TEMPERATURE,
    VOLTAGE,
    display,
    parse,
)
from loricate.simulator.hands_link import Hands, HandsError

BEND_S, TOUCH_S = 0.5, 1.0


@click.group("hands")
def command() -> None:
    """Do at the simulated bench what a person does by hand: units, guard, foot switch, faults."""


def _reach(demo: Path) -> Hands:
    path = demo / "stand-ins.json"
    try:
        ports = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise click.ClickException(
            f"No stand-ins are known at {path}; start `loricate demo`, or give its folder with "
            "--demo."
        ) from error
    return Hands("127.0.0.1", int(ports["HANDS"]))


def _with_hands(work: Callable[..., None]) -> Callable[..., None]:
    """Give a command the hands of the running demo as its first argument."""

    @click.option(
        "--demo",
        type=click.Path(file_okay=False, path_type=Path),
        default="out/demo",
        show_default=True,
        help="The folder of the running demo.",
    )
    @click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
    def wrapped(demo: Path, as_json: bool, **given: Any) -> None:
        try:
            work(_reach(demo), **given)
        except (HandsError, OSError) as error:
            raise click.ClickException(str(error)) from error
        if as_json:
            print_json({"done": work.__name__, **given})

    wrapped.__doc__, wrapped.__name__ = work.__doc__, work.__name__
    # The parameters that click left on the command itself.
    wrapped.__click_params__ = [  # type: ignore[attr-defined]  # click keeps them there
        *getattr(work, "__click_params__", []),
        *getattr(wrapped, "__click_params__", []),
    ]
    return wrapped


@command.command("put")
@_with_hands
@click.argument("nest")
@click.argument("model")
@click.option("--fault", "faults", multiple=True, help="A fault of the unit; may be repeated.")
def put(hands: Hands, nest: str, model: str, faults: tuple[str, ...]) -> None:
    """Put a stand-in unit into a nest: DC-40, CL-7, REF-BOX, SHORT.

    Any unit may have two terminals exchanged: --fault "swapped X2:3 X2:4".

    Example: loricate hands put FX-A/1 REF-BOX --fault bad
    """
    hands.put(nest, model, "|".join(faults))


@command.command("bend")
@_with_hands
@click.argument("nest")
@click.option("--times", default=5, show_default=True, help="Twice a second.")
def bend(hands: Hands, nest: str, times: int) -> None:
    """Bend the unit in a nest: a loose contact breaks off for a moment each time.

    Example: loricate hands bend FX-C/1
    """
    for number in range(times):
        if number:
            time.sleep(BEND_S)
        hands.bend(nest)


@command.command("clip")
@_with_hands
@click.argument("nest")
@click.argument("contact")
@click.argument("terminal")
def clip(hands: Hands, nest: str, contact: str, terminal: str) -> None:
    """Put a contact's clip to a terminal of the unit in a nest: its own, or another.

    Example: loricate hands clip FX-W/1 CASE PE
    """
    hands.clip(nest, contact, terminal)


@command.command("touch")
@_with_hands
@click.argument("nest")
@click.argument("contacts", nargs=-1, required=True)
def touch(hands: Hands, nest: str, contacts: tuple[str, ...]) -> None:
    """Hold the probe to one contact after another, a second each.

    Example: loricate hands touch FX-C/1 X2:1 X2:2
    """
    try:
        for contact in contacts:
            hands.touch(nest, contact)
            time.sleep(TOUCH_S)
            hands.lift()
            time.sleep(TOUCH_S / 2)
    finally:
        hands.lift()


@command.command("turn")
@_with_hands
@click.argument("what")
@click.argument("to")
@click.option("--slope", default="50 V/s", show_default=True, help="How fast, of a dial.")
def turn(hands: Hands, what: str, to: str, slope: str) -> None:
    """Turn the switch of the unit in a nest, or the dial of a source that is turned by hand.

    Example: loricate hands turn FX-C/1 FAST

    Example: loricate hands turn TS1 "1.5 kV" --slope "100 V/s"
    """
    if "/" in what:
        hands.turn(what, to)
        return
    try:
        hands.dial(what, parse(to, VOLTAGE), parse(slope, SLOPE))
    except QuantityError as error:
        raise click.UsageError(str(error)) from error


@command.command("warm")
@_with_hands
@click.argument("nest")
@click.argument("temperature")
def warm(hands: Hands, nest: str, temperature: str) -> None:
    """Have what lies in a nest, now and later, at a temperature.

    Example: loricate hands warm FX-M/1 "31.7 °C"
    """
    try:
        hands.warm(nest, parse(temperature, TEMPERATURE))
    except QuantityError as error:
        raise click.UsageError(str(error)) from error


@command.command("pump")
@_with_hands
@click.argument("nest")
@click.argument("pressure")
def pump(hands: Hands, nest: str, pressure: str) -> None:
    """Bring the cuff of the device in a nest to a pressure; "0 Pa" vents it.

    Example: loricate hands pump FX-W/1 "35 kPa"
    """
    try:
        hands.pump(nest, parse(pressure, PRESSURE))
    except QuantityError as error:
        raise click.UsageError(str(error)) from error


@command.command("shown")
@_with_hands
@click.argument("nest")
@click.argument("name")
def shown(hands: Hands, nest: str, name: str) -> None:
    """Read the display of the device in a nest: temperature, pressure, or an alarm.

    Example: loricate hands shown FX-W/1 temperature
    """
    told = hands.shown(nest, name)
    figure = DIMENSIONS.get(name)
    click.echo(told if figure is None else display(float(told), figure))


@command.command("empty")
@_with_hands
@click.argument("nests", nargs=-1, required=True, metavar="NEST...")
def empty(hands: Hands, nests: tuple[str, ...]) -> None:
    """Take units out of nests.

    Example: loricate hands empty FX-A/1 FX-A/2 FX-A/3 FX-A/4
    """
    for nest in nests:
        hands.empty(nest)


@command.command("restore")
@_with_hands
def restore(hands: Hands) -> None:
    """Put back what lay in every nest at the start, and make relays and wires good.

    Example: loricate hands restore
    """
    hands.restore()


@command.command("guard")
@_with_hands
@click.argument("state", type=click.Choice(["open", "close"]))
def guard(hands: Hands, state: str) -> None:
    """Open or close the guard.

    Example: loricate hands guard open
    """
    hands.do(f"HAND:GUAR {int(state == 'close')}")


@command.command("printer")
@_with_hands
@click.argument("state", type=click.Choice(["empty", "closed", "ready"]))
def printer(hands: Hands, state: str) -> None:
    """Take the paper out of the printer, have it take no jobs, or make it ready.

    Example: loricate hands printer empty
    """
    hands.printer(state.upper())


@command.command("press")
@_with_hands
def press(hands: Hands) -> None:
    """Press the foot switch.

    Example: loricate hands press
    """
    hands.do("HAND:FOOT")


@command.command("relay")
@_with_hands
@click.argument("row", type=int)
@click.argument("column", type=int)
@click.argument("state")
def relay(hands: Hands, row: int, column: int, state: str) -> None:
    """Let a relay stick (stuck), leak (an ohm figure), or be good again (good).

    Example: loricate hands relay 5 12 stuck
    """
    hands.do(f"HAND:REL {row},{column},{state.upper()}")
