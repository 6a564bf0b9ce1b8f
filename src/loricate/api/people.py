"""Accounts, passwords and the audit trail."""

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

Role = Literal["operator", "engineer", "quality", "administrator", "system"]
LEAST_PASSWORD = 10
# What the records themselves sign with, and what would be taken for it.
RESERVED = frozenset({"service", "engine", "system", "loricate", "admin", "root", "nobody"})


def _not_reserved(name: str) -> str:
    if name.casefold() in RESERVED:
        raise ValueError(f"{name} is a name of the service itself; choose another")
    return name


AccountName = Annotated[
    str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,31}$"), AfterValidator(_not_reserved)
]


class AccountOut(BaseModel):
    """An account as engineers see it."""

    name: str = Field(examples=["olle"])
    full_name: str
    role: str = Field(examples=["operator"])
    state: str = Field(examples=["open", "closed"])
    must_change: bool = Field(description="Its password was given by somebody else")
    has_codes: bool = Field(description="One-time codes go with its password")
    created_at: str
    signed_in_at: str | None


class NewAccount(BaseModel):
    """Somebody who may sign in; a one-time password is made for the first time."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [{"name": "olle", "full_name": "Olle Stark", "role": "operator"}]
        },
    )

    name: AccountName
    full_name: str = Field(min_length=1, max_length=80)
    role: Role


class AccountChange(BaseModel):
    """What is changed of an account; what is left out stays."""

    model_config = ConfigDict(
        extra="forbid", strict=True, json_schema_extra={"examples": [{"role": "engineer"}]}
    )

    full_name: str | None = Field(default=None, min_length=1, max_length=80)
    role: Role | None = None
    closed: bool | None = None


class OneTimePassword(BaseModel):
    """A password that is shown this once and must be changed at the first sign-in."""

    name: str
    password: str


class PasswordChange(BaseModel):
    """One's own password, the present one and the next."""

    model_config = ConfigDict(
        extra="forbid", strict=True, json_schema_extra={"examples": [{"present": "…", "next": "…"}]}
    )

    present: str = Field(max_length=256)
    next: str = Field(min_length=LEAST_PASSWORD, max_length=256)


class PasswordTyped(BaseModel):
    """One's own password, typed again for something that matters."""

    model_config = ConfigDict(
        extra="forbid", strict=True, json_schema_extra={"examples": [{"password": "…"}]}
    )

    password: str = Field(min_length=1, max_length=256)


class CodeTyped(BaseModel):
    """A one-time code as an authenticator shows it."""

    model_config = ConfigDict(
        extra="forbid", strict=True, json_schema_extra={"examples": [{"code": "123456"}]}
    )

    code: str = Field(pattern=r"^[0-9]{3} ?[0-9]{3}$")


class CodeSetup(BaseModel):
    """What an authenticator is set up with, shown this once (RFC 6238)."""

    secret: str = Field(description="To be typed, in base 32")
    uri: str = Field(description="The same as an otpauth: address")
    qr: list[str] = Field(description="The address as a QR code: rows of 1 (dark) and 0 (light)")


class SessionOut(BaseModel):
    """A place where one is signed in."""

    id: str
    is_this: bool = Field(description="The one that this was asked by")
    address: str
    agent: str = Field(description="The program, as it called itself")
    created_at: str
    used_at: str
    expires_at: str


class FirstAccountIn(BaseModel):
    """The first engineer of a new site, with the one-time code from the service's log."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [{"code": "…", "name": "mara", "full_name": "Mara Quill", "password": "…"}]
        },
    )

    code: str = Field(max_length=64)
    name: AccountName
    full_name: str = Field(min_length=1, max_length=80)
    password: str = Field(min_length=LEAST_PASSWORD, max_length=256)


class AuditEntry(BaseModel):
    """One thing that somebody did."""

    number: int
    at: str
    account: str
    action: str = Field(examples=["release sequence"])
    subject: str
    detail: str
