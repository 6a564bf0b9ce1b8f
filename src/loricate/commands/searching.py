"""The options by which commands are told what units to look for."""

import functools
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, get_args

import click

from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.products.families.section import Occasion

if TYPE_CHECKING:
    from loricate.client import Client

TIMES = "a day (2026-11-26), a moment (2026-11-26T14:00Z) or days back (7d)"
NAMES = (
    *("product", "lot", "sequence", "verdict", "cause", "failed", "since", "until"),
    *("since_renewal", "operator", "bench", "fixture", "nest", "instrument", "place", "said"),
    *("occasion", "document", "limit_set"),
)
OPTIONS = (
    click.option("--product", default="", help="Of this product."),
    click.option("--lot", default="", help="Of this lot."),
    click.option("--sequence", default="", help="Tested by this sequence; CODE or CODE@REVISION."),
    click.option("--verdict", multiple=True, type=click.Choice([str(each) for each in Verdict])),
    click.option(
        "--cause",
        multiple=True,
        type=click.Choice([str(each) for each in Cause if each]),
        metavar="CAUSE",
        help="Why it did not pass, such as breakdown or over_limit.",
    ),
    click.option("--failed", default="", metavar="STEP", help="This step failed in any attempt."),
    click.option("--since", default="", help=f"Tested on or after {TIMES}."),
    click.option("--until", default="", help="Tested on or before it."),
    click.option(
        "--since-renewal", is_flag=True, help="Since the contacts of the --fixture were renewed."
    ),
    click.option("--operator", default="", help="Started by this account."),
    click.option("--bench", default="", help="On this bench."),
    click.option("--fixture", default="", help="In this fixture."),
    click.option("--nest", default="", help="In this nest."),
    click.option("--instrument", default="", help="Measured by it; its id or serial."),
    click.option("--place", default="", help="Kept at this place by its owner."),
    click.option("--said", default="", help="Words of a remark or a note; `word*` begins so."),
    click.option("--occasion", type=click.Choice(get_args(Occasion)), help="Why it was tested."),
    click.option(
        "--document",
        multiple=True,
        type=click.Choice(["certificate", "nonconformance", "revoked", "none"]),
        help="What was issued for it.",
    ),
    click.option(
        "--limit-set", default="", help="Tested against this limit set; CODE or CODE@REVISION."
    ),
)


def search_options(function: Callable[..., None]) -> Callable[..., None]:
    """Add what units are looked for by to a command; it is given what was asked as ``asked``."""

    @functools.wraps(function)
    def called(**given: Any) -> None:
        asked = {name: given.pop(name) for name in NAMES}
        function(asked=_as_sent(asked), **given)

    made: Callable[..., None] = called
    for option in reversed(OPTIONS):
        made = option(made)
    return made


def _as_sent(asked: dict[str, Any]) -> dict[str, Any]:
    """What is asked, without all that is left empty; revisions on their own."""
    for name, of in (("revision", "sequence"), ("limit_revision", "limit_set")):
        code, mark, revision = str(asked[of] or "").partition("@")
        if mark:
            if not revision.isdecimal() or int(revision) < 1:
                option = of.replace("_", "-")
                raise click.BadParameter(f"'{revision}' is no revision.", param_hint=f"--{option}")
            asked |= {of: code, name: int(revision)}
    return {
        name: list(value) if isinstance(value, tuple) else value
        for name, value in asked.items()
        if value
    }


def with_kept(client: "Client", kept: str, asked: dict[str, Any]) -> dict[str, Any]:
    """A search that is kept by name, with what was asked besides over it."""
    return {**client.kept_search(kept).search.asked(), **asked} if kept else asked


def told(search: dict[str, Any]) -> str:
    """A search in one line, for people."""
    parts = [
        f"{name.replace('_', ' ')} {', '.join(value) if isinstance(value, list) else value}"
        for name, value in search.items()
        if value is not True
    ]
    return "; ".join([*parts, *(n.replace("_", " ") for n, v in search.items() if v is True)])
