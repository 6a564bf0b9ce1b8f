"""``loricate product``."""

from itertools import zip_longest
from pathlib import Path

import click
import tomlkit

from loricate.commands.connection import Call, service_options
from loricate.commands.definitions import (
    FILE,
    differences_command,
    read_toml,
    revisions_command,
)
from loricate.commands.output import print_json, print_table
from loricate.core.documents import read_document
from loricate.core.products.product import Product
from loricate.core.toml_text import written


@click.group("product")
def command() -> None:
    """List, show, add and copy products; see what is on offer for one."""


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the newest revision of every product.

    Example: loricate product list
    """
    with call.connect() as client:
        found = client.products()
    if call.printed(found):
        return
    rows = [
        (
            each["code"],
            str(each["revision"]),
            each["family"],
            each.get("protection_class") or "",
            each.get("supply_voltage") or "",
            each["title"],
        )
        for each in found
    ]
    print_table(("CODE", "REV", "FAMILY", "CLASS", "RATED", "TITLE"), rows, ("REV",))
    if not found:
        click.echo("No products yet; add one with `loricate product add FILE`.", err=True)


@command.command("show")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@service_options
def show(code: str, revision: int | None, call: Call) -> None:
    """Print a product's file.

    Example: loricate product show DC-40
    """
    with call.connect() as client:
        found = client.product(code, revision)
    if call.printed(found):
        return
    click.echo(f"# {code}, revision {found['revision']}")
    del found["revision"]
    click.echo(written(found, Product), nl=False)


@command.command("add")
@click.argument("file", type=FILE)
@click.option("--based-on", type=int, help="Refuse when another revision is the newest by now.")
@service_options
def add(file: Path, based_on: int | None, call: Call) -> None:
    """Add a product file, or a revision of one.

    Example: loricate product add demo/products/dc-40.toml
    """
    with call.connect() as client:
        stored = client.add_product(read_toml(file), based_on)
    if not call.printed(stored):
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("copy")
@click.argument("code")
@click.argument("new_code")
@click.option("--title", help="The same by default.")
@service_options
def copy(
    code: str,
    new_code: str,
    title: str | None,
    call: Call,
) -> None:
    """Copy a product under a new code.

    Example: loricate product copy DC-40 DC-42 --title "Drying cabinet DC-42"
    """
    with call.connect() as client:
        if any(each["code"] == new_code for each in client.products()):
            raise click.ClickException(f"There is a product {new_code} already; choose another.")
        document = client.product(code)
        del document["revision"]
        document |= {"code": new_code, "title": title or document["title"]}
        stored = client.add_product(document)
    if not call.printed(stored):
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("limits")
@click.argument("code")
@click.option("--all", "show_all", is_flag=True, help="Those that do not hold as well.")
@service_options
def limits(code: str, show_all: bool, call: Call) -> None:
    """Show which limits of which standards hold for a product, and why.

    Example: loricate product limits DC-40
    """
    with call.connect() as client:
        found = client.offer(code)
    if call.printed(found):
        return
    rows = [
        (
            each.source,
            each.kind or "-",
            each.figure or "-",
            each.variant,
            each.demands,
            "; ".join(each.reasons) if each.holds else f"NO: {'; '.join(each.reasons)}",
        )
        for each in found.limits
        if each.holds or show_all
    ]
    print_table(("SOURCE", "KIND", "LIMIT", "VARIANT", "TEST", "BECAUSE"), rows)
    absent = [f"{kind.name} ({kind.why_not})" for kind in found.kinds if kind.why_not]
    if absent:
        click.echo(f"Not on offer: {', '.join(absent)}.", err=True)


@command.command("standards")
@click.argument("code")
@click.argument("one")
@click.argument("other")
@click.option("--all", "show_all", is_flag=True, help="What both ask alike as well.")
@service_options
def standards(code: str, one: str, other: str, show_all: bool, call: Call) -> None:
    """Show what two standards ask of a product where they differ.

    Example: loricate product standards FW-2 "IEC 60601-1" "IEC 62353"
    """
    with call.connect() as client:
        found = client.compare_standards(code, one, other)
    if call.printed(found):
        return
    rows: list[tuple[str, ...]] = []
    for each in found.rows:
        if each.differs or show_all:
            about = (each.kind, each.reading.replace("_", " "), each.what)
            for line in zip_longest(each.one or ["-"], each.other or ["-"], fillvalue=""):
                rows.append((*about, *line))
                about = ("", "", "")
    print_table(("KIND", "READING", "WHAT", one, other), rows)


@command.command("step")
@click.argument("code")
@click.argument("kind")
@click.option("--limit-set", required=True, help="Code of the set whose limits it is to measure.")
@service_options
def step(code: str, kind: str, limit_set: str, call: Call) -> None:
    """Print a step filled with all that a limit set limits of a product, as TOML for a sequence.

    Example: loricate product step FW-2 leakage --limit-set IEC-60601-1-8.7
    """
    with call.connect() as client:
        found = client.propose_step(code, kind, limit_set)
    if call.printed(found):
        return
    click.echo(tomlkit.dumps({"steps": [found.step]}).strip())
    click.echo(f"{found.points} places and conditions.", err=True)
    for each in found.left_out:
        click.echo(f"Left out: {each.what}: {each.reason}.", err=True)


@command.command("from-to")
@click.argument("code")
@click.option("--take", type=FILE, help="A list to take in its place, as a new revision.")
@service_options
def from_to(code: str, take: Path | None, call: Call) -> None:
    """Print a cable's from-to list as CSV, or take one in.

    Example: loricate product from-to CL-7 > cl-7.csv
    """
    with call.connect() as client:
        document = client.product(code)
        revision = document.pop("revision")
        if take is None:
            text = client.from_to_list(code)
            if not call.printed({"code": code, "revision": revision, "list": text}):
                click.echo(text, nl=False)
            return
        changed = client.read_from_to(document, take.read_text(encoding="utf-8-sig"))
        stored = client.add_product(changed, revision)
    if not call.printed(stored):
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("stand-in")
@click.argument("file", type=FILE)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def stand_in(file: Path, as_json: bool) -> None:
    """Print the stand-in unit of a product file, with its faults: a unit file to start from.

    Example: loricate product stand-in demo/products/cl-7.toml > cl-7-unit.toml
    """
    from loricate.challenge.families import NoStandIn, stand_in_for
    from loricate.commands.unit_files import unit_text

    try:
        model = stand_in_for(read_document(Product, read_toml(file), "product"))
    except NoStandIn as error:
        raise click.ClickException(str(error)) from error
    if as_json:
        print_json(model.model_dump(mode="json", exclude_defaults=True))
    else:
        click.echo(unit_text(model), nl=False)


command.add_command(revisions_command("products", "product", "DC-40"))
command.add_command(differences_command("products", "product", "DC-40"))
