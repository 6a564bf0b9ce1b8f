"""The air about the units."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


class NewAmbient(BaseModel):
    """Temperature and humidity as people write them."""

    model_config = ConfigDict(extra="forbid", strict=True)

    temperature: Annotated[str, Field(max_length=40, examples=["21.5 °C"])]
    humidity: Annotated[str, Field(max_length=40, examples=["45 %"])] = ""


class AmbientOut(BaseModel):
    """What is known of the air, and whether it is to be asked for."""

    temperature: str = Field(description="Empty while nothing is known", examples=["21.5 °C"])
    humidity: str = Field(examples=["45.0 %"])
    by: str = Field(description="Who said it: an account, or an instrument")
    at: str
    holds: bool = Field(description="Whether it goes onto certificates of runs started now")
    asked: bool = Field(description="Whether people are asked for it")
    instrument: str = Field(
        description="What measures it when a run is started; empty where nothing on the bench does"
    )
