"""The site file: what a site chooses for itself, whatever its bench is: sounds, and exports."""

import tomllib
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError, Finding
from loricate.core.export_names import pattern_problem

BESIDE_BENCH = "site.toml"


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


class SoundsPlan(_Part):
    """How this bench sounds, so that it can be told from the one beside it."""

    voice: Literal["bell", "reed", "wood"] = "bell"
    pitch: int = Field(default=0, ge=-12, le=12, description="In semitones")


class SitePlan(_Part):
    """A site file."""

    format: Literal["loricate-site/1"] = "loricate-site/1"
    sounds: SoundsPlan = SoundsPlan()
    exports: ExportsPlan | None = None


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
