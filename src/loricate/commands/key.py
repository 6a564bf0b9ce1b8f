"""``loricate key``."""

import getpass
from pathlib import Path

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_json, print_table, printed

PURPOSE = click.option(
    "--for",
    "purpose",
    type=click.Choice(["documents", "papers"]),
    default="documents",
    show_default=True,
    help="What it signs: sealed data (Ed25519), or PDF (P-256 with a certificate).",
)
STATES = {"in_use": "in use", "next": "next", "former": "former"}


@click.group("key")
def command() -> None:
    """The site's keys: list, prepare the next one, begin it, get the public ones."""


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the site's keys with where they stand, the newest first.

    Example: loricate key list
    """
    with call.connect() as client:
        found = client.keys()
    if call.printed(found):
        return
    rows = [
        (
            each.kid,
            each.purpose,
            STATES[each.state],
            moment(each.since),
            moment(each.begun_at) if each.begun_at else "not yet",
            each.subject,
        )
        for each in found
    ]
    print_table(("KEY", "FOR", "STATE", "KNOWN SINCE", "BEGUN", "SUBJECT"), rows)


@command.command("prepare")
@PURPOSE
@service_options
def prepare(purpose: str, call: Call) -> None:
    """Make the next key. It is among the public keys from now on, and signs nothing yet.

    Give the public keys to whoever verifies, and begin it when they have them.

    Example: loricate key prepare --for papers
    """
    with call.connect() as client:
        made = client.prepare_key("papers" if purpose == "papers" else "documents")
    if not call.printed(made):
        click.echo(f"The next key for {made.purpose} is {made.kid}")
        click.echo("Hand out the public keys (`loricate key public`), then begin it.", err=True)


@command.command("begin")
@PURPOSE
@service_options
def begin(purpose: str, call: Call) -> None:
    """Sign with the next key from now on; what the former one signed is verified as before.

    Example: loricate key begin --for papers
    """
    with call.connect() as client:
        prepared = [
            each.kid for each in client.keys() if (each.purpose, each.state) == (purpose, "next")
        ]
        if not prepared:
            raise click.ClickException(
                f"No next key for {purpose} is prepared: `loricate key prepare --for {purpose}`."
            )
        done = client.begin_key(prepared[0])
    if not call.printed(done):
        click.echo(f"Signed with {done.kid} from now on.")
        click.echo(f"The former key is in {done.put_away}; keep it apart, or destroy it.", err=True)


@command.command("public")
@click.option(
    "--to", "file", type=click.Path(dir_okay=False, path_type=Path), help="A file to write."
)
@service_options
def public(file: Path | None, call: Call) -> None:
    """Get every public key of the site as a JWK set, for `certificate verify --key`.

    Example: loricate key public --to site-keys.json
    """
    import json

    with call.connect() as client:
        keys = client.site_keys().model_dump()
    if file is None:
        print_json(keys)
        return
    file.write_text(json.dumps(keys, indent=2) + "\n", encoding="utf-8")
    if not call.printed({"file": str(file)}):
        click.echo(str(file))


@command.command("replace")
@click.option(
    "--data",
    "data_folder",
    envvar="LORICATE_DATA",
    type=click.Path(file_okay=False, path_type=Path),
    required=True,
    help="The data folder of the service, which must not run.",
)
@PURPOSE
@click.option("--site", default="", help="The name in a new certificate for papers.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def replace(data_folder: Path, purpose: str, site: str, as_json: bool) -> None:
    """Begin a new key at once, when the old one is lost for good or known to others.

    What was signed with the old key is still verified with its public half.

    Example: loricate key replace --data records
    """
    from loricate.service.keyring import replace_key

    if not (data_folder / "records.sqlite").is_file():
        raise click.UsageError(f"There are no records in {data_folder}; name the data folder.")
    kid = replace_key(data_folder, purpose, site, getpass.getuser())
    if not printed(as_json, {"kid": kid}):
        click.echo(f"The site signs {purpose} with a new key from now on: {kid}")
        click.echo("Give the public keys to whoever verifies: `loricate key public`.", err=True)
