"""A stand-in printer: takes PDFs by IPP (RFC 8010, RFC 8011) and prints them into a folder."""

import asyncio
import struct
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from aiohttp import web
from pyipp.enums import IppJobState, IppOperation, IppStatus, IppTag
from pyipp.parser import parse
from pyipp.serializer import construct_attribute, encode_dict

PAGE_S = 0.2
MOST_BYTES = 64 * 2**20
# What may be wrong with it: no paper in it; it takes nothing; it takes a job and the answer is
# lost; each job is given up, or cancelled at it; its answers are nonsense, never come, or are of
# another's job; it forgets what it has printed.
TROUBLES = (
    "FORGETS",
    "EMPTY",
    "CLOSED",
    "LOST",
    "GIVES_UP",
    "CANCELS",
    "NONSENSE",
    "SILENT",
    "ANOTHER",
)
ENDS = {"GIVES_UP": IppJobState.ABORTED, "CANCELS": IppJobState.CANCELED}


@dataclass(slots=True)
class Job:
    """What it was given to print."""

    number: int
    name: str
    state: IppJobState
    pdf: bytes


class Printer:
    """Serves one queue on a loopback port; ``printed`` is where its paper comes out."""

    troubles = TROUBLES

    def __init__(self, printed: Path) -> None:
        self.printed, self.trouble = printed, ""
        self.jobs: list[Job] = []
        self._taken = 0
        self._runner: web.AppRunner | None = None
        self._printing: asyncio.Task[None] | None = None

    async def serve(self, host: str, port: int) -> int:
        """Listen; gives the port."""
        app = web.Application(client_max_size=MOST_BYTES)
        app.router.add_post("/ipp/print", self._answer)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=0.1)
        await self._runner.setup()
        site = web.TCPSite(self._runner, host, port)
        await site.start()
        self._printing = asyncio.create_task(self._print())
        return int(self._runner.addresses[0][1])

    async def close(self) -> None:
        """Be switched off; jobs are forgotten."""
        if self._printing is not None:
            self._printing.cancel()
        if self._runner is not None:
            await self._runner.cleanup()
        self.jobs.clear()

    @property
    def reasons(self) -> str:
        """Why it does not print (RFC 8011, 5.4.12)."""
        return "media-empty-error" if self.trouble == "EMPTY" else "none"

    async def _print(self) -> None:
        while True:
            await asyncio.sleep(PAGE_S)
            pending = [job for job in self.jobs if job.state is IppJobState.PENDING]
            if not pending or self.trouble == "EMPTY":
                continue
            job = pending[0]
            if self.trouble in ENDS:
                job.state = ENDS[self.trouble]
                continue
            self.printed.mkdir(parents=True, exist_ok=True)
            (self.printed / f"{job.number:04d} {job.name}.pdf").write_bytes(job.pdf)
            job.state = IppJobState.COMPLETED
            if self.trouble == "FORGETS":
                self.jobs.remove(job)

    async def _answer(self, request: web.Request) -> web.Response:
        asked = parse(await request.read(), contains_data=True)
        if self.trouble == "SILENT":
            await asyncio.Event().wait()
        about = asked["operation-attributes"]
        status, groups = self._perform(asked["status-code"], about, asked["data"])
        if self.trouble == "LOST" and asked["status-code"] == IppOperation.PRINT_JOB:
            assert request.transport is not None
            request.transport.close()
        content = b"?" if self.trouble == "NONSENSE" else _message(asked, status, groups)
        return web.Response(body=content, content_type="application/ipp")

    def _perform(
        self, operation: int, about: dict[str, Any], pdf: bytes
    ) -> tuple[IppStatus, list[tuple[IppTag, dict[str, Any]]]]:
        """Do what is asked; gives the status and the groups of attributes of the answer."""
        if operation == IppOperation.GET_PRINTER_ATTRIBUTES:
            told = {"printer-state-reasons": self.reasons}
            return IppStatus.OK, [(IppTag.PRINTER, told)]
        if operation == IppOperation.GET_JOBS:
            done = about.get("which-jobs") == "completed"
            found = [job for job in self.jobs if (job.state >= IppJobState.CANCELED) is done]
            return IppStatus.OK, [self._told(job) for job in found]
        if operation == IppOperation.GET_JOB_ATTRIBUTES:
            found = [job for job in self.jobs if job.number == about.get("job-id")]
            status = IppStatus.OK if found else IppStatus.ERROR_NOT_FOUND
            return status, [self._told(job) for job in found]
        if operation != IppOperation.PRINT_JOB:
            return IppStatus.ERROR_OPERATION_NOT_SUPPORTED, []
        if self.trouble == "CLOSED":
            return IppStatus.ERROR_NOT_ACCEPTING_JOBS, []
        if about.get("document-format") != "application/pdf" or not pdf.startswith(b"%PDF-"):
            return IppStatus.ERROR_DOCUMENT_FORMAT_NOT_SUPPORTED, []
        self._taken += 1
        job = Job(self._taken, str(about.get("job-name")), IppJobState.PENDING, pdf)
        self.jobs.append(job)
        return IppStatus.OK, [self._told(job)]

    def _told(self, job: Job) -> tuple[IppTag, dict[str, Any]]:
        reason = "job-printing" if job.state is IppJobState.PENDING else "none"
        if job.state is IppJobState.ABORTED:
            reason = "aborted-by-system"
        return IppTag.JOB, {
            "job-id": job.number,
            "job-name": "another's" if self.trouble == "ANOTHER" else job.name,
            "job-state": int(job.state),
            "job-state-reasons": reason,
        }


def _message(
    asked: dict[str, Any], status: IppStatus, groups: list[tuple[IppTag, dict[str, Any]]]
) -> bytes:
    """An answer; the serialiser knows one group of jobs at most, and this may have many."""
    told = {"attributes-charset": "utf-8", "attributes-natural-language": "en-US"}
    head = encode_dict(
        {
            "version": asked["version"],
            "operation": status,
            "request-id": asked["request-id"],
            "operation-attributes-tag": told,
        }
    )
    content = head[:-1]  # without the mark of the end
    for tag, attributes in groups:
        content += struct.pack(">b", tag.value)
        for name, value in attributes.items():
            content += construct_attribute(name, value)
    return content + head[-1:]
