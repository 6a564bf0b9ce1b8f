"""Messages that go to other systems by themselves (`loricate-message/1`)."""

import datetime as dt
import types
import typing
from typing import Any, Literal

from pydantic import BaseModel, Field

from loricate.api.reports import ReportedUnit
from loricate.core.planning.occasions import DeviceState

FORMAT: Literal["loricate-message/1"] = "loricate-message/1"
MessageKind = Literal["document", "test", "device"]


class UnitOfMessage(BaseModel):
    """The unit that a message is of."""

    product: str
    serial: str
    asset: str = Field(description="Its asset number; empty where it has none")
    lot: str


class IssuedDocument(BaseModel):
    """A document as it was entered in the ledger."""

    number: str
    kind: str
    position: int
    issued_at: str
    digest: str
    supersedes: str = Field(description="Whose place it takes; empty for none")
    about: str = Field(description="The document of this unit that an act is about; else empty")
    sealed: str = Field(description="The sealed file, as everywhere: anybody verifies it")


class DeviceAsset(BaseModel):
    """Which device it is."""

    number: str
    product: str
    serial: str
    place: str


class DeviceTest(BaseModel):
    """The test of a device."""

    run: str
    occasion: str
    sequence: str
    revision: int
    started_at: str
    ended_at: str
    by: str
    verdict: str
    cause: str | None
    failed: list[str] = Field(description="The titles of the steps that failed")
    document: str = Field(description="Certificate or nonconformance report; empty for none")


class DeviceTold(BaseModel):
    """What a maintenance system is told of a device: which it is, its test, when it is next due."""

    asset: DeviceAsset
    state: DeviceState
    test: DeviceTest
    orders: list[str] = Field(description="The work orders that this test is the answer to")
    due: dt.date | None
    is_overdue: bool


class Message(BaseModel):
    """A message: of its parts, the one of its kind is there."""

    format: Literal["loricate-message/1"] = FORMAT
    id: str = Field(description="The same however often it is sent: take it once")
    kind: MessageKind
    site: str
    bench: str
    at: str = Field(description="When what it tells of came about")
    unit: UnitOfMessage | None = Field(description="None for a document of a whole lot")
    document: IssuedDocument | None = None
    test: ReportedUnit | None = Field(
        default=None, description="The unit in its run, with every attempt and reading"
    )
    device: DeviceTold | None = None


def path_problem(path: str) -> str:
    """Why a path leads to nothing in a message; empty where it leads somewhere."""
    model: Any = Message
    for name in path.split("."):
        if model is None:
            return f"'{name}' in '{path}' is of something that has no parts"
        if name not in model.model_fields:
            there = ", ".join(model.model_fields)
            return f"'{name}' in '{path}' is nothing of a message; there are {there}"
        model = _model_of(model.model_fields[name].annotation)
    return ""


def _model_of(annotation: Any) -> type[BaseModel] | None:
    for each in (annotation, *typing.get_args(annotation)):
        if isinstance(each, type) and not isinstance(each, types.GenericAlias):
            if issubclass(each, BaseModel) and typing.get_origin(annotation) is not list:
                return each
    return None
