"""Is the service well?"""

import sqlite3

from loricate import __version__
from loricate.api.health import Health
from loricate.service.routers.access import TheDesk, make_router

router = make_router("", "health")


@router.get("/health", response_model=Health)
async def health(desk: TheDesk) -> Health:
    """Answers anyone; reads the records to prove that they can be read."""

    def touch(conn: sqlite3.Connection) -> None:
        conn.execute("SELECT count(*) FROM account").fetchone()

    await desk.store.read(touch)
    problems, running = await desk.bench.look(
        lambda side: (list(side.bench.problems.values()), side.runs.running)
    )
    return Health(
        status="degraded" if problems else "ok",
        version=__version__,
        bench=desk.plan.code,
        running=running,
        needs_first_account=bool(desk.first_code),
        problems=problems,
    )
