"""What a site chose for itself."""

from typing import Literal

from pydantic import BaseModel, Field


class SoundsOut(BaseModel):
    """How this bench sounds."""

    voice: str
    pitch: int


class SiteOut(BaseModel):
    """What the site file says, and the id that this site's records bear."""

    id: str
    name: str
    sounds: SoundsOut
    temperature: Literal["°C", "°F"] = Field(description="In which unit temperatures are shown")
    carried: list[str] = Field(
        default=[], description="Benches whose records were carried in, by what `of` is asked with"
    )
    zone: str = Field(
        description="In which time zone papers and trends are", examples=["Europe/Vienna"]
    )
    exports: str = Field(
        description="Folder and name of each document once it is issued; empty: none",
        examples=["exports/{date}/{serial}-{verdict}"],
    )
    printer: str = Field(
        description="Address of the site's printer; empty: it has none",
        examples=["ipp://printer.example:631/ipp/print"],
    )
