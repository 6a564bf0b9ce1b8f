"""A printer that is reached by IPP (RFC 8010, RFC 8011), as nearly every one on a network is.

That a printer took a job is not that it printed it: it is asked until it says so, or what it
waits for. A job bears a name that no other has: whoever handed it over, and died or heard no
answer, finds it by that and hands nothing over twice.
"""

import asyncio
import logging
import math
from typing import Any

from pyipp import IPP
from pyipp.enums import IppJobState, IppOperation
from pyipp.exceptions import IPPConnectionError, IPPError, IPPResponseError

PRINTED_WITHIN_S, LOOK_EACH_S = 10.0, 0.25  # then the next document's turn comes
ANSWERS_WITHIN_S = 15.0
FOUND = ["job-id", "job-name", "job-state", "job-state-reasons"]
REASONS = {
    "media-empty": "there is no paper in it",
    "media-needed": "there is no paper in it",
    "media-jam": "paper is stuck in it",
    "cover-open": "its cover is open",
    "door-open": "its door is open",
    "toner-empty": "its toner is used up",
    "marker-supply-empty": "its ink or toner is used up",
    "paused": "it is paused",
    "shutdown": "it is shut down",
}
NOT_FOUND = 0x0406
REFUSALS = {
    0x0401: "it lets no one print who does not sign in to it",
    NOT_FOUND: "it knows no such queue",
    0x040A: "it takes no PDF; give the address of a queue that does",
    0x0502: "it is out of service",
    0x0506: "it takes no jobs",
    0x0507: "it is busy",
}
logger = logging.getLogger("loricate.printer")


class NotPrinted(Exception):
    """A document is not on paper yet, with the reason and what helps."""


class Printer:
    """A printer, reached by IPP at ``ipp://`` or ``ipps://`` addresses."""

    def __init__(self, address: str, printed_within_s: float = PRINTED_WITHIN_S) -> None:
        self.address, self.printed_within_s = address, printed_within_s
        self._taken: dict[str, int] = {}  # the number of each job that is not printed yet, by name

    async def print(self, name: str, pdf: bytes) -> None:
        """Have a PDF on paper; returns once the printer says that it is, or that it was cancelled.

        ``name`` is the job's and no other's: one of the name that the printer has, printed ones
        included, is not handed over again. Raises NotPrinted.
        """
        link = IPP(
            self.address,
            verify_ssl=True,
            user_agent="loricate",
            request_timeout=math.ceil(ANSWERS_WITHIN_S) + 1,  # _ask gives up before
        )
        async with link:
            if name not in self._taken and (known := await self._known(link, name)) is not None:
                self._taken[name] = known
            if is_new := name not in self._taken:
                self._taken[name] = await self._hand_over(link, name, pdf)
            await self._wait(link, name, is_new)
            del self._taken[name]

    async def _ask(
        self, link: IPP, operation: str, may_miss: bool = False, **message: Any
    ) -> dict[str, Any]:
        """What it answers to one request; raises NotPrinted.

        Where ``may_miss``, that it has no such job is an answer as well.
        """
        asked = {"requesting-user-name": "loricate", **message.pop("about", {})}
        message["operation-attributes-tag"] = asked
        try:
            async with asyncio.timeout(ANSWERS_WITHIN_S):
                return await link.execute(IppOperation[operation], message)
        except (TimeoutError, IPPConnectionError) as error:
            told = f"The printer at {self.address} does not answer: see that it is on and reached."
            raise NotPrinted(told) from error
        except IPPError as error:
            facts = error.args[1] if len(error.args) > 1 else {}
            status = facts.get("status-code") if isinstance(facts, dict) else None
            if may_miss and status == NOT_FOUND:
                return {"status-code": NOT_FOUND}
            if status is None:
                told = f"What answers at {self.address} is no printer that speaks IPP."
            elif isinstance(error, IPPResponseError):
                told = f"What answers at {self.address} refuses (HTTP {status})."
            else:
                why = REFUSALS.get(status, f"its status is {status:#06x}")
                told = f"The printer at {self.address} refuses: {why}."
            raise NotPrinted(told) from error

    async def _known(self, link: IPP, name: str) -> int | None:
        """The job of a name that it has, if it did not give it up."""
        for which in ("not-completed", "completed"):
            about = {"requested-attributes": FOUND, "which-jobs": which}
            found = await self._ask(link, "GET_JOBS", about=about)
            for job in found["jobs"]:
                if job.get("job-name") == name and job.get("job-state") is not IppJobState.ABORTED:
                    return self._number(job)
        return None

    async def _hand_over(self, link: IPP, name: str, pdf: bytes) -> int:
        about = {"job-name": name, "document-format": "application/pdf"}
        taken = await self._ask(link, "PRINT_JOB", about=about, data=pdf)
        return self._number(next(iter(taken["jobs"]), {}))

    def _number(self, job: dict[str, Any]) -> int:
        number = job.get("job-id")
        if not isinstance(number, int):
            raise NotPrinted(
                f"The printer at {self.address} took the job and does not say as what."
            )
        return number

    async def _wait(self, link: IPP, name: str, is_new: bool) -> None:
        """Return once the job of a name is printed; raises NotPrinted.

        A new one that it knows no more was printed, by a printer that keeps no list; one that it
        took long ago may have been lost when it was switched off, and is handed over again.
        """
        number = self._taken[name]
        until = asyncio.get_running_loop().time() + self.printed_within_s
        while True:
            about = {"job-id": number, "requested-attributes": FOUND}
            found = await self._ask(link, "GET_JOB_ATTRIBUTES", about=about, may_miss=True)
            if found["status-code"] == NOT_FOUND and is_new:
                return
            if found["status-code"] == NOT_FOUND:
                del self._taken[name]
                raise NotPrinted(
                    f"The printer at {self.address} has forgotten it; it gets it again."
                )
            job: dict[str, Any] = next(iter(found["jobs"]), {})
            if (job.get("job-id"), job.get("job-name")) != (number, name):
                told = "tells of another job than asked, or keeps no names; print through a queue"
                raise NotPrinted(f"The printer at {self.address} {told} that does.")
            state = job.get("job-state")
            if state is IppJobState.ABORTED:
                del self._taken[name]
                why = _words(job.get("job-state-reasons")) or "it does not say why"
                raise NotPrinted(f"The printer at {self.address} gave it up: {why}.")
            if state is IppJobState.CANCELED:  # by somebody who does not want it
                logger.warning("cancelled at the printer", extra={"subject": name})
            if state in (IppJobState.COMPLETED, IppJobState.CANCELED):
                return
            if asyncio.get_running_loop().time() > until:
                raise NotPrinted(await self._why(link))
            await asyncio.sleep(LOOK_EACH_S)

    async def _why(self, link: IPP) -> str:
        """What a printer that has the job waits for."""
        about = {"requested-attributes": ["printer-state-reasons"]}
        found = await self._ask(link, "GET_PRINTER_ATTRIBUTES", about=about)
        printer: dict[str, Any] = next(iter(found["printers"]), {})
        why = _words(printer.get("printer-state-reasons"))
        return f"The printer at {self.address} has it and has not printed it" + (
            f": {why}." if why else "."
        )


def _words(reasons: object) -> str:
    """What printers give as reasons, in words; the severity that ends each is left out."""
    given = reasons if isinstance(reasons, list) else [reasons]
    plain = [
        str(each).removesuffix("-error").removesuffix("-warning").removesuffix("-report")
        for each in given
        if each not in (None, "", "none")
    ]
    return ", ".join(dict.fromkeys(REASONS.get(each, each) for each in plain))
