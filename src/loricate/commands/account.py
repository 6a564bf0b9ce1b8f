"""``loricate account``."""

import click

from loricate.commands.connection import DEFAULT_URL, Call, save_session, service_options
from loricate.commands.output import moment, print_json, print_table, printed

ROLES = click.Choice(["operator", "engineer", "quality", "administrator", "system"])


@click.group("account")
def command() -> None:
    """Add and change accounts, change passwords, read the audit trail."""


@command.command("first")
@click.option("--service", envvar="LORICATE_SERVICE", default=DEFAULT_URL, show_default=True)
@click.option("--code", prompt="Code from the service's log")
@click.option("--name", prompt="Account name")
@click.option("--full-name", prompt="Full name")
@click.option(
    "--password", envvar="LORICATE_PASSWORD", prompt=True, hide_input=True, confirmation_prompt=True
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def first(service: str, code: str, name: str, full_name: str, password: str, as_json: bool) -> None:
    """Make the first engineer of a new site and sign in.

    Example: loricate account first --name mara --full-name "Mara Quill"
    """
    from loricate.client import Client

    with Client(service) as client:
        made = client.make_first_account(code, name, full_name, password)
        save_session(client.base_url, client.sign_in(name, password).token)
    if printed(as_json, made):
        return
    click.echo(f"{made.name} ({made.role}) is made and signed in.")
    click.echo(
        "Next: loricate bench show, loricate product add, loricate sequence add, loricate run "
        "start.",
        err=True,
    )


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List accounts.

    Example: loricate account list
    """
    with call.connect() as client:
        found = client.accounts()
    if call.printed(found):
        return
    rows = [
        (
            each.name,
            each.role,
            each.state,
            moment(each.signed_in_at or "never"),
            each.full_name,
        )
        for each in found
    ]
    print_table(("NAME", "ROLE", "STATE", "LAST SIGN-IN (UTC)", "FULL NAME"), rows)


@command.command("add")
@click.argument("name")
@click.option("--full-name", required=True)
@click.option("--role", type=ROLES, required=True)
@service_options
def add(name: str, full_name: str, role: str, call: Call) -> None:
    """Add somebody; prints a one-time password, shown this once.

    Example: loricate account add olle --full-name "Olle Stark" --role operator
    """
    with call.connect() as client:
        made = client.add_account(name, full_name, role)
    if not call.printed(made):
        click.echo(f"{made.name} signs in with {made.password} and then chooses a password.")


@command.command("change")
@click.argument("name")
@click.option("--full-name")
@click.option("--role", type=ROLES)
@click.option("--close/--open", "closed", default=None, help="Close the account, or open it.")
@service_options
def change(
    name: str,
    full_name: str | None,
    role: str | None,
    closed: bool | None,
    call: Call,
) -> None:
    """Change an account's full name or role, close or open it.

    Example: loricate account change olle --role quality
    """
    with call.connect() as client:
        made = client.change_account(name, full_name=full_name, role=role, closed=closed)
    if not call.printed(made):
        click.echo(f"{made.name}: {made.full_name}, {made.role}, {made.state}.")


@command.command("reset")
@click.argument("name")
@service_options
def reset(name: str, call: Call) -> None:
    """Give an account a one-time password and ends its sessions.

    Example: loricate account reset olle
    """
    with call.connect() as client:
        made = client.reset_password(name)
    if not call.printed(made):
        click.echo(f"{made.name} signs in with {made.password} and then chooses a password.")


@command.command("password")
@click.option("--present", prompt="Present password", hide_input=True)
@click.option(
    "--next", "following", prompt="New password", hide_input=True, confirmation_prompt=True
)
@service_options
def password(present: str, following: str, call: Call) -> None:
    """Change your own password; your other sessions end.

    Example: loricate account password
    """
    with call.connect() as client:
        client.change_password(present, following)
    if not call.printed({"changed": True}):
        click.echo("Your password is changed.")


@command.command("sessions")
@service_options
def sessions(call: Call) -> None:
    """List where you are signed in.

    Example: loricate account sessions
    """
    with call.connect() as client:
        found = client.sessions()
    if call.printed(found):
        return
    rows = [
        (
            each.id,
            each.address,
            moment(each.created_at),
            moment(each.used_at),
            "this one" if each.is_this else each.agent[:40],
        )
        for each in found
    ]
    print_table(("SESSION", "FROM", "SINCE (UTC)", "LAST USED (UTC)", "BY"), rows)


@command.command("end-session")
@click.argument("session")
@service_options
def end_session(session: str, call: Call) -> None:
    """End one of your sessions, by its id in the list.

    Example: loricate account end-session 0199c0de-3f00-7000-8000-0123456789ab
    """
    with call.connect() as client:
        client.end_session(session)
    if not call.printed({"ended": session}):
        click.echo("That session has ended.")


@command.command("codes")
@click.option("--off", is_flag=True, help="Have the password be enough again.")
@click.option("--password", envvar="LORICATE_PASSWORD", prompt=True, hide_input=True)
@service_options
def codes(off: bool, password: str, call: Call) -> None:
    """Have a one-time code of an authenticator (TOTP) go with your password, or no longer.

    Example: loricate account codes
    """
    with call.connect() as client:
        if off:
            client.end_codes(password)
        else:
            made = client.begin_codes(password)
            for line in _half_blocks(made.qr):
                click.echo(line, err=True)
            click.echo(f"Scan this with an authenticator, or type {made.secret} there.", err=True)
            client.confirm_codes(click.prompt("Code that it shows", err=True))
    if call.as_json:
        print_json({"codes": not off})
    elif off:
        click.echo("The password is enough again.")
    else:
        click.echo("A one-time code goes with your password from now on.")


def _half_blocks(rows: list[str]) -> list[str]:
    """A QR code for a terminal, two rows to a line, light where the terminal is dark."""
    wide = ["0" * (len(rows) + 4)] * 2
    padded = [*wide, *(f"00{row}00" for row in rows), *wide]
    signs = {"00": "█", "01": "▀", "10": "▄", "11": " "}
    pairs = zip(padded[::2], [*padded[1::2], padded[0]], strict=False)
    return ["".join(signs[a + b] for a, b in zip(*pair, strict=True)) for pair in pairs]


@command.command("sign-out-everywhere")
@service_options
def sign_out_everywhere(call: Call) -> None:
    """End every session of yours, this one as well.

    Example: loricate account sign-out-everywhere
    """
    with call.connect() as client:
        client.sign_out_everywhere()
    if not call.printed({"signed_out": True}):
        click.echo("You are signed out everywhere.")


@command.command("audit")
@click.option("--account", default="", help="Who did it.")
@click.option("--action", default="", help="Part of what was done.")
@click.option("--subject", default="", help="Part of what it was done to.")
@click.option("--since", default="", help="A date or time, UTC.")
@click.option("--until", default="", help="A date or time, UTC, included.")
@click.option("--count", default=50, show_default=True)
@service_options
def audit(
    account: str,
    action: str,
    subject: str,
    since: str,
    until: str,
    count: int,
    call: Call,
) -> None:
    """Read the audit trail, newest first.

    Example: loricate account audit --account mara --action release
    """
    with call.connect() as client:
        found = client.audit(
            account=account, action=action, subject=subject, since=since, until=until, count=count
        )
    if call.printed(found):
        return
    rows = [
        (moment(each.at), each.account, each.action, each.subject, each.detail) for each in found
    ]
    print_table(("AT (UTC)", "BY", "WHAT", "TO", "DETAIL"), rows)
    if not found:
        click.echo("Nothing matches.", err=True)
