"""Printing: each paper that is wanted on paper goes to the site's printer, once.

What cannot be printed waits in the outbox with the reason, and holds up no test.
"""

from loricate.core.errors import Finding
from loricate.core.planning.line import LineOptions
from loricate.records import outbox
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.errors import NotReady
from loricate.service.paper_making import paper_as_it_stands
from loricate.service.site_file import PrinterPlan

NO_PRINTER = "name one in [printer] of the site file and start the service again"


class NoPrinter(LookupError):
    """A document waits to be printed, and the site has no printer any more."""

    def __str__(self) -> str:
        return f"The site names no printer any more; {NO_PRINTER}."


class Printing:
    """What the outbox has for the printer."""

    def __init__(self, plan: PrinterPlan | None, store: Store) -> None:
        self.store, self.printer = store, None
        if plan is not None:
            # Only who has one pays for it, and now: an import during a run would hold up its beat.
            from loricate.service.ipp_printer import Printer

            self.printer = Printer(plan.address)

    async def send(self, outgoing: Outgoing) -> None:
        """Print one document's paper as it stands; raises NotPrinted, NoPrinter."""
        if self.printer is None:
            raise NoPrinter
        _, pdf = await paper_as_it_stands(self.store, outgoing.subject)
        await self.printer.print(f"{outgoing.subject} ({outgoing.id})", pdf)
        await self.store.write(lambda conn: outbox.set_sent(conn, outgoing.id))


def check_printed(line: LineOptions, plan: PrinterPlan | None) -> None:
    """That there is a printer where papers are to be printed; raises NotReady."""
    if plan is None and line.print not in (None, "off"):
        told = "asks for papers to be printed, and this site names no printer"
        remedy = f"{NO_PRINTER}, or choose off."
        raise NotReady.because([Finding("line.print", told, remedy)])
