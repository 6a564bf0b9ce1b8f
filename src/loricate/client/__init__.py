"""The Python client: typed, synchronous, one error tree.

from loricate.client import Client

with Client("http://127.0.0.1:8640", token="…") as client:
    print(client.bench().title)
"""

from loricate.client._client import Client
from loricate.client._errors import (
    ClientError,
    NotAllowedError,
    NotFoundError,
    NotSignedInError,
    RefusedError,
    ServiceFailedError,
    UnreachableError,
    WrongStateError,
)
from loricate.client._wire import RunEvent

__all__ = [
    "Client",
    "ClientError",
    "NotAllowedError",
    "NotFoundError",
    "NotSignedInError",
    "RefusedError",
    "RunEvent",
    "ServiceFailedError",
    "UnreachableError",
    "WrongStateError",
]
