"""Telling the maintenance system: each device that was tested, as a message in a folder it reads.

A message is queued with the run's documents and written afterwards, in nobody's way, until it is
there: ``loricate-maintenance/1``, one JSON file a device and test. What reads the folder takes a
file away or leaves it; one that is there already is not written again.
"""

import asyncio
import datetime as dt
import json
import os
import sqlite3
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from loricate.api.messages import DeviceAsset, DeviceTest, DeviceTold
from loricate.records import assets, outbox, work_orders
from loricate.records.assets import Asset
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.asset_keeping import Products, told_asset
from loricate.service.site_file import MaintenancePlan

MAINTENANCE = "maintenance"
FORMAT = "loricate-maintenance/1"


class NoMaintenance(LookupError):
    """A message waits, and the site names no folder for it any more."""

    def __str__(self) -> str:
        return "The site names no folder for maintenance any more; name one, and start the service."


class Maintenance:
    """What the outbox has for the maintenance system."""

    def __init__(self, plan: MaintenancePlan | None, beside: Path, store: Store) -> None:
        self.store = store
        self.folder = None if plan is None else (beside / plan.folder).resolve()

    def queue(self, conn: sqlite3.Connection, run: Mapping[str, Any]) -> None:
        """Queue a message for each device of a run that has an asset number, or was ordered."""
        if self.folder is None:
            return
        products = Products(conn)
        for unit in run["units"]:
            if unit["asset"] or work_orders.answered(conn, unit["id"]):
                name = (
                    f"{unit['asset'] or unit['serial']}-{run['id']}-{_stamp(run['ended_at'])}.json"
                )
                told = told_device(conn, run, unit, products).model_dump(mode="json")
                message = json.dumps({"format": FORMAT, **told}, ensure_ascii=False)
                subject = unit["asset"] or unit["serial"]
                outbox.add_outgoing(conn, MAINTENANCE, subject, {name: message})

    async def send(self, outgoing: Outgoing) -> None:
        """Write one message; raises OSError, NoMaintenance."""
        if self.folder is None:
            raise NoMaintenance
        for name, message in outgoing.facts.items():
            await asyncio.to_thread(_write, self.folder / name, message)
        await self.store.write(lambda conn: outbox.set_sent(conn, outgoing.id))


def _stamp(at: str) -> str:
    return dt.datetime.fromisoformat(at).strftime("%Y%m%dT%H%M%S")


def told_device(
    conn: sqlite3.Connection, run: Mapping[str, Any], unit: Mapping[str, Any], products: Products
) -> DeviceTold:
    """What is told of a device: which it is, its test, how it stood then, when it is next due.

    Messages are drawn when their turn comes: a later test may have ended by then, and has its own.
    The work orders that the test is the answer to end with it.
    """
    asset = Asset(unit["unit_id"], unit["asset"], unit["product"], unit["serial"], unit["place"])
    told = told_asset(conn, asset, dt.datetime.now(dt.UTC).date(), products, run["ended_at"])
    return DeviceTold(
        asset=DeviceAsset(
            number=asset.number, product=asset.product, serial=asset.serial, place=asset.place
        ),
        state=told.state,
        test=DeviceTest(
            run=run["id"],
            occasion=run["occasion"],
            sequence=run["sequence_code"],
            revision=run["sequence_revision"],
            started_at=run["started_at"],
            ended_at=run["ended_at"],
            by=run["started_by"],
            verdict=unit["verdict"],
            cause=unit["cause"],
            failed=assets.failed_steps(conn, unit["id"]),
            document=told.last.certificate if told.last is not None else "",
        ),
        orders=work_orders.answered(conn, unit["id"]),
        due=told.due,
        is_overdue=told.is_overdue,
    )


def _write(path: Path, message: str) -> None:
    """Whole or not at all: whoever reads the folder never finds half a message."""
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.exists():
        return
    half = path.with_suffix(".part")
    half.write_text(message, encoding="utf-8")
    os.replace(half, path)
