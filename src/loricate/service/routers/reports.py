"""Reports over many units: asked for, followed, taken away; and those that are kept by name."""

import datetime as dt
from dataclasses import asdict
from typing import Annotated

from fastapi import Path
from fastapi.responses import FileResponse

from loricate.api.reports import ReportJob, TemplateIn, TemplateOut
from loricate.core.reports import MEDIA_TYPES, ReportForm, ReportPlan
from loricate.papers.wording import zone_of
from loricate.records import report_templates
from loricate.records.report_templates import ReportTemplate
from loricate.service.errors import WrongState
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Auditor, Reader

router = make_router("", "reports")
Name = Annotated[str, Path(min_length=1, max_length=60, examples=["Lot for the auditor"])]
FILES = {each: {"schema": {"type": "string", "format": "binary"}} for each in MEDIA_TYPES.values()}


@router.post("/reports", response_model=ReportJob, status_code=202)
async def make_report(body: ReportPlan, person: Reader, desk: TheDesk) -> ReportJob:
    """Have a report be made in the background; it is not sealed, and says so."""
    span = body.search.span(zone_of(desk.look.zone), dt.datetime.now(dt.UTC))
    return desk.reports.begin(body, span, person.name, person.account.full_name)


@router.get("/reports", response_model=list[ReportJob])
async def list_reports(person: Reader, desk: TheDesk) -> list[ReportJob]:
    """Reports that are being made, and those that are ready; a day long."""
    return desk.reports.all()


@router.get("/reports/{report_id}", response_model=ReportJob)
async def show_report_job(report_id: str, person: Reader, desk: TheDesk) -> ReportJob:
    """How far a report has come."""
    return desk.reports.told(desk.reports.get(report_id))


@router.post("/reports/{report_id}/cancel", response_model=ReportJob)
async def cancel_report(report_id: str, person: Reader, desk: TheDesk) -> ReportJob:
    """Stop making a report; nothing of it is left."""
    return await desk.reports.cancel(report_id)


@router.get(
    "/reports/{report_id}/file",
    response_class=FileResponse,
    responses={200: {"content": FILES}},
)
async def take_report(report_id: str, person: Reader, desk: TheDesk) -> FileResponse:
    """The file of a report that is ready."""
    job = desk.reports.get(report_id)
    if job.state != "ready" or job.file is None:
        raise WrongState(f"The report is {job.state}, and has no file.")
    form = ReportForm(job.plan.form)
    return FileResponse(
        job.file, media_type=MEDIA_TYPES[form], filename=f"report-{job.asked_at[:10]}.{form}"
    )


def _out(kept: ReportTemplate) -> TemplateOut:
    return TemplateOut.model_validate(asdict(kept))


@router.get(
    "/report-templates", response_model=list[TemplateOut], response_model_exclude_defaults=True
)
async def list_report_templates(person: Reader, desk: TheDesk) -> list[TemplateOut]:
    """The reports that the site has by name."""
    return [_out(each) for each in await desk.store.read(report_templates.list_templates)]


@router.get(
    "/report-templates/{name}", response_model=TemplateOut, response_model_exclude_defaults=True
)
async def show_report_template(name: Name, person: Reader, desk: TheDesk) -> TemplateOut:
    """A report by its name."""
    return _out(await desk.store.read(lambda conn: report_templates.get_template(conn, name)))


@router.put(
    "/report-templates/{name}", response_model=TemplateOut, response_model_exclude_defaults=True
)
async def keep_report_template(
    name: Name, body: TemplateIn, person: Auditor, desk: TheDesk
) -> TemplateOut:
    """Keep a report by its name, for everybody; it takes the place of one that had the name."""
    told = body.plan.model_dump(mode="json", exclude_defaults=True)

    await desk.store.write(
        lambda conn: report_templates.keep_template(conn, name, told, person.name)
    )
    return _out(await desk.store.read(lambda conn: report_templates.get_template(conn, name)))


@router.delete("/report-templates/{name}", status_code=204)
async def drop_report_template(name: Name, person: Auditor, desk: TheDesk) -> None:
    """Keep a report no longer."""
    await desk.store.write(lambda conn: report_templates.drop_template(conn, name, person.name))
