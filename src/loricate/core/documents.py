"""Reading documents: what is wrong with one is a path and a sentence each."""

import json
from collections.abc import Iterable, Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError, ValidationInfo
from pydantic_core import PydanticCustomError

from loricate.core.errors import DocumentError, Finding

MOST_FINDINGS = 200  # of one document; who has more puts those right first
FAULT_AT, FAULTS_AT = "fault_at", "faults_at"
INCOMING = "incoming"
ModelT = TypeVar("ModelT", bound=BaseModel)


class WithFormerForms(BaseModel):
    """A document that was written otherwise before, and is still read as it was."""

    @classmethod
    def in_current_form(cls, document: Mapping[str, Any]) -> dict[str, Any]:
        """The document as it is written today; faulty ones as they are."""
        raise NotImplementedError


def fault_at(place: str, reason: str, remedy: str = "") -> PydanticCustomError:
    """What a validator of a model raises of a part of it: the path to it, why, and what to do."""
    told = {"place": place, "reason": reason, "remedy": remedy}
    return PydanticCustomError(
        FAULT_AT, "{place}: {reason}; {remedy}" if remedy else "{place}: {reason}", told
    )


def faults_at(faults: Iterable[tuple[str, str, str]]) -> PydanticCustomError:
    """What a validator raises that found several faults: place, reason and remedy of each."""
    told = [
        {"place": place, "reason": reason, "remedy": remedy} for place, reason, remedy in faults
    ]
    text = " ".join(f"{each['place']}: {each['reason']}; {each['remedy']}" for each in told)
    return PydanticCustomError(FAULTS_AT, "{text}", {"text": text, "faults": told})


def is_incoming(info: ValidationInfo) -> bool:
    """Whether a document is on its way in, and held to more than one that is stored already.

    What was stored before a check there was must stay readable, or all that reads it would fail.
    """
    return bool(info.context and info.context.get(INCOMING))


def findings_of(error: ValidationError, prefix: str = "") -> tuple[Finding, ...]:
    """Say a pydantic error in our form: a dotted path and a sentence."""
    found = []
    for each in error.errors(include_url=False)[:MOST_FINDINGS]:
        path = prefix
        for part in each["loc"]:
            path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
        reason, remedy = each["msg"].removeprefix("Value error, "), ""
        if each["type"] in (FAULT_AT, FAULTS_AT):
            for told in each["ctx"].get("faults", [each["ctx"]]):
                place = f"{path}.{told['place']}" if path else told["place"]
                found.append(Finding(place, told["reason"], told["remedy"]))
            continue
        if each["type"] == "extra_forbidden":
            reason, remedy = "is not a known key", "remove it or correct its spelling."
        elif each["type"] == "missing":
            reason, remedy = "is missing", "add it."
        elif each["type"] == "too_long":
            reason = f"has {each['ctx']['actual_length']} entries"
            remedy = f"at most {each['ctx']['max_length']} are taken."
        found.append(Finding(path or "document", reason, remedy))
    return tuple(found[:MOST_FINDINGS])


def read_document(model: type[ModelT], data: object, document: str) -> ModelT:
    """Read ``data`` as ``model`` or raise DocumentError with each path."""
    try:
        return read_strictly(model, data)
    except ValidationError as error:
        raise DocumentError(document, findings_of(error)) from error


def read_strictly(model: type[ModelT], data: object) -> ModelT:
    """Read JSON-like data as a model without making one type of another: ``true`` is not 1.

    Raises pydantic's ValidationError.
    """
    if issubclass(model, WithFormerForms) and isinstance(data, Mapping):
        data = model.in_current_form(data)
    text = json.dumps(data, default=str)
    return model.model_validate_json(text, strict=True, context={INCOMING: True})
