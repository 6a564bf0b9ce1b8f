"""Errors that the service itself raises; each knows the kind, title and status of its problem."""

from collections.abc import Sequence
from typing import Self

from loricate.core.errors import Finding


class ServiceError(Exception):
    """Root of the errors that the service itself raises."""

    slug, title, status = "refused", "The request is refused", 400

    def __init__(self, detail: str, findings: Sequence[Finding] = ()) -> None:
        super().__init__(detail)
        self.detail, self.findings = detail, tuple(findings)

    def __str__(self) -> str:
        return self.detail


class WrongState(ServiceError):
    """What is asked does not fit the state of the run or the bench."""

    slug, title, status = "wrong-state", "Not possible in this state", 409


class NotReady(ServiceError):
    """The load, the bench or the disk is not ready for a run."""

    slug, title, status = "not-ready", "Not ready for a run", 422

    @classmethod
    def because(cls, findings: Sequence[Finding]) -> Self:
        """Make it of its findings."""
        return cls(" ".join(f"{each.path}: {each.message}" for each in findings), findings)


class ChangedMeanwhile(ServiceError):
    """Somebody else stored a revision since the one that is being changed was read."""

    slug, title, status = "changed-meanwhile", "Changed by somebody else meanwhile", 412


class Busy(ServiceError):
    """Too much is under way already."""

    slug, title, status = "busy", "Too much at once", 503


class TooLarge(ServiceError):
    """A body is larger than its route takes."""

    slug, title, status = "too-large", "The body is too large", 413


class WrongHost(ServiceError):
    """A request is for another host."""

    slug, title, status = "wrong-host", "Another host", 421


class TooSlow(ServiceError):
    """A body does not come."""

    slug, title, status = "too-slow", "The body did not come in time", 408


class NotJson(ServiceError):
    """A body is no JSON, or JSON that could be read in more than one way."""

    slug, title, status = "not-json", "The body is not JSON", 400


class TooManyAtOnce(ServiceError):
    """A person, or an address, has too many requests under way; nothing was done."""

    slug, title, status = "too-many-at-once", "Too many requests at once", 429

    def __init__(self, reason: str) -> None:
        super().__init__(f"{reason[0].upper()}{reason[1:]}; wait for one to end, then ask again.")


class NotSignedIn(ServiceError):
    """There is no valid sign-in."""

    slug, title, status = "not-signed-in", "Not signed in", 401


class CodeNeeded(NotSignedIn):
    """The password is right, and a one-time code goes with it."""

    slug, title = "code-needed", "A one-time code is needed"


class NotAllowed(ServiceError):
    """The account's role does not allow it, or the request lacks its CSRF secret."""

    slug, title, status = "not-allowed", "Not allowed", 403


class TooManyAttempts(ServiceError):
    """Too many failed sign-ins."""

    slug, title, status = "too-many-attempts", "Too many sign-in attempts", 429

    def __init__(self, wait_s: int) -> None:
        super().__init__(f"Too many failed attempts to sign in; wait {wait_s} s and try again.")
        self.wait_s = wait_s


class KeyReused(ServiceError):
    """An Idempotency-Key came again with another request."""

    slug, title, status = "key-reused", "Idempotency-Key used for another request", 422
