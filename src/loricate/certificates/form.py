"""The form of a sealed file (``loricate-certificate/2``), as whoever reads one can rely on it.

The documents themselves are plain data; a test holds each that is issued against this.
"""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FormLimit(_Part):
    """A limit as graded against, in SI units and as printed."""

    minimum: float | None
    maximum: float | None
    text: str
    source: str


class FormCorrection(_Part):
    """What was corrected for, and the value before it."""

    what: str = Field(examples=["zero"])
    before: float | None
    text: str


class FormFault(_Part):
    """One thing that an attempt found wrong outright."""

    cause: str
    point: str
    text: str
    repetition: int


class FormReading(_Part):
    """A reading: value in the SI unit named, and the text that the paper shows."""

    quantity: str
    point: str = Field(description="Empty where it is of the unit as a whole")
    value: float | None
    unit: str
    bound: Literal["exact", "below", "above"]
    uncertainty: float
    text: str
    instrument: str
    verdict: str
    guarded: str
    band: Literal["", "good", "caution", "bad"]
    margin: float | None
    ungraded: str = Field(description="Why its limit was not held against it")
    repetition: int
    corrections: list[FormCorrection]
    limit: FormLimit | None = None


class FormRepetition(_Part):
    """What came of one repetition of a step."""

    repetition: int
    verdict: str
    cause: str


class FormEarlier(_Part):
    """An attempt at a step before the one that counts."""

    attempt: int
    verdict: str
    cause: str
    readings: list[FormReading]
    faults: list[FormFault]


class FormStep(_Part):
    """A step by its latest attempt."""

    id: str
    title: str
    kind: str
    attempt: int
    reason: str
    earlier: list[FormEarlier]
    started_at: str
    verdict: str
    cause: str
    note: str
    conditions: str
    readings: list[FormReading]
    faults: list[FormFault]
    repetitions: list[FormRepetition]


class FormUnit(_Part):
    """The unit under test."""

    serial: str
    product: str
    product_revision: int
    title: str
    protection_class: str
    lot: str


class FormRun(_Part):
    """The run that tested it."""

    id: str
    started_at: str
    ended_at: str
    operator: str
    bench: str
    fixture: str
    nest: str


class FormFinding(_Part):
    """A finding of the review that was left at the release, with the reason."""

    severity: str
    rule: str
    step: str
    finding: str
    reason: str
    by: str


class FormSequence(_Part):
    """The sequence and its decision rule."""

    code: str
    revision: int
    title: str
    decision_rule: str
    decision_r: float | None
    coverage_factor: float
    findings_left: list[FormFinding]


class FormLimitSet(_Part):
    """A limit set that was cited."""

    code: str
    revision: int
    standard: str
    checked: str


class FormRemark(_Part):
    """A remark on the unit or one of its steps."""

    step: str
    text: str
    picture: str
    account: str
    made_at: str


class FormInstrument(_Part):
    """An instrument of the bench with its calibration."""

    id: str
    title: str
    identity: str = Field(description="What it answers to *IDN? (IEEE 488.2)")
    serial: str
    calibrated: str
    due: str
    certificate: str


class FormCondition(_Part):
    """A requirement of the gate, and whether it was met."""

    name: str
    met: bool
    reason: str


class FormPlace(_Part):
    """The place in the ledger: position, and the hash of the entry before."""

    position: int = Field(ge=1)
    previous: str


class FormDocument(_Part):
    """A certificate or nonconformance report."""

    format: Literal["loricate-certificate/2"]
    kind: Literal["certificate", "nonconformance"]
    number: str = Field(pattern=r"^[CN]-\d{4}-\d{6,}$", examples=["C-2026-000001"])
    supersedes: str
    issued_at: str
    site: str
    verdict: str
    cause: str
    unit: FormUnit
    run: FormRun
    sequence: FormSequence
    limit_sets: list[FormLimitSet]
    steps: list[FormStep]
    remarks: list[FormRemark]
    instruments: list[FormInstrument]
    unseen: dict[str, list[str]]
    gate: list[FormCondition]
    software: str
    ledger: FormPlace
    verify_url: str


class SealedFile(_Part):
    """A sealed file: the document, and its seal (a JWS over the document's canonical form)."""

    document: FormDocument
    jws: str = Field(pattern=r"^[\w-]+\.[\w-]+\.[\w-]+$")
