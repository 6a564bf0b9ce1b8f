"""The site file: what a site chooses for itself, whatever its bench is: sounds, papers, printer."""

import tomllib
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Literal

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    ValidationInfo,
    field_validator,
    model_validator,
)

from loricate.api.messages import MessageKind, path_problem
from loricate.core.documents import read_document
from loricate.core.errors import DocumentError, Finding
from loricate.core.export_names import pattern_problem
from loricate.papers.look import COLOURS, LOGO_SUFFIXES, TEXTS
from loricate.papers.wording import zone_of
from loricate.records.retention import Rule
from loricate.texts.catalogue import Language

BESIDE_BENCH = "site.toml"
OWN_TARGETS = ("paper", "export", "print", "maintenance", "carry", "summary")


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class ExportsPlan(_Part):
    """Where each document goes once it is issued: a folder beside the site file, and a name.

    ``name`` has folders and placeholders: see ``core.export_names``.
    """

    folder: str = Field(min_length=1)
    name: str = "{date}/{serial}-{verdict}"
    forms: tuple[Literal["pdf", "json"], ...] = Field(default=("pdf", "json"), min_length=1)

    @field_validator("name")
    @classmethod
    def _is_a_name(cls, name: str) -> str:
        if problem := pattern_problem(name):
            raise ValueError(problem)
        return name


class MaintenancePlan(_Part):
    """Where the maintenance system finds what it is told of devices: a folder, as of exports."""

    folder: str = Field(min_length=1)


class SendPlan(_Part):
    """Another system that messages go to: what of, where to, and in which words it takes them.

    ``to`` is an address that takes posts, or a broker's with a topic (``mqtt://host:1883/line``).
    ``secret_file`` (beside the site file) has in its first line what posts are signed with (HMAC),
    or the password at the broker; ``token_file`` what it takes for a sign-in. Of one that
    ``answers`` with the id of the message that it took, connections are used again. ``ca_file``
    has the certificates (PEM) of whoever vouches for it, where that is nobody whom all trust.
    """

    name: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,31}$", description="In the outbox")
    to: str = Field(
        pattern=r"^(https?://[^/\s#]+(/[^\s#]*)?|mqtts?://[^/\s#+]+/[^\s#+]+)$",
        description="Such as https://works.example/tests, or mqtt://broker.example:1883/line-5",
    )
    what: tuple[MessageKind, ...] = Field(default=("document", "test"), min_length=1)
    account: str = Field(default="", max_length=64)
    secret_file: str = ""
    token_file: str = ""
    ca_file: str = ""
    within_s: float = Field(default=10.0, gt=0, le=120)
    answers: Literal["status", "id"] = "status"
    fields: dict[str, str] = Field(default_factory=dict)
    words: dict[str, str] = Field(default_factory=dict)

    @field_validator("name")
    @classmethod
    def _is_free(cls, name: str) -> str:
        if name in OWN_TARGETS:
            raise ValueError(
                f"is what the outbox calls one of its own; not {_listed(OWN_TARGETS)}."
            )
        return name

    @field_validator("fields")
    @classmethod
    def _lead_somewhere(cls, fields: dict[str, str]) -> dict[str, str]:
        for path in fields.values():
            if problem := path_problem(path):
                raise ValueError(f"{problem}.")
        return fields

    @model_validator(mode="after")
    def _fits_its_address(self) -> "SendPlan":
        if self.is_broker and (self.token_file or self.answers == "id"):
            raise ValueError(
                "names a broker, which takes 'account' and 'secret_file' and answers by itself."
            )
        if not self.is_broker and self.account:
            raise ValueError("takes posts; what it takes for a sign-in goes into 'token_file'.")
        return self

    @property
    def is_broker(self) -> bool:
        """Whether messages go to a topic of a broker."""
        return self.to.startswith("mqtt")


class PrinterPlan(_Part):
    """The printer of the site, or a queue for it: whatever takes PDF by IPP."""

    address: str = Field(
        pattern=r"^ipps?://[^/\s]+(/\S*)?$",
        description="Such as ipp://printer.example:631/ipp/print",
    )


class SoundsPlan(_Part):
    """How this bench sounds, so that it can be told from the one beside it."""

    voice: Literal["bell", "reed", "wood"] = "bell"
    pitch: int = Field(default=0, ge=-12, le=12, description="In semitones")


class PapersPlan(_Part):
    """How papers look. Files are named from where the site file is.

    ``texts`` and ``colours`` take the place of those that ship, by name; ``templates`` is a folder
    with one or more of the templates. ``signatures`` are further lines to sign on.
    """

    page: Literal["A4", "Letter"] = "A4"
    zone: str = Field(default="UTC", description="Of the IANA database, such as Europe/Vienna")
    language: Language = Field(default="en", description="Of papers: English or German")
    logo: str = ""
    templates: str = ""
    texts: dict[str, Annotated[str, Field(max_length=2_000)]] = Field(default_factory=dict)
    colours: dict[str, Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]] = Field(
        default_factory=dict
    )
    signatures: tuple[Annotated[str, Field(min_length=1, max_length=60)], ...] = Field(
        default=(), max_length=6
    )

    @field_validator("zone")
    @classmethod
    def _is_a_zone(cls, zone: str) -> str:
        zone_of(zone)
        return zone

    @field_validator("texts", "colours")
    @classmethod
    def _are_known(cls, given: dict[str, str], info: ValidationInfo) -> dict[str, str]:
        known = set(TEXTS if info.field_name == "texts" else COLOURS)
        if strange := sorted(given.keys() - known):
            raise ValueError(f"has '{strange[0]}'; there are {', '.join(sorted(known))}.")
        return given

    @field_validator("logo")
    @classmethod
    def _is_a_picture(cls, logo: str) -> str:
        if logo and logo.rpartition(".")[2].lower() not in LOGO_SUFFIXES:
            raise ValueError(f"is no picture of a known form; give {', '.join(LOGO_SUFFIXES)}.")
        return logo


class AmbientPlan(_Part):
    """Whether people are asked for temperature and humidity, and for how long an answer holds.

    Where the bench measures them nobody need be asked.
    """

    asked: bool = True
    every_hours: float = Field(default=8.0, gt=0, le=168)


class ApprovalsPlan(_Part):
    """Whose signatures a document needs beside the site's: of how many people, and of whom.

    ``by`` are accounts of the role quality; left empty it is all of them. Unless ``by_tester``, who
    started a unit's run does not approve its documents.
    """

    needed: int = Field(default=1, ge=1, le=5)
    by: tuple[Annotated[str, Field(min_length=1, max_length=64)], ...] = ()
    by_tester: bool = True

    @model_validator(mode="after")
    def _is_enough(self) -> "ApprovalsPlan":
        if self.by and len(set(self.by)) < self.needed:
            raise ValueError(
                f"names {len(set(self.by))} people in 'by', and {self.needed} are needed."
            )
        return self


class CarryPlan(_Part):
    """Where the records of this bench go by themselves, and whose are taken in here unasked.

    ``account`` and the first line of ``password_file`` (beside the site file) are of an account at
    the other service. ``keys`` are thumbprints of benches' keys, compared by a person.
    """

    to: str = Field(
        default="",
        pattern=r"^(https?://[^/\s]+(/\S*)?)?$",
        description="Such as https://records.example",
    )
    account: str = Field(default="", max_length=64)
    password_file: str = ""
    within_s: float = Field(default=30.0, gt=0, le=600)
    keys: tuple[Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{43}$")], ...] = ()

    @model_validator(mode="after")
    def _is_whole(self) -> "CarryPlan":
        if self.to and not (self.account and self.password_file):
            raise ValueError("names a service in 'to'; give 'account' and 'password_file' as well.")
        return self


Years = Annotated[int, Field(strict=True, ge=1, le=100)]


class KeepPlan(_Part):
    """How many years what was measured is kept after a run's end, by product; ``years`` of others.

    Without it, everything of theirs is kept. Nothing goes by itself: what is due is shown first.
    """

    years: Years | None = None
    products: dict[Annotated[str, Field(min_length=1, max_length=64)], Years] = Field(
        default_factory=dict
    )

    def rules(self, known: Iterable[str]) -> tuple[Rule, ...]:
        """The rule for each product that has one."""
        chosen = ((code, self.products.get(code, self.years)) for code in known)
        return tuple(Rule(code, years) for code, years in chosen if years is not None)


class ShownPlan(_Part):
    """In which units figures are shown; they are kept in SI units and °C whatever is chosen."""

    temperature: Literal["°C", "°F"] = "°C"


class SitePlan(_Part):
    """A site file."""

    format: Literal["loricate-site/1"] = "loricate-site/1"
    sounds: SoundsPlan = SoundsPlan()
    exports: ExportsPlan | None = None
    maintenance: MaintenancePlan | None = None
    send: tuple[SendPlan, ...] = ()
    printer: PrinterPlan | None = None
    papers: PapersPlan = PapersPlan()
    ambient: AmbientPlan = AmbientPlan()
    approvals: ApprovalsPlan = ApprovalsPlan()
    carry: CarryPlan = CarryPlan()
    keep: KeepPlan | None = None
    shown: ShownPlan = ShownPlan()

    @field_validator("send")
    @classmethod
    def _have_names(cls, send: tuple[SendPlan, ...]) -> tuple[SendPlan, ...]:
        names = [each.name for each in send]
        if twice := sorted({name for name in names if names.count(name) > 1}):
            raise ValueError(f"has '{twice[0]}' twice; give each a name of its own.")
        return send


def _listed(names: Iterable[str]) -> str:
    return ", ".join(sorted(names))


def read_site_plan(path: Path, must_be: bool = True) -> SitePlan:
    """Read a site file; raises DocumentError naming each faulty key.

    One that need not be there may be missing: then everything is as by default.
    """
    if not must_be and not path.exists():
        return SitePlan()
    try:
        data = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        finding = Finding(str(path), f"cannot be read ({error.strerror}).")
        raise DocumentError("site file", (finding,)) from error
    except tomllib.TOMLDecodeError as error:
        raise DocumentError("site file", (Finding(str(path), f"is not TOML: {error}."),)) from error
    if "format" not in data:
        missing = (
            "is missing",
            'write format = "loricate-site/1".',
        )
        raise DocumentError("site file", (Finding("format", *missing),))
    return read_document(SitePlan, data, "site file")
