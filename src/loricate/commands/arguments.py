"""How commands read what they are given."""

import re

import click

_NEGATIVE = re.compile(r"-[\d.]")


class TakesQuantities(click.Command):
    """A command whose arguments may be negative: ``-5 °C`` is a temperature, and no option."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Read arguments; where a negative quantity is among them, a dash begins no option."""
        ctx.ignore_unknown_options = any(map(_NEGATIVE.match, args))
        return super().parse_args(ctx, args)
