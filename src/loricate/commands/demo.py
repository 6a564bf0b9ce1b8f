"""``loricate demo``."""

import json
import os
import signal
import threading
from pathlib import Path
from typing import Any

import click

from loricate.commands.serve import DEFAULT_PORT, log_option


@click.command("demo")
@click.option(
    "--data",
    "data_folder",
    type=click.Path(file_okay=False, path_type=Path),
    default="out/demo",
    show_default=True,
    help="Where records and the site key live.",
)
@click.option("--port", default=DEFAULT_PORT, show_default=True, help="0 takes a free one.")
@click.option("--pace", default=1.0, show_default=True, help="How fast the stand-ins' clock goes.")
@click.option(
    "--history/--no-history",
    "with_history",
    default=True,
    help="With three months of another works, carried in.",
)
@log_option
@click.option("--json", "as_json", is_flag=True, help="Print address and sign-in as a JSON line.")
def command(
    data_folder: Path, port: int, pace: float, with_history: bool, log: str, as_json: bool
) -> None:
    """Run the service with stand-in instruments and demo data until it is told to stop.

    Prints the address and a sign-in that is made for this start.

    Example: loricate demo --pace 5
    """
    from loricate.commands import demo_site
    from loricate.commands.places import console_folder
    from loricate.commands.serve import log_file, run_service
    from loricate.service.app import check_start
    from loricate.service.settings import FirstAccount, Settings

    port = port or demo_site.free_port()
    url, password = f"http://127.0.0.1:{port}", demo_site.new_password()
    secret = demo_site.new_secret()
    with demo_site.stand_ins(pace, printed=data_folder / "printed", secret=secret) as floor:
        bench_file = data_folder / "bench.toml"
        demo_site.write_bench_file(floor.ports, bench_file, secret)
        people = (
            FirstAccount(demo_site.ACCOUNT, "Mara Quill", "engineer", password),
            FirstAccount(demo_site.QUALITY, "Ines Quay", "quality", password),
            FirstAccount(demo_site.SYSTEM, "Maintenance system", "system", password),
        )
        settings = Settings(
            bench_file,
            data_folder,
            url,
            console_folder(),
            accounts=people,
            second_person=False,  # at the demo one person is everybody
        )
        sign_in = {
            "url": url,
            "name": demo_site.ACCOUNT,
            "password": password,
            "ports": floor.ports,
        }
        check_start(settings)

        def greet() -> None:
            try:
                _greet(sign_in, pace, with_history, as_json)
            except Exception as error:
                click.echo(f"Error: the demo could not be set up: {error}", err=True)
                os.kill(os.getpid(), signal.SIGTERM)

        threading.Thread(target=greet, daemon=True).start()
        run_service(settings, "127.0.0.1", port, log_file(log, data_folder))


def _greet(sign_in: dict[str, Any], pace: float, with_history: bool, as_json: bool) -> None:
    """Once the service answers, add the demo's definitions, make its fixtures fit, say where it is.

    All of it goes through the API, with the stand-ins' hands for what a person would do.
    """
    from loricate.client import Client
    from loricate.commands import demo_site, demo_upkeep
    from loricate.simulator.hands_link import Hands

    with Client(sign_in["url"]) as client:
        demo_site.wait_for(client)
        client.sign_in(sign_in["name"], sign_in["password"])
        demo_site.add_definitions(client)
        demo_site.have_orders_given(client, sign_in)
        came = demo_site.carry_history_in(client) if with_history else ""
        hands = Hands("127.0.0.1", sign_in["ports"]["HANDS"])
        fit = demo_upkeep.make_fit(client, hands, pace)
        ordered = ", ".join(each.number for each in client.orders("open"))
        client.sign_out()
    if as_json:
        click.echo(json.dumps(sign_in))
    else:
        click.echo(f"Console   {sign_in['url']}/")
        click.echo(f"Sign in   {sign_in['name']}  {sign_in['password']}")
        click.echo(f"Quality   {demo_site.QUALITY}  {sign_in['password']}")
        if fit:
            click.echo(f"Upkeep    zero and daily check done by the stand-ins: {', '.join(fit)}")
        if came:
            click.echo(f"History   {came}")
        if ordered:
            click.echo(f"Orders    fixture FX-W, {ordered}")
        click.echo("Load      fixture FX-A, serials DC40-26-0117 to DC40-26-0120 in nests 1 to 4")
        click.echo("Stop      Ctrl-C")
