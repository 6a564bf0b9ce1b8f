"""``loricate sign-in``."""

import click

from loricate.commands.connection import DEFAULT_URL, save_session
from loricate.commands.output import print_json


@click.command("sign-in")
@click.option("--service", envvar="LORICATE_SERVICE", default=DEFAULT_URL, show_default=True)
@click.option("--name", prompt=True, help="Account name.")
@click.option("--password", envvar="LORICATE_PASSWORD", prompt=True, hide_input=True)
@click.option("--code", default="", help="The one-time code, if one goes with the password.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def command(service: str, name: str, password: str, code: str, as_json: bool) -> None:
    """Sign in and keep the session for later commands (12 hours).

    Example: loricate sign-in --name mara
    """
    from loricate.client import Client, RefusedError

    with Client(service) as client:
        try:
            signed = client.sign_in(name, password, code)
        except RefusedError as error:
            if not error.problem.type.endswith(":code-needed"):
                raise
            typed = click.prompt("One-time code", err=True)
            signed = client.sign_in(name, password, typed)
        save_session(client.base_url, signed.token)
    if as_json:
        print_json({"name": signed.name, "role": signed.role, "expires_at": signed.expires_at})
    else:
        click.echo(f"Signed in as {signed.full_name} ({signed.role}) until {signed.expires_at}.")
