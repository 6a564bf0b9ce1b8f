"""``loricate trend``."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, percent, print_table
from loricate.commands.searching import search_options, with_kept
from loricate.commands.searching import told as told_of

if TYPE_CHECKING:
    from loricate.api.trends import TrendOut, YieldOut
    from loricate.client import Client

GROUPS = (
    "product", "lot", "sequence", "bench", "fixture", "nest", "instrument", "operator",
)  # fmt: skip
TIMES = ("day", "week", "month")
CHARTS = ("time", "individuals", "histogram", "groups")
BAR = 40  # signs of the longest bar of a histogram


@click.group("trend")
def command() -> None:
    """See what readings of many units say together, and how yields go."""


kept_option = click.option(
    "--kept", default="", metavar="NAME", help="As a search that is kept by name."
)
chart_options = (
    click.option(
        "--scale",
        type=click.Choice(["straight", "decades"]),
        help="Reckon in readings, or in their logarithms; resistances that spread over a decade "
        "are in decades unless told otherwise.",
    ),
    click.option(
        "--base", default=0, help="Limits of the chart rest on so many readings, the first."
    ),
    click.option(
        "--chart", default="time", show_default=True, type=click.Choice(CHARTS), help="To draw."
    ),
    click.option(
        "--out",
        type=click.Path(dir_okay=False, path_type=Path),
        help="Write the drawing (.svg, .png), or the readings (.csv), to this file.",
    ),
    click.option("--bom", is_flag=True, help="Of a .csv: with the mark by which some know UTF-8."),
    click.option("--decimal-comma", is_flag=True, help="Of a .csv: 1,5 with ; between cells."),
)


def _chart_options(function: Any) -> Any:
    for option in reversed(chart_options):
        function = option(function)
    return function


@command.command("list")
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@search_options
@kept_option
@service_options
def list_(serial: str, asked: dict[str, Any], kept: str, call: Call) -> None:
    """List what the newest units have readings of, with how near they came to their limits.

    Example: loricate trend list --product DC-40
    """
    with call.connect() as client:
        found = client.measurands(**with_kept(client, kept, _with_serial(serial, asked)))
    if call.printed(found):
        return
    rows = [
        (each.step, each.title, each.quantity, each.point, str(each.units),
         percent(each.least_margin))
        for each in found
    ]  # fmt: skip
    print_table(("STEP", "TITLE", "QUANTITY", "POINT", "UNITS", "LEAST MARGIN"), rows,
                ("UNITS", "LEAST MARGIN"))  # fmt: skip
    if not found:
        click.echo("Nothing was read of units that are so; leave something out.", err=True)


@command.command("show")
@click.argument("step")
@click.argument("quantity", default="")
@click.option("--point", default="", help="Of the unit; empty: of the unit as a whole.")
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@search_options
@kept_option
@click.option(
    "--which",
    default="last",
    show_default=True,
    type=click.Choice(["last", "first", "all"]),
    help="Attempts of each unit.",
)
@click.option("--count", default=1000, show_default=True, help="The newest so many readings.")
@click.option("--by", default="", type=click.Choice(["", *GROUPS]), help="Compare these groups.")
@_chart_options
@service_options
def show(
    step: str,
    quantity: str,
    point: str,
    serial: str,
    asked: dict[str, Any],
    kept: str,
    by: str,
    chart: Any,
    out: Path | None,
    bom: bool,
    decimal_comma: bool,
    call: Call,
    **how: Any,
) -> None:
    """Show where readings of a step lie, what breaks the rules of chance, and where they go.

    Without a quantity, the first that the step has.

    Example: loricate trend show insulation --product DC-40 --by nest
    """
    with call.connect() as client:
        search = with_kept(client, kept, _with_serial(serial, asked))
        quantity = quantity or _first_quantity(client, step, search)
        told = {**search, **_given(how)}
        if out is not None:
            if out.suffix == ".csv":
                text = client.trend_table(
                    step, quantity, point, **told, bom=bom, decimal_comma=decimal_comma
                )
                _write(out, text.encode())
            else:
                chart, form = _chart(chart, by), _form(out)
                _write(out, client.trend_drawing(chart, form, step, quantity, point, **told, by=by))
        found = client.trend(step, quantity, point, **told, by=by)
    if not call.printed(found):
        print_trend(found, by)


@command.command("watch")
@click.argument("name")
@click.argument("step")
@click.argument("quantity", default="")
@click.option("--point", default="", help="Of the unit; empty: of the unit as a whole.")
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@search_options
@kept_option
@click.option("--which", type=click.Choice(["last", "first", "all"]), help="Attempts of each unit.")
@click.option("--scale", type=click.Choice(["straight", "decades"]))
@click.option("--base", default=0, help="Limits of the chart rest on so many readings, the first.")
@click.option("--by", default="", type=click.Choice(["", *GROUPS]), help="Compare these groups.")
@click.option("--owner", default=None, help="Account that its items go to; else your own.")
@service_options
def watch(
    name: str,
    step: str,
    quantity: str,
    point: str,
    serial: str,
    asked: dict[str, Any],
    kept: str,
    owner: str | None,
    call: Call,
    **how: Any,
) -> None:
    """Have a trend looked at by itself; what is seen in it becomes an item.

    Example: loricate trend watch "Insulation DC-40" insulation --product DC-40 --by nest
    """
    with call.connect() as client:
        search = with_kept(client, kept, _with_serial(serial, asked))
        quantity = quantity or _first_quantity(client, step, search)
        told = {**search, **_given({**how, "point": point})}
        made = client.watch(name, owner, step=step, quantity=quantity, **told)
    if not call.printed(made):
        click.echo(f"'{made.name}' is looked at whenever something new was tested; its items go to")
        click.echo(f"{made.owner}. See `loricate item list`.")


@command.command("watches")
@service_options
def watches(call: Call) -> None:
    """List the trends that are looked at by themselves.

    Example: loricate trend watches
    """
    with call.connect() as client:
        found = client.watches()
    if call.printed(found):
        return
    rows = [(each.name, told_of(each.trend), each.owner, moment(each.kept_at)) for each in found]
    print_table(("NAME", "LOOKS AT", "ITEMS GO TO", "KEPT (UTC)"), rows)
    if not found:
        click.echo("No trend is watched; `loricate trend watch NAME STEP` watches one.", err=True)


@command.command("unwatch")
@click.argument("name")
@service_options
def unwatch(name: str, call: Call) -> None:
    """Look at a trend by itself no longer; its items stay.

    Example: loricate trend unwatch "Insulation DC-40"
    """
    with call.connect() as client:
        client.drop_watch(name)
    if not call.printed({"name": name}):
        click.echo(f"'{name}' is watched no longer.")


@command.command("check")
@click.argument("fixture")
@click.argument("step", default="")
@click.argument("quantity", default="")
@click.option("--point", default="")
@click.option(
    "--box", default="good", show_default=True, type=click.Choice(["good", "bad"]),
    help="The known-good or the known-bad box.",
)  # fmt: skip
@click.option("--instrument", default="", help="Id of the instrument; else of the newest check.")
@click.option("--count", default=400, show_default=True, help="The newest so many checks.")
@_chart_options
@service_options
def check(
    fixture: str,
    step: str,
    quantity: str,
    point: str,
    chart: Any,
    out: Path | None,
    bom: bool,
    decimal_comma: bool,
    call: Call,
    **how: Any,
) -> None:
    """Show what daily checks have read of the reference boxes: an instrument that drifts is seen.

    With a fixture alone, a line for each reading, with how often it breaks a rule of its chart.

    Example: loricate trend check FX-A withstand
    """
    with call.connect() as client:
        listed = client.check_measurands(fixture)
        if not step:
            if not call.printed(listed):
                rows = [
                    (each.box, each.serial, each.step, f"{each.quantity} {each.point}".strip(),
                     each.instrument, str(each.readings), each.text, str(each.signals))
                    for each in listed
                ]  # fmt: skip
                heads = (
                    *("BOX", "SERIAL", "STEP", "QUANTITY", "INSTRUMENT"),
                    *("CHECKS", "NEWEST", "SIGNALS"),
                )
                print_table(heads, rows, ("CHECKS", "NEWEST", "SIGNALS"))
                if not listed:
                    click.echo(f"No check of {fixture} has kept figures yet.", err=True)
            return
        names = [each.quantity for each in listed if each.step == step]
        if not quantity and not names:
            raise click.ClickException(
                f"No check of {fixture} has read a step '{step}'; "
                f"`loricate trend check {fixture}` lists what was read."
            )
        quantity, told = quantity or names[0], _given(how)
        if out is not None:
            if out.suffix == ".csv":
                text = client.check_table(
                    fixture, step, quantity, point, **told, bom=bom, decimal_comma=decimal_comma
                )
                _write(out, text.encode())
            else:
                chart, form = _chart(chart, ""), _form(out)
                picture = client.check_drawing(chart, form, fixture, step, quantity, point, **told)
                _write(out, picture)
        found = client.check_trend(fixture, step, quantity, point, **told)
    if not call.printed(found):
        print_trend(found, "")


@command.command("yields")
@click.option(
    "--by",
    default="week",
    show_default=True,
    type=click.Choice([*TIMES, *(each for each in GROUPS if each != "instrument")]),
    help="Days, weeks and months are those of the site.",
)
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@search_options
@kept_option
@service_options
def yields(by: Any, serial: str, asked: dict[str, Any], kept: str, call: Call) -> None:
    """Show how many units passed at first and in the end, and what they failed of.

    A unit counts once in each group. In brackets stands the 95 % interval of the share.

    Example: loricate trend yields --by week --product DC-40 --since 90d
    """
    with call.connect() as client:
        found = client.yields(by, **with_kept(client, kept, _with_serial(serial, asked)))
    if call.printed(found):
        return
    rows = [_yield_row(each.name or "none", each) for each in found.groups]
    if len(rows) > 1:
        rows.append(_yield_row("all", found.total))
    heads = (by.upper(), "UNITS", "FIRST PASS", "", "IN THE END", "", "FAILED")
    print_table(heads, rows, ("UNITS", "FIRST PASS", "IN THE END", "FAILED"))
    if found.is_cut:
        click.echo("There are more groups; ask for less at once.", err=True)
    if not found.groups:
        click.echo("No unit that is so was tested to a verdict.", err=True)
    if found.causes:
        click.echo()
        causes = [(each.step, each.title, each.cause, str(each.units)) for each in found.causes]
        print_table(("FAILED AT", "TITLE", "CAUSE", "UNITS"), causes, ("UNITS",))


def _yield_row(name: str, told: "YieldOut") -> tuple[str, ...]:
    cells = list[str]()
    for share in (told.first_pass, told.final):
        if share is None:
            cells += ["", ""]
        else:
            cells += [
                f"{share.share * 100:.1f} %",
                f"({share.low * 100:.1f} to {share.high * 100:.1f})",
            ]
    return (name, str(told.tested), *cells, str(told.failed))


def print_trend(found: "TrendOut", by: str) -> None:
    """Print a trend: where its readings lie, what speaks against chance, where they go."""
    name = f"{found.quantity.replace('_', ' ')} {found.point}".strip()
    click.secho(f"{found.title or found.step}: {name}", bold=True)
    if not found.readings:
        click.echo("There are no readings of it; `loricate trend list` lists what there is.")
        return
    first, last = found.readings[0], found.readings[-1]
    older = " (there are older ones)" if found.is_cut else ""
    rows = [("Readings", f"{len(found.readings)}, {first.at[:10]} to {last.at[:10]}{older}")]
    if found.left_out:
        why = f"{found.left_out} that are no numbers, or of attempts that prove nothing"
        rows.append(("Left out", why))
    if found.others:
        rows.append(("Not shown", f"{found.others} of another dimension; narrow by --product"))
    for count, words in ((found.below, "under a floor"), (found.above, "over a range")):
        if count:
            rows.append(("", f"{count} are only known to be {words}; none is a number in a mean"))
    if found.limit_text:
        changed = ", others before" if found.limits_changed else ""
        rows.append(("Limit", found.limit_text + changed))
    shares = {0.05: "5 % are up to", 0.5: "Half are up to", 0.95: "95 % are up to"}
    rows += [(shares[each.share], each.text) for each in found.quantiles]
    able = found.capability
    if able.mean_text:
        fitted = ", fitted with the censored ones" if able.is_fitted else ""
        rows.append(("Mean, σ", f"{able.mean_text}, {able.sigma_text}{fitted}"))
    for label, index, least in (("Cp", able.cp, able.cp_least), ("Cpk", able.cpk, able.cpk_least)):
        if index is not None and least is not None:
            rows.append((label, f"{index:.2f}, with 95 % confidence at least {least:.2f}"))
    if able.why_not:
        rows.append(("Capability", f"none: {able.why_not}"))
    if found.chart is not None:
        lines = f"{found.chart.lower_text} to {found.chart.upper_text}"
        rows.append(("Chart", f"centre {found.chart.centre_text}, limits {lines}"))
    drift = found.forecast
    if drift.rate_text:
        rows.append(("Slope", drift.rate_text))
    rows.append(("Forecast", drift.text or f"none: {drift.why_not}"))
    for label, text in rows:
        click.echo(f"  {label:<15} {text}")
    _print_signals(found)
    _print_histogram(found)
    if found.groups:
        click.echo()
        groups = [
            (each.name or "none", str(each.count), str(each.failed), each.median.text,
             "" if each.score is None else f"{each.score:+.1f}", each.stands_out)
            for each in found.groups
        ]  # fmt: skip
        heads = (by.upper(), "READINGS", "FAILED", "HALF ARE UP TO", "SCORE", "STANDS OUT")
        print_table(heads, groups, ("READINGS", "FAILED", "HALF ARE UP TO", "SCORE"))


def _print_signals(found: "TrendOut") -> None:
    if found.chart is None or not found.chart.signals:
        return
    click.echo()
    rows, newest = list[tuple[str, ...]](), found.readings
    for rule in dict.fromkeys(each.rule for each in found.chart.signals):
        own = [each for each in found.chart.signals if each.rule == rule]
        last = newest[own[-1].last]
        rows.append((own[0].words, str(len(own)), moment(own[0].from_at), moment(last.at),
                     last.serial))  # fmt: skip
    print_table(("SIGNAL", "TIMES", "SINCE (UTC)", "LATEST", "UNIT"), rows, ("TIMES",))


def _print_histogram(found: "TrendOut") -> None:
    from loricate.core.quantities import DIMENSIONS, display

    bins, dimension = found.histogram, DIMENSIONS.get(found.dimension)
    if len(bins.counts) < 2 or dimension is None:
        return
    click.echo()
    most = max(bins.counts)
    rows = [
        (display(low, dimension), str(count), "█" * round(BAR * count / most))
        for low, count in zip(bins.edges, bins.counts, strict=False)
    ]
    print_table(("FROM", "READINGS", ""), rows, ("FROM", "READINGS"))


def _first_quantity(client: "Client", step: str, search: dict[str, Any]) -> str:
    found = client.measurands(**search)
    for each in found:
        if each.step == step:
            return each.quantity
    known = ", ".join(dict.fromkeys(each.step for each in found)) or "none"
    raise click.ClickException(
        f"The newest units that are so have no readings of a step '{step}'; they have of: {known}."
    )


def _with_serial(serial: str, asked: dict[str, Any]) -> dict[str, Any]:
    return {**asked, "serial": serial} if serial else asked


def _given(how: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in how.items() if value}


def _chart(chart: str, by: str) -> Any:
    if chart == "groups" and not by:
        raise click.BadParameter("needs --by, which says what groups.", param_hint="--chart")
    return chart


def _form(out: Path) -> str:
    form = out.suffix.lstrip(".").lower()
    if form not in ("svg", "png"):
        raise click.BadParameter(
            f"'{out.name}' ends in no form that is written; give .svg, .png or .csv.",
            param_hint="--out",
        )
    return form


def _write(out: Path, content: bytes) -> None:
    try:
        out.write_bytes(content)
    except OSError as error:
        raise click.ClickException(f"{out} cannot be written: {error.strerror}.") from error
    click.echo(f"Wrote {out}.", err=True)
