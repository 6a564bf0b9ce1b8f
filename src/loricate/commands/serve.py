"""``loricate serve``."""

import ipaddress
import socket
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

if TYPE_CHECKING:
    from loricate.service.settings import Settings

DEFAULT_PORT = 8640
F = TypeVar("F", bound=Callable[..., Any])


def log_option(command: F) -> F:
    """Where the log goes: an option of every command that serves."""
    return click.option(
        "--log",
        "log",
        default="",
        help="The log's file, DATA/loricate.log by default; - for standard error.",
    )(command)


def log_file(log: str, data_folder: Path) -> Path | None:
    """The file that the log goes to; None for standard error."""
    if log == "-":
        return None
    return Path(log) if log else data_folder / "loricate.log"


@click.command("serve")
@click.option(
    "--bench",
    "bench_file",
    required=True,
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="The bench file.",
)
@click.option(
    "--site",
    "site_file",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="The site file; by default site.toml beside the bench file, if it is there.",
)
@click.option(
    "--data",
    "data_folder",
    required=True,
    type=click.Path(file_okay=False, path_type=Path),
    help="Where records and the site key live.",
)
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", default=DEFAULT_PORT, show_default=True)
@click.option("--base-url", default="", help="How others reach the service; goes on certificates.")
@click.option(
    "--tls-cert",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Serve over TLS with this certificate (PEM).",
)
@click.option(
    "--tls-key",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Its private key, if it is not in the same file.",
)
@click.option("--host-name", "hosts", multiple=True, help="Answer to this name only; repeatable.")
@click.option("--proxy", "proxies", multiple=True, help="Believe X-Forwarded-For of this address.")
@click.option(
    "--paper-key",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="Sign papers with this key of your own (PKCS#12, P-256), not with one made here.",
)
@click.option(
    "--paper-passphrase",
    envvar="LORICATE_PAPER_PASSPHRASE",
    default="",
    help="Its passphrase; better in the environment.",
)
@click.option(
    "--second-person/--one-person",
    "second_person",
    default=None,
    help="Whether somebody else must release what one changed last; by default where there are "
    "two engineers.",
)
@click.option(
    "--idle",
    "idle_minutes",
    type=click.FloatRange(1, 1440),
    default=120,
    show_default=True,
    help="Minutes after which an unused session ends.",
)
@click.option(
    "--head-folder",
    "head_folders",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Keep signed heads of the ledger here as well; repeatable.",
)
@click.option(
    "--metrics-token",
    envvar="LORICATE_METRICS_TOKEN",
    default="",
    help="Let whoever bears this read /metrics without a sign-in.",
)
@click.option(
    "--kinds",
    "kinds",
    multiple=True,
    metavar="MODULE",
    help="Load kinds of step of your own from this Python module; repeatable.",
)
@click.option("--account", default="", help="Make or renew an account of this name.")
@click.option(
    "--role",
    type=click.Choice(["engineer", "administrator"]),
    default="engineer",
    show_default=True,
    help="What it may.",
)
@click.option("--password", envvar="LORICATE_PASSWORD", default="", help="Its password.")
@log_option
@click.option("--json", "as_json", is_flag=True, help="Print where it serves as a JSON line.")
def command(
    bench_file: Path,
    site_file: Path | None,
    data_folder: Path,
    host: str,
    port: int,
    base_url: str,
    tls_cert: Path | None,
    tls_key: Path | None,
    hosts: tuple[str, ...],
    proxies: tuple[str, ...],
    paper_key: Path | None,
    paper_passphrase: str,
    second_person: bool | None,
    idle_minutes: float,
    head_folders: tuple[Path, ...],
    metrics_token: str,
    kinds: tuple[str, ...],
    account: str,
    role: str,
    password: str,
    log: str,
    as_json: bool,
) -> None:
    """Run the service for one bench until it is told to stop.

    Example: loricate serve --bench bench.toml --data records --account mara
    """
    from loricate.commands.places import console_folder
    from loricate.service.app import check_start
    from loricate.service.settings import FirstAccount, Reached, Settings

    accounts: tuple[FirstAccount, ...] = ()
    if account:
        if not password:
            password = click.prompt("Password", hide_input=True, confirmation_prompt=True)
        accounts = (FirstAccount(account, account, role, password),)
    if tls_key is not None and tls_cert is None:
        raise click.UsageError("--tls-key goes with --tls-cert; give the certificate as well.")
    url = base_url or f"{'https' if tls_cert else 'http'}://{reachable_as(host)}:{port}"
    settings = Settings(
        bench_file,
        data_folder,
        url,
        console_folder(),
        site_file,
        accounts,
        paper_key=paper_key,
        paper_passphrase=paper_passphrase,
        second_person=second_person,
        reached=Reached(hosts, proxies, tls_cert, tls_key),
        idle_minutes=idle_minutes,
        head_folders=head_folders,
        metrics_token=metrics_token,
        kinds=kinds,
    )
    check_start(settings)
    if as_json:
        import json

        click.echo(json.dumps({"url": url}))
    else:
        click.echo(f"Serving at {url}", err=True)
    run_service(settings, host, port, log_file(log, data_folder))


def reachable_as(host: str) -> str:
    """The name that others reach a service by which listens at ``host``.

    The address of every interface is nobody's: on a certificate it would lead nowhere.
    """
    try:
        is_any = ipaddress.ip_address(host).is_unspecified
    except ValueError:
        return host
    name = socket.getfqdn() if is_any else host
    return f"[{name}]" if ":" in name else name


def run_service(settings: "Settings", host: str, port: int, log: Path | None) -> None:
    """Serve until SIGINT or SIGTERM; then outputs and event streams end before all else."""
    from loricate.service.app import create_app
    from loricate.service.logs import set_up_logs
    from loricate.service.serving import serve

    set_up_logs(log)
    serve(create_app(settings), host, port, settings.reached)
