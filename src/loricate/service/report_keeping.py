"""Reports under way and those that are ready: made one after another, in nobody's way.

Each has a folder below ``reports`` in the data folder; what a service before this one left there is
taken away at the start, and what is ready after a day.
"""

import asyncio
import contextlib
import datetime as dt
import logging
import shutil
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from loricate import __version__
from loricate.api.reports import JobState, ReportJob
from loricate.core.reports import MOST_UNITS, ReportPlan
from loricate.core.searching import Span
from loricate.papers.look import Look
from loricate.papers.wording import person_words
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now
from loricate.service import everywhere
from loricate.service.errors import Busy, ServiceError, WrongState
from loricate.service.places import Places
from loricate.service.report_making import Chosen, Drawing, finish, looked, make_part
from loricate.service.workroom import Workroom

FOLDER = "reports"
AT_ONCE = 8  # units that a worker makes before it says how far it is
PAGE = 500
MOST_JOBS = 20
KEPT = dt.timedelta(days=1)
PART_S, BIND_S = 120.0, 600.0
OVER: tuple[JobState, ...] = ("ready", "stopped", "failed")
logger = logging.getLogger("loricate.service")


@dataclass(slots=True)
class Job:
    """A report that somebody asked for."""

    plan: ReportPlan
    asked_by: str
    id: str
    folder: Path
    asked_at: str = field(default_factory=now)
    state: JobState = "waiting"
    done: int = 0
    total: int = 0
    left_out: int = 0
    problem: str = ""
    file: Path | None = None
    going: asyncio.Task[None] | None = None

    def told(self, title: str) -> ReportJob:
        """It as the API tells it."""
        return ReportJob(
            id=self.id,
            title=self.plan.title or title,
            form=self.plan.form,
            state=self.state,
            done=self.done,
            total=self.total,
            left_out=self.left_out,
            asked_at=self.asked_at,
            asked_by=self.asked_by,
            problem=self.problem,
            bytes=self.file.stat().st_size if self.file and self.file.exists() else 0,
        )


class ReportKeeper:
    """Begun and closed by the desk."""

    def __init__(
        self, places: Places, look: Look, site: str, base_url: str, kinds: Sequence[str]
    ) -> None:
        self.places, self.look, self.site, self.base_url = places, look, site, base_url
        self.folder = places.own.records.path.parent / FOLDER
        self.room = Workroom("reports", within_s=PART_S, kinds=kinds)
        # What draws keeps what it has drawn with; whoever puts together needs room of its own.
        self.binding = Workroom("binding", within_s=BIND_S)
        self.jobs: dict[str, Job] = {}
        self._one = asyncio.Lock()

    def open(self) -> None:
        """Take away what a service before this one left."""
        shutil.rmtree(self.folder, ignore_errors=True)

    async def close(self) -> None:
        """Stop whatever is being made."""
        going = [job.going for job in self.jobs.values() if job.going and not job.going.done()]
        for each in going:
            each.cancel()
        if going:
            await asyncio.wait(going)
        self.room.close()
        self.binding.close()

    def told(self, job: Job) -> ReportJob:
        """A job as the API tells it."""
        return job.told(self.look.text("report"))

    def all(self) -> list[ReportJob]:
        """All that are known, the newest first."""
        self._forget()
        return [self.told(each) for each in reversed(self.jobs.values())]

    def get(self, job_id: str) -> Job:
        """A job by its id; raises NotFound."""
        self._forget()
        if job_id not in self.jobs:
            raise NotFound("report", job_id)
        return self.jobs[job_id]

    def _forget(self) -> None:
        old = (dt.datetime.now(dt.UTC) - KEPT).isoformat()
        for job in [each for each in self.jobs.values() if each.state in OVER]:
            if job.state != "ready":  # a worker that was stopped may have written on for a moment
                shutil.rmtree(job.folder, ignore_errors=True)
            if job.asked_at < old:
                shutil.rmtree(job.folder, ignore_errors=True)
                del self.jobs[job.id]

    def begin(self, plan: ReportPlan, span: Span, name: str, full_name: str) -> ReportJob:
        """Have a report be made; raises Busy where too many are known."""
        self._forget()
        over = [each for each in self.jobs.values() if each.state in OVER]
        if len(self.jobs) >= MOST_JOBS and over:
            shutil.rmtree(over[0].folder, ignore_errors=True)
            del self.jobs[over[0].id]
        elif len(self.jobs) >= MOST_JOBS:
            raise Busy(f"{MOST_JOBS} reports are being made or wait; cancel one, or wait for one.")
        job_id = new_id()
        job = Job(plan, name, job_id, self.folder / job_id)
        self.jobs[job.id] = job
        job.going = asyncio.create_task(self._make(job, span, person_words(full_name, name)))
        return self.told(job)

    async def cancel(self, job_id: str) -> ReportJob:
        """Stop making a report; raises NotFound, and WrongState for what is over."""
        job = self.get(job_id)
        if job.state in OVER or job.going is None:
            raise WrongState(f"The report is {job.state} already.")
        job.going.cancel()
        await asyncio.wait([job.going])
        if job.state not in OVER:  # it had not even begun
            job.state = "stopped"
        return self.told(job)

    async def _make(self, job: Job, span: Span, drawn_by: str) -> None:
        try:
            async with self._one:
                job.state = "making"
                await asyncio.to_thread(job.folder.mkdir, 0o700, parents=True)
                await self._make_all(job, span, drawn_by)
                job.state = "ready"
        except asyncio.CancelledError:
            job.state = "stopped"
        except Exception as error:
            job.state, job.problem = "failed", str(error) or type(error).__name__
            if not isinstance(error, ServiceError):
                logger.exception("a report was not made")
        finally:
            if job.state != "ready":
                with contextlib.suppress(OSError):
                    shutil.rmtree(job.folder)

    async def _make_all(self, job: Job, span: Span, drawn_by: str) -> None:
        chosen, beyond = await self._chosen(job.plan, span)
        job.total, job.left_out = len(chosen), beyond
        drawing = Drawing(
            job.plan,
            looked(self.look, job.plan),
            job.folder,
            self.site,
            self.base_url,
            f"Loricate {__version__}",
            now(),
            drawn_by,
        )
        going_on = 0
        for begin in range(0, len(chosen), AT_ONCE):
            own = chosen[begin : begin + AT_ONCE]
            going_on += await self.room.do(make_part, drawing, begin, own, field="search")
            job.done = begin + len(own)
            job.left_out = beyond + going_on
        left_out = [
            *([f"{going_on} units whose run goes on are left out."] if going_on else []),
            *(
                [f"The newest {MOST_UNITS} units; {beyond} older ones are left out."]
                if beyond
                else []
            ),
        ]
        job.file = await self.binding.do(
            finish, drawing, scope_words(job.plan), left_out, field="search"
        )

    async def _chosen(self, plan: ReportPlan, span: Span) -> tuple[list[Chosen], int]:
        """The units in runs that a report is of, the newest first, and how many are beyond."""
        wanted, seen = set(plan.units), set[tuple[str, str, str]]()
        where = {each.bench: each for each in self.places.all}
        found, beyond, before = list[Chosen](), 0, ""
        while True:
            rows = await everywhere.find_units(self.places, plan.search, span, PAGE, before)
            for row in rows:
                unit = row["from_bench"], row["product"], row["serial"]
                if (wanted and row["id"] not in wanted) or (plan.newest_only and unit in seen):
                    continue
                seen.add(unit)
                if len(found) < MOST_UNITS:
                    place = where[row["from_bench"]]
                    site = place.name or self.site
                    found.append(Chosen(place.records.path, place.bench, site, row["id"]))
                else:
                    beyond += 1
            if len(rows) < PAGE or (wanted and len(found) == len(wanted)):
                return found, beyond
            before = str(rows[-1]["cursor"])


def scope_words(plan: ReportPlan) -> list[str]:
    """What a report is of, for people."""
    told = [
        f"{name.replace('_', ' ')} {', '.join(value) if isinstance(value, list) else value}"
        for name, value in plan.search.asked().items()
    ]
    if plan.units:
        told.append(f"{len(plan.units)} picked")
    if plan.newest_only:
        told.append("of each unit the newest of these")
    return told
