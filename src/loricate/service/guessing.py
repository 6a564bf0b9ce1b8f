"""What keeps guessers of passwords slow: attempts counted while they are under way, dear hashes."""

import asyncio
import secrets
import time
from collections import Counter, defaultdict, deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import TypeVar

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from loricate.service.errors import Busy, ServiceError, TooManyAttempts

R = TypeVar("R")


@dataclass(frozen=True, slots=True)
class Allowance:
    """How many failures are allowed of one thing within a time (s)."""

    key: str
    most: int
    within_s: float = 60.0


ATTEMPTS = 5  # of one name from one address, a minute
AT_ADDRESS = 20  # of any name, a minute
ELSEWHERE, ELSEWHERE_S = 30, 900.0  # of one name, from wherever it has never signed in


def allowances(name: str, address: str, is_known_there: bool) -> tuple[Allowance, ...]:
    """What a sign-in of a name from an address counts against."""
    who = name.casefold()
    found = (
        Allowance(f"name {who} at {address}", ATTEMPTS),
        Allowance(f"address {address}", AT_ADDRESS),
    )
    if is_known_there:
        return found
    return (*found, Allowance(f"name {who} elsewhere", ELSEWHERE, ELSEWHERE_S))


class AttemptLimiter:
    """Counts attempts under way, and failures over a sliding time."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.clock = clock
        self._failures: dict[str, deque[float]] = defaultdict(deque)
        self._under_way: Counter[str] = Counter()

    @contextmanager
    def attempt(self, *allowed: Allowance) -> Iterator[None]:
        """One attempt: it counts from its beginning, and fails if it raises a ServiceError.

        Raises TooManyAttempts when one of the things has failed too often, or would have if all
        attempts that are under way fail.
        """
        self._forget_old()
        now = self.clock()
        for each in allowed:
            recent = [at for at in self._failures.get(each.key, ()) if at > now - each.within_s]
            if len(recent) + self._under_way[each.key] >= each.most:
                first = recent[0] if recent else now
                raise TooManyAttempts(int(first + each.within_s - now) + 1)
        keys = [each.key for each in allowed]
        self._under_way.update(keys)
        try:
            yield
        except ServiceError:
            for key in keys:
                self._failures[key].append(self.clock())
            raise
        finally:
            self._under_way.subtract(keys)
            self._under_way = +self._under_way

    def _forget_old(self) -> None:
        oldest = self.clock() - ELSEWHERE_S
        for key, failures in list(self._failures.items()):
            while failures and failures[0] < oldest:
                failures.popleft()
            if not failures:
                del self._failures[key]


hasher = PasswordHasher()


@lru_cache(maxsize=1)
def _nobody() -> str:
    """What is verified when there is no such account, so that the time taken does not tell."""
    return hasher.hash(secrets.token_urlsafe())


class Hashing:
    """Hashing of passwords: a few at once, for each takes 64 MiB and all the processors."""

    def __init__(self, at_once: int = 2, most_waiting: int = 16) -> None:
        self._turn = asyncio.Semaphore(at_once)
        self._room, self._inside = at_once + most_waiting, 0

    async def hash(self, password: str) -> str:
        """The hash of a password."""
        return await self._do(lambda: hasher.hash(password))

    async def fits(self, stored: str | None, password: str) -> bool:
        """Whether a password is the one of a hash; takes as long where there is none."""

        def verify() -> bool:
            try:
                return hasher.verify(_nobody() if stored is None else stored, password)
            except (VerificationError, InvalidHashError):
                return False

        return await self._do(verify) and stored is not None

    async def _do(self, work: Callable[[], R]) -> R:
        if self._inside >= self._room:
            raise Busy("Too many sign in at once; try again in a moment.")
        self._inside += 1
        try:
            async with self._turn:
                return await asyncio.to_thread(work)
        finally:
            self._inside -= 1
