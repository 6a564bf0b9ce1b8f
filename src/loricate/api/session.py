"""Signing in and out."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class SignIn(BaseModel):
    """A name and password, and how the session is kept."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"name": "mara", "password": "…", "keep": "token"}]},
    )

    name: str = Field(min_length=1, max_length=64)
    password: str = Field(min_length=1, max_length=256)
    code: str = Field(
        default="", max_length=16, description="The one-time code, for accounts that have them"
    )
    keep: Literal["token", "cookie"] = "token"


class Me(BaseModel):
    """Who is signed in. ``csrf`` goes into the X-Loricate-CSRF header of a browser's writes."""

    name: str
    full_name: str
    role: str
    must_change: bool = Field(default=False, description="The password must be changed first")
    may: list[str] = Field(
        default=[],
        description="Of read, run, define, audit, quality, sum_up, people",
        examples=[["read", "run"]],
    )
    has_codes: bool = Field(default=False, description="One-time codes go with the password")
    csrf: str = ""


class SignedIn(Me):
    """A fresh session; ``token`` is empty when the session is in a cookie."""

    token: str
    expires_at: str
