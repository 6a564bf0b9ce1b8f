"""The command line: one module a noun, each imported only when it is called."""

import gc
import importlib
import sys

import click

from loricate import __version__

# Noun: module and one line of help, so that `loricate --help` imports none of them.
NOUNS = {
    "serve": ("serve", "Run the service for one bench."),
    "demo": ("demo", "Run the service with stand-in instruments and demo data."),
    "example": ("example", "Run the demo load from start to certificates, then end."),
    "sign-in": ("session", "Sign in and keep the session for later commands."),
    "account": ("account", "Add and change accounts, change passwords, read the audit trail."),
    "bench": ("bench", "See which instruments answer; zero, check and renew fixtures."),
    "product": ("product", "List, show, add and copy products; see what is on offer for one."),
    "limit-set": ("limit_set", "List, show, add, release and compare limit sets of standards."),
    "sequence": ("sequence", "Write, check, review, challenge, release and compare sequences."),
    "rehearsal": ("rehearsal", "Try steps on one nest with live meters; nothing is recorded."),
    "run": ("run", "Start, watch, show, repeat, remark on and abort runs."),
    "series": ("series", "Test consecutive units on one arming, as they are plugged in."),
    "lot": ("lot", "Open, list, show, print, sum up and close lots."),
    "unit": ("unit", "Find units and show their history."),
    "search": ("search", "Keep searches for units by name, for the whole site."),
    "trend": ("trend", "See what readings of many units say together, and how yields go."),
    "report": ("report", "Report on many units, as a document or as tables; keep reports by name."),
    "item": ("item", "See what is to be looked into: raise, give, end."),
    "asset": ("asset", "Describe devices by their number; see how they stand, and what is due."),
    "order": ("order", "See what other systems want tested: give, list, show, withdraw."),
    "capture": ("capture", "Make a cable's description from units that are known to be good."),
    "hands": ("hands", "Do at the simulated bench what a person does by hand."),
    "records": ("records", "Check, back up and restore the records; export the audit trail."),
    "carry": ("carry", "Carry records from a bench out of reach to the service that keeps all."),
    "certificate": ("certificate", "Find, get, verify, revoke and approve what was issued."),
    "key": ("key", "List, prepare, begin and replace the site's keys."),
}


class Nouns(click.Group):
    """Loads a noun's module when the noun is used."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(NOUNS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in NOUNS:
            return None
        gc.disable()  # nothing of what an import makes is garbage
        module = importlib.import_module(f"loricate.commands.{NOUNS[cmd_name][0]}")
        gc.enable()
        command: click.Command = module.command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(noun, about) for noun, (_, about) in NOUNS.items()])


@click.group(cls=Nouns, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="loricate")
def cli() -> None:
    """Production electrical safety testing, from the sequence to the signed certificate.

    Example, with the demo service running:
    loricate run start DC40-FINAL --fixture FX-A 1=DC40-26-0117
    """


def main() -> None:
    """The entry point: errors become one sentence on standard error and an exit status."""
    try:
        cli(standalone_mode=False)
    except click.exceptions.Exit as leaving:
        sys.exit(leaving.exit_code)
    except click.Abort:
        click.echo("Stopped.", err=True)
        sys.exit(1)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except Exception as error:
        # Our own errors have a sentence for people; anything else is a defect and shows as such.
        if not type(error).__module__.startswith("loricate."):
            raise
        click.echo(f"Error: {error}", err=True)
        sys.exit(1)
