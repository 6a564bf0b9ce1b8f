"""The form of a sealed file, as whoever reads one can rely on it.

The documents themselves are plain data; a test holds each that is issued against this.
"""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

JWS = r"^[\w-]+\.[\w-]+\.[\w-]+$"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FormLimit(_Part):
    """A limit as graded against, in SI units and as printed."""

    minimum: float | None
    maximum: float | None
    caution_below: float | None
    caution_above: float | None
    text: str
    source: str
    applies: str = ""


class FormCorrection(_Part):
    """What was corrected for, and the value before it."""

    what: str = Field(examples=["zero"])
    before: float | None
    text: str
    reason: str = Field(description="What it was corrected for, in words")


class FormFault(_Part):
    """One thing that an attempt found wrong outright."""

    cause: str
    point: str
    text: str
    repetition: int
    contacts: list[str] = Field(default=[], description="Those of the unit that it is about")


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


class FormColumn(_Part):
    """One quantity of a curve, in SI units of its dimension."""

    name: str
    dimension: str
    values: list[float | None]


class FormMark(_Part):
    """A place on the x axis that has a name."""

    x: float
    text: str


class FormCurve(_Part):
    """A curve that is on the paper: columns over an x axis."""

    name: str
    point: str
    repetition: int
    drawn: str = Field(default="line", description="line, points or table")
    x: FormColumn
    columns: list[FormColumn]
    marks: list[FormMark]


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
    left_out: tuple[str, ...] = ()
    readings: list[FormReading]
    faults: list[FormFault]
    repetitions: list[FormRepetition]
    curves: list[FormCurve] = Field(description="Those that are on the paper")


class FormUnit(_Part):
    """The unit under test."""

    serial: str
    product: str
    product_revision: int
    title: str
    protection_class: str
    lot: str
    asset: str = ""
    place: str = ""


class FormConnector(_Part):
    """One connector of a cable, its contacts row by row."""

    code: str
    title: str
    side: Literal["left", "right"]
    rows: list[list[str]]


class FormNet(_Part):
    """Contacts that should be joined."""

    name: str
    contacts: list[str]
    is_shield: bool


class FormPart(_Part):
    """A component between two contacts."""

    name: str
    sort: str
    between: list[str]
    value: str


class FormWiring(_Part):
    """What a failed cable should be, in the position that a fault was seen in."""

    position: str
    connectors: list[FormConnector]
    nets: list[FormNet]
    parts: list[FormPart]


class FormRun(_Part):
    """The run that tested it."""

    id: str
    started_at: str
    ended_at: str
    operator: str
    operator_name: str
    bench: str
    fixture: str
    nest: str
    occasion: str = ""


class FormFinding(_Part):
    """A finding of the review that was left at the release, with the reason."""

    severity: str
    rule: str
    step: str
    finding: str
    reason: str
    by: str
    by_name: str


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
    name: str
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


class FormAmbient(_Part):
    """The air about the unit as it was said last before the run: by whom or by what, and when."""

    temperature: str
    humidity: str
    account: str
    name: str
    instrument: str
    at: str


class _Document(_Part):
    """What every document has."""

    number: str = Field(pattern=r"^[A-Z]-\d{4}-\d{6,}$", examples=["C-2026-000001"])
    supersedes: str
    issued_at: str
    zone: str = Field(description="In which the paper shows times (IANA)")
    site: str
    software: str
    ledger: FormPlace
    verify_url: str


class FormDocument(_Document):
    """A certificate or nonconformance report."""

    format: Literal["loricate-certificate/3"]
    kind: Literal["certificate", "nonconformance"]
    verdict: str
    cause: str
    unit: FormUnit
    run: FormRun
    ambient: FormAmbient | None
    wiring: FormWiring | None = Field(
        default=None, description="Of a nonconformance report of a cable; else null"
    )
    sequence: FormSequence
    limit_sets: list[FormLimitSet]
    steps: list[FormStep]
    remarks: list[FormRemark]
    instruments: list[FormInstrument]
    unseen: dict[str, list[str]]
    gate: list[FormCondition]


class FormLotUnit(_Part):
    """A unit of a lot with its latest verdict."""

    serial: str
    verdict: str
    cause: str
    times: int
    run_id: str
    certificate: str | None
    revoked: bool


class FormLot(_Part):
    """A lot as it stood."""

    code: str
    product: str
    serials: str
    order_number: str
    state: str
    created_at: str
    created_by: str
    closed_at: str | None
    expected: int
    waiting_count: int
    tested: int
    passed: int
    failed: int
    first_pass_yield: float | None
    final_yield: float | None
    units: list[FormLotUnit]
    waiting: list[str]


class LotDocument(_Document):
    """The summary of a lot."""

    format: Literal["loricate-lot-summary/1"]
    kind: Literal["lot"]
    lot: FormLot


class FormSigner(_Part):
    """Who acts."""

    account: str
    name: str
    role: str


class FormRevoked(_Part):
    """The document that a revocation is about."""

    number: str
    digest: str
    serial: str


class RevocationDocument(_Document):
    """That a document counts no longer."""

    format: Literal["loricate-revocation/1"]
    kind: Literal["revocation"]
    revokes: FormRevoked
    reason: str
    revoked_by: FormSigner


class FormApproved(_Part):
    """A document that an approval is about."""

    number: str
    digest: str


class ApprovalDocument(_Document):
    """Quality's signature on documents."""

    format: Literal["loricate-approval/1"]
    kind: Literal["approval"]
    approves: list[FormApproved]
    lot: str
    note: str
    approved_by: FormSigner


class SealedAct(_Part):
    """A sealed revocation or approval."""

    document: RevocationDocument | ApprovalDocument
    jws: str = Field(pattern=JWS)


class FormStanding(_Part):
    """What came after a document: it is not in its seal, and each act has its own."""

    superseded_by: str
    revocation: SealedAct | None
    approvals: list[SealedAct]


class SealedFile(_Part):
    """A sealed file: the document, and its seal (a JWS over the document's canonical form)."""

    document: FormDocument | LotDocument | RevocationDocument | ApprovalDocument = Field(
        discriminator="format"
    )
    jws: str = Field(pattern=JWS)
    standing: FormStanding | None = None
