"""The client's error tree, made from the service's problem documents."""

import httpx
from pydantic import ValidationError

from loricate.api.problems import ProblemDocument


class ClientError(Exception):
    """Root of every error that the client raises."""


class UnreachableError(ClientError):
    """The service did not answer."""

    def __init__(self, url: str, reason: str) -> None:
        super().__init__(url, reason)
        self.url, self.reason = url, reason

    def __str__(self) -> str:
        return f"No service answers at {self.url} ({self.reason}); start it, or check the address."


class RefusedError(ClientError):
    """The service refused; ``problem`` is its problem document."""

    def __init__(self, problem: ProblemDocument) -> None:
        super().__init__(problem)
        self.problem = problem

    def __str__(self) -> str:
        return self.problem.detail


class NotSignedInError(RefusedError):
    """There is no valid sign-in, or the password was wrong."""


class NotAllowedError(RefusedError):
    """The account's role does not allow it."""


class NotFoundError(RefusedError):
    """There is no such thing."""


class WrongStateError(RefusedError):
    """What was asked does not fit the state of the run or bench."""


class ServiceFailedError(RefusedError):
    """The service itself failed, or gave an answer that is none."""


_BY_STATUS = {401: NotSignedInError, 403: NotAllowedError, 404: NotFoundError, 409: WrongStateError}


def raise_for(response: httpx.Response) -> None:
    """Raise the error that a response stands for, if it is one; its body must have been read."""
    if response.is_success:
        return
    try:
        problem = ProblemDocument.model_validate_json(response.content)
    except ValidationError:
        problem = ProblemDocument(
            type="about:blank",
            title=response.reason_phrase,
            status=response.status_code,
            detail=f"The service answered {response.status_code} {response.reason_phrase}.",
        )
    kind = _BY_STATUS.get(response.status_code, RefusedError)
    raise (ServiceFailedError if response.status_code >= 500 else kind)(problem)
