"""Reports over many units, and those that the site has by name."""

import time
from collections.abc import Callable
from pathlib import Path
from urllib.parse import quote

from loricate.api.reports import ReportJob, TemplateOut
from loricate.client._errors import ClientError, raise_for
from loricate.client._wire import API, Wire
from loricate.core.reports import ReportPlan

LOOK_EACH_S = 0.3


class ReportNotMadeError(ClientError):
    """A report came to another end than its file."""


class ReportCalls(Wire):
    """Calls about reports."""

    def make_report(self, plan: ReportPlan) -> ReportJob:
        """Have a report be made in the background."""
        body = plan.model_dump(mode="json", exclude_defaults=True)
        return self._post(ReportJob, f"{API}/reports", body)

    def reports(self) -> list[ReportJob]:
        """Reports that are being made, and those that are ready, the newest first."""
        return self._get(list[ReportJob], f"{API}/reports")

    def report_job(self, report_id: str) -> ReportJob:
        """How far a report has come."""
        return self._get(ReportJob, f"{API}/reports/{report_id}")

    def cancel_report(self, report_id: str) -> ReportJob:
        """Stop making a report."""
        return self._post(ReportJob, f"{API}/reports/{report_id}/cancel")

    def wait_for_report(
        self, report_id: str, told: Callable[[ReportJob], None] | None = None
    ) -> ReportJob:
        """Follow a report to its end; raises ReportNotMadeError where it has no file then."""
        while True:
            job = self.report_job(report_id)
            if told is not None:
                told(job)
            if job.state == "ready":
                return job
            if job.state in ("stopped", "failed"):
                raise ReportNotMadeError(f"The report {job.state}: {job.problem or 'cancelled'}")
            time.sleep(LOOK_EACH_S)

    def take_report(self, report_id: str, to: Path) -> None:
        """Write the file of a report that is ready; it must not be there yet."""
        path = f"{API}/reports/{report_id}/file"
        with to.open("xb") as out, self._http.stream("GET", path) as answer:
            if not answer.is_success:
                answer.read()
                raise_for(answer)
            for piece in answer.iter_bytes():
                out.write(piece)

    def report_templates(self) -> list[TemplateOut]:
        """The reports that the site has by name."""
        return self._get(list[TemplateOut], f"{API}/report-templates")

    def report_template(self, name: str) -> TemplateOut:
        """A report by its name."""
        return self._get(TemplateOut, _path(name))

    def keep_report(self, name: str, plan: ReportPlan) -> TemplateOut:
        """Keep a report by its name, for the whole site."""
        body = {"plan": plan.model_dump(mode="json", exclude_defaults=True)}
        kept = self.send("PUT", _path(name), json=body)
        return TemplateOut.model_validate_json(kept.content)

    def drop_report(self, name: str) -> None:
        """Keep a report no longer."""
        self.send("DELETE", _path(name))


def _path(name: str) -> str:
    return f"{API}/report-templates/{quote(name, safe='')}"
