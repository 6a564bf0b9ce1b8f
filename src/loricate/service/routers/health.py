"""Is the service well?"""

import asyncio
import shutil
import sqlite3

from fastapi import Request

from loricate import __version__
from loricate.api.health import Health
from loricate.records import ledger, outbox
from loricate.records.errors import RecordsError
from loricate.records.papers import PAPER
from loricate.service.errors import ServiceError
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import find_person

router = make_router("", "health", under="")

ANSWERS_WITHIN_S = 2.0


@router.get("/health", response_model=Health, name="show_health")
async def health(desk: TheDesk, request: Request) -> Health:
    """Answers anyone; reads and writes the records, and asks the bench's loop, to prove both.

    Only who is signed in learns what exactly is wrong, which names instruments and where they are.
    """
    problems, running, set_aside = list[str](), "", list[tuple[str, str, str]]()
    held_up: list[tuple[str, str]] = []
    try:
        async with asyncio.timeout(ANSWERS_WITHIN_S):
            found, running = await desk.bench.look(
                lambda side: (list(side.bench.problems.values()), side.runs.running)
            )
            problems += found
    except TimeoutError:
        problems.append(f"The bench's loop does not answer within {ANSWERS_WITHIN_S:g} s.")
    try:
        async with asyncio.timeout(ANSWERS_WITHIN_S):
            await desk.store.write(lambda conn: None)
            set_aside = await desk.store.read(ledger.all_set_aside)
            held_up = await desk.store.read(lambda conn: outbox.held_up(conn, PAPER))
    except (TimeoutError, sqlite3.Error, RecordsError) as error:
        problems.append(f"The records cannot be written ({error or 'no answer in time'}).")
    free = shutil.disk_usage(desk.settings.data_folder).free
    if free < desk.settings.least_free_bytes:
        problems.append(
            f"{free // 2**20} MiB are free where the records are, "
            f"{desk.settings.least_free_bytes // 2**20} MiB are needed; make room."
        )
    warnings = [
        f"No head of the ledger can be kept in {folder} ({why})."
        for folder, why in desk.heads.unwritten.items()
    ]
    warnings += desk.papers.problems
    warnings += [f"The paper of {number} is not made yet: {why}" for number, why in held_up]
    aside = [f"Run {run_id}, nest {nest}: {why}" for run_id, nest, why in set_aside]
    is_ready = not problems
    if not await _is_signed_in(request):
        problems, warnings, aside = _counted(problems), _counted(warnings), _counted(aside)
    return Health(
        status="ok" if is_ready else "degraded",
        ready=is_ready,
        version=__version__,
        bench=desk.plan.code,
        running=running,
        needs_first_account=bool(desk.first_code),
        problems=problems,
        warnings=warnings,
        set_aside=aside,
    )


async def _is_signed_in(request: Request) -> bool:
    try:
        await find_person(request)
    except (ServiceError, sqlite3.Error, RecordsError):
        return False
    return True


def _counted(told: list[str]) -> list[str]:
    return [f"{len(told)}; sign in to see."] if told else []
