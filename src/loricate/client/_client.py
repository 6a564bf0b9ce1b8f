"""The client itself: one method a call of the HTTP API."""

import json
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from pydantic import BaseModel, TypeAdapter

from loricate.api.bench import BenchOut, DailyCheckOut, UpkeepOut
from loricate.api.certificates import LedgerState, Verified
from loricate.api.definitions import (
    ChallengeOut,
    Checked,
    DifferenceOut,
    Offer,
    ReviewOut,
    RevisionOut,
    SequenceOut,
    SequenceRevision,
    SequenceSummary,
    Stored,
)
from loricate.api.health import Health
from loricate.api.lots import LotOut, LotSummary
from loricate.api.people import AccountOut, AuditEntry, OneTimePassword
from loricate.api.records import PictureOut, RunOut, RunSummary, TraceOut, UnitFound, UnitOut
from loricate.api.session import Me, SignedIn
from loricate.client._errors import UnreachableError, raise_for

M = TypeVar("M")
API = "/api/v1"
CHALLENGE_S = 180.0
RECONNECTS, RECONNECT_WAIT_S = 5, 0.5


@dataclass(frozen=True, slots=True)
class RunEvent:
    """An event of a run: its number, its name and what it says."""

    number: int
    name: str
    data: dict[str, Any]


def _if_match(revision: int | None) -> dict[str, str]:
    return {} if revision is None else {"If-Match": f'"{revision}"'}


class Client:
    """A connection to one service; use it as a context manager.

    ``transport`` and ``timeout_s`` go to httpx, so that a test can pass its own wire. Every method
    raises a ``ClientError``.
    """

    def __init__(
        self,
        base_url: str,
        *,
        token: str = "",
        timeout_s: float = 30.0,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        self.base_url = base_url.rstrip("/")
        self._http = httpx.Client(base_url=self.base_url, timeout=timeout_s, transport=transport)
        self.token = token

    @property
    def token(self) -> str:
        """The bearer token in use; empty when not signed in."""
        return self._token

    @token.setter
    def token(self, token: str) -> None:
        self._token = token
        self._http.headers.pop("Authorization", None)
        if token:
            self._http.headers["Authorization"] = f"Bearer {token}"

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Hang up."""
        self._http.close()

    def _send(self, method: str, path: str, **options: Any) -> httpx.Response:
        try:
            response = self._http.request(method, path, **options)
        except httpx.TransportError as error:
            raise UnreachableError(self.base_url, str(error) or type(error).__name__) from error
        raise_for(response)
        return response

    def _get(self, kind: type[M], path: str, **query: Any) -> M:
        found = self._send("GET", path, params={k: v for k, v in query.items() if v is not None})
        return TypeAdapter(kind).validate_json(found.content)

    def _post(
        self, kind: type[M], path: str, body: object = None, headers: Mapping[str, str] = {}
    ) -> M:
        sent = body.model_dump() if isinstance(body, BaseModel) else body
        found = self._send("POST", path, json=sent, headers=headers)
        return TypeAdapter(kind).validate_json(found.content)

    def health(self) -> Health:
        """The service's state; needs no sign-in."""
        return self._get(Health, "/health")

    def sign_in(self, name: str, password: str) -> SignedIn:
        """Begin a session and use its token from now on."""
        signed = self._post(SignedIn, f"{API}/sign-in", {"name": name, "password": password})
        self.token = signed.token
        return signed

    def sign_out(self) -> None:
        """End the session."""
        self._send("POST", f"{API}/sign-out")
        self.token = ""

    def me(self) -> Me:
        """Who is signed in."""
        return self._get(Me, f"{API}/me")

    def make_first_account(self, code: str, name: str, full_name: str, password: str) -> AccountOut:
        """Make the first engineer of a new site; ``code`` stands in the service's log."""
        body = {"code": code, "name": name, "full_name": full_name, "password": password}
        return self._post(AccountOut, f"{API}/first-account", body)

    def change_password(self, present: str, following: str) -> None:
        """Change one's own password; other sessions of the account end."""
        self._send("POST", f"{API}/password", json={"present": present, "next": following})

    def sign_out_everywhere(self) -> None:
        """End every session of one's account, this one as well."""
        self._send("POST", f"{API}/sign-out-everywhere")
        self.token = ""

    def accounts(self) -> list[AccountOut]:
        """Every account, the closed ones last."""
        return self._get(list[AccountOut], f"{API}/accounts")

    def add_account(self, name: str, full_name: str, role: str) -> OneTimePassword:
        """Add somebody; gives a one-time password, shown this once."""
        body = {"name": name, "full_name": full_name, "role": role}
        return self._post(OneTimePassword, f"{API}/accounts", body)

    def change_account(
        self,
        name: str,
        *,
        full_name: str | None = None,
        role: str | None = None,
        closed: bool | None = None,
    ) -> AccountOut:
        """Change full name or role, close or open an account."""
        body = {"full_name": full_name, "role": role, "closed": closed}
        sent = {key: value for key, value in body.items() if value is not None}
        return self._post(AccountOut, f"{API}/accounts/{name}", sent)

    def reset_password(self, name: str) -> OneTimePassword:
        """Give an account a one-time password, unlock it, and end its sessions."""
        return self._post(OneTimePassword, f"{API}/accounts/{name}/reset")

    def audit(
        self,
        *,
        account: str = "",
        action: str = "",
        subject: str = "",
        since: str = "",
        until: str = "",
        before: int | None = None,
        count: int = 100,
    ) -> list[AuditEntry]:
        """What was done, newest first; ``before`` is the number of the last entry seen."""
        return self._get(
            list[AuditEntry], f"{API}/audit", account=account, action=action, subject=subject,
            since=since, until=until, before=before, count=count,
        )  # fmt: skip

    def bench(self) -> BenchOut:
        """The bench: who answers, calibration, guard, fixtures."""
        return self._get(BenchOut, f"{API}/bench")

    def begin_upkeep(self, kind: str, fixture: str, nests: Sequence[str] = ()) -> UpkeepOut:
        """Begin the ``zero`` or ``daily_check`` of a fixture; it then asks for what it needs."""
        body = {"kind": kind, "fixture": fixture, "nests": list(nests)}
        return self._post(UpkeepOut, f"{API}/upkeep", body)

    def upkeep(self, act_id: str) -> UpkeepOut:
        """How an act of upkeep stands and what it asks."""
        return self._get(UpkeepOut, f"{API}/upkeep/{act_id}")

    def upkeep_events(self, act_id: str, after: int = 0) -> Iterator[RunEvent]:
        """An act's events from the one after number ``after`` until its end."""
        return self._follow(f"{API}/upkeep/{act_id}/events", after)

    def answer_upkeep(self, act_id: str, nest: str, choice: str) -> None:
        """Say that what an act of upkeep asked for is done, or stop it."""
        body = {"nest": nest, "choice": choice}
        self._send("POST", f"{API}/upkeep/{act_id}/answers", json=body)

    def abort_upkeep(self, act_id: str) -> UpkeepOut:
        """Abort an act of upkeep: outputs fall first."""
        return self._post(UpkeepOut, f"{API}/upkeep/{act_id}/abort")

    def daily_checks(self, fixture: str) -> list[DailyCheckOut]:
        """The newest daily checks of a fixture, newest first."""
        return self._get(list[DailyCheckOut], f"{API}/fixtures/{fixture}/daily-checks")

    def renew_contacts(self, fixture: str, note: str) -> None:
        """Enter that a fixture's contacts were renewed: its matings are counted from now."""
        self._send("POST", f"{API}/fixtures/{fixture}/renewals", json={"note": note})

    def add_product(self, document: Mapping[str, Any], based_on: int | None = None) -> Stored:
        """Add a product, or a revision of one; with ``based_on`` only if that is the newest."""
        return self._post(Stored, f"{API}/products", document, _if_match(based_on))

    def products(self) -> list[dict[str, Any]]:
        """Every product's newest revision."""
        return self._get(list[dict[str, Any]], f"{API}/products")

    def product(self, code: str, revision: int | None = None) -> dict[str, Any]:
        """One revision of a product, the newest by default; ``revision`` is its number."""
        return self._get(dict[str, Any], f"{API}/products/{code}", revision=revision)

    def offer(self, code: str) -> Offer:
        """The kinds of step and the limits of standards for a product, and why."""
        return self._get(Offer, f"{API}/products/{code}/offer")

    def limit_set(self, code: str, revision: int | None = None) -> dict[str, Any]:
        """One revision of a limit set, the newest by default; ``revision`` is its number."""
        return self._get(dict[str, Any], f"{API}/limit-sets/{code}", revision=revision)

    def release_limit_set(self, code: str, checked: str) -> Stored:
        """Release a limit set's newest revision; ``checked`` says who compared it with what."""
        return self._post(Stored, f"{API}/limit-sets/{code}/release", {"checked": checked})

    def revisions(self, kind: str, code: str) -> list[RevisionOut]:
        """Every revision of a document; ``kind`` is ``products`` or ``limit-sets``."""
        return self._get(list[RevisionOut], f"{API}/{kind}/{code}/revisions")

    def differences(self, kind: str, code: str, old: int, new: int) -> list[DifferenceOut]:
        """What differs between two revisions of a document; ``kind`` may be ``sequences`` too."""
        path = f"{API}/{kind}/{code}/differences"
        return self._get(list[DifferenceOut], path, old=old, new=new)

    def add_limit_set(self, document: Mapping[str, Any], based_on: int | None = None) -> Stored:
        """Add a limit set, or a revision of one; with ``based_on`` only if that is the newest."""
        return self._post(Stored, f"{API}/limit-sets", document, _if_match(based_on))

    def limit_sets(self) -> list[dict[str, Any]]:
        """Every limit set's newest revision."""
        return self._get(list[dict[str, Any]], f"{API}/limit-sets")

    def sequences(self) -> list[SequenceSummary]:
        """Every sequence's newest revision."""
        return self._get(list[SequenceSummary], f"{API}/sequences")

    def sequence(self, code: str, revision: int | None = None) -> SequenceOut:
        """One revision of a sequence with its document, the newest by default."""
        return self._get(SequenceOut, f"{API}/sequences/{code}", revision=revision)

    def check_sequence(self, document: Mapping[str, Any]) -> Checked:
        """Check a sequence document; raises RefusedError with every finding."""
        return self._post(Checked, f"{API}/sequences/check", document)

    def review_document(self, document: Mapping[str, Any], nests: int = 4) -> ReviewOut:
        """Read a sequence document for mistakes, on the service's bench; stores nothing."""
        path = f"{API}/sequences/review?nests={nests}"
        return self._post(ReviewOut, path, document)

    def review(self, code: str, revision: int | None = None, nests: int = 4) -> ReviewOut:
        """Read a stored sequence for mistakes, on the service's bench."""
        path = f"{API}/sequences/{code}/review"
        return self._get(ReviewOut, path, revision=revision, nests=nests)

    def challenge(
        self, code: str, *, pairs: bool = False, repetitions: int = 200, nests: int = 4
    ) -> ChallengeOut:
        """Run a stored sequence against stand-in units with each fault of its product."""
        return self._challenge(code, None, pairs, repetitions, nests)

    def challenge_document(
        self,
        document: Mapping[str, Any],
        *,
        pairs: bool = False,
        repetitions: int = 200,
        nests: int = 4,
    ) -> ChallengeOut:
        """Run a sequence document against stand-in units; stores nothing."""
        return self._challenge("", document, pairs, repetitions, nests)

    def _challenge(
        self, code: str, document: object, pairs: bool, repetitions: int, nests: int
    ) -> ChallengeOut:
        query = f"pairs={str(pairs).lower()}&repetitions={repetitions}&nests={nests}"
        place = f"{code}/challenge" if code else "challenge"
        found = self._send(
            "POST", f"{API}/sequences/{place}?{query}", json=document, timeout=CHALLENGE_S
        )
        return ChallengeOut.model_validate_json(found.content)

    def add_sequence(self, document: Mapping[str, Any], etag: str = "") -> Stored:
        """Store a sequence as a draft; with ``etag`` only if nobody changed it meanwhile."""
        headers = {"If-Match": etag} if etag else {}
        return self._post(Stored, f"{API}/sequences", document, headers)

    def release_sequence(
        self, code: str, why: str, accepted: Mapping[str, str] | None = None
    ) -> Stored:
        """Release a sequence's draft; ``accepted`` gives the reason for each finding left.

        A finding is named by its rule, with ``@step`` after it where it is of one step.
        """
        left = []
        for name, reason in (accepted or {}).items():
            rule, _, step = name.partition("@")
            left.append({"rule": rule, "step": step, "reason": reason})
        body = {"why": why, "accepted": left}
        return self._post(Stored, f"{API}/sequences/{code}/release", body)

    def withdraw_sequence(self, code: str, why: str, revision: int | None = None) -> Stored:
        """Take a released revision, the newest by default, out of use."""
        body = {"why": why, "revision": revision}
        return self._post(Stored, f"{API}/sequences/{code}/withdraw", body)

    def sequence_label(self, code: str) -> bytes:
        """A label with a sequence's code as Code 128 and QR code, as a PDF."""
        return self._send("GET", f"{API}/sequences/{code}/label").content

    def sequence_revisions(self, code: str) -> list[SequenceRevision]:
        """Every revision of a sequence, newest first."""
        return self._get(list[SequenceRevision], f"{API}/sequences/{code}/revisions")

    def create_run(
        self,
        sequence: str,
        fixture: str,
        load: Mapping[str, str],
        *,
        lot: str = "",
        retest: str = "",
        start_by: str = "key",
        idempotency_key: str = "",
    ) -> RunOut:
        """Make a run; ``load`` gives the serial in each nest. Nothing is energised yet.

        Once armed it is started by ``start_run``, and by the ``foot`` switch or the ``presence`` of
        a unit in every nest if ``start_by`` says so.
        """
        body = {
            "sequence": sequence,
            "fixture": fixture,
            "load": [{"nest": nest, "serial": serial} for nest, serial in load.items()],
            "lot": lot,
            "retest": retest,
            "start_by": start_by,
        }
        headers = {"Idempotency-Key": idempotency_key} if idempotency_key else {}
        return self._post(RunOut, f"{API}/runs", body, headers)

    def arm_run(self, run_id: str) -> RunOut:
        """Allow high voltage for a run."""
        return self._post(RunOut, f"{API}/runs/{run_id}/arm")

    def start_run(self, run_id: str) -> RunOut:
        """Start an armed run."""
        return self._post(RunOut, f"{API}/runs/{run_id}/start")

    def abort_run(self, run_id: str) -> RunOut:
        """Abort a run: outputs fall first."""
        return self._post(RunOut, f"{API}/runs/{run_id}/abort")

    def answer(
        self, run_id: str, nest: str, choice: str, note: str = "", question: int | None = None
    ) -> None:
        """Answer what a nest is being asked; ``question`` is its number, the first by default."""
        body = {"nest": nest, "choice": choice, "note": note, "question": question}
        self._send("POST", f"{API}/runs/{run_id}/answers", json=body)

    def repeat(self, run_id: str, nest: str, reason: str, step: str = "") -> RunOut:
        """Ask for a failed unit, or a failed step of it, to be done again; then arm and start."""
        body = {"nest": nest, "step": step, "reason": reason}
        return self._post(RunOut, f"{API}/runs/{run_id}/repeats", body)

    def remark(
        self, run_id: str, nest: str, text: str, *, step: str = "", picture: bytes | None = None
    ) -> RunOut:
        """Remark on a unit in a run, or on one of its steps, with a picture if need be."""
        digest = "" if picture is None else self.add_picture(picture).digest
        body = {"nest": nest, "step": step, "text": text, "picture": digest}
        return self._post(RunOut, f"{API}/runs/{run_id}/remarks", body)

    def add_picture(self, data: bytes) -> PictureOut:
        """Keep a PNG, JPEG or WebP; gives the digest that names it."""
        sent = self._send("POST", f"{API}/pictures", content=data)
        return PictureOut.model_validate_json(sent.content)

    def picture(self, digest: str) -> bytes:
        """A picture by its digest."""
        return self._send("GET", f"{API}/pictures/{digest}").content

    def trace(self, run_id: str, nest: str, step: str, number: int = 1) -> TraceOut:
        """The curves of one attempt at a step, with the step's limits."""
        return self._get(TraceOut, f"{API}/runs/{run_id}/traces/{nest}/{step}/{number}")

    def runs(self, count: int = 20) -> list[RunSummary]:
        """The newest runs first."""
        return self._get(list[RunSummary], f"{API}/runs", count=count)

    def run(self, run_id: str) -> RunOut:
        """A run with its units, attempts and readings so far."""
        return self._get(RunOut, f"{API}/runs/{run_id}")

    def events(self, run_id: str, after: int = 0) -> Iterator[RunEvent]:
        """A run's events from the one after number ``after`` until its end.

        A lost connection is taken up again where it broke off.
        """
        return self._follow(f"{API}/runs/{run_id}/events", after)

    def _follow(self, path: str, after: int) -> Iterator[RunEvent]:
        failures = 0
        while True:
            try:
                for event in self._event_stream(path, after):
                    after, failures = event.number, 0
                    yield event
                    if event.name == "finished":
                        return
                return
            except httpx.TransportError as error:
                failures += 1
                if failures > RECONNECTS:
                    raise UnreachableError(self.base_url, str(error)) from error
                time.sleep(RECONNECT_WAIT_S)

    def _event_stream(self, path: str, after: int) -> Iterator[RunEvent]:
        with self._http.stream("GET", path, headers={"Last-Event-ID": str(after)}) as response:
            if not response.is_success:
                response.read()
                raise_for(response)
            fields: dict[str, str] = {}
            for line in response.iter_lines():
                if line and not line.startswith(":"):
                    name, _, value = line.partition(":")
                    fields[name] = value.removeprefix(" ")
                elif not line and "data" in fields:
                    data = json.loads(fields["data"])
                    yield RunEvent(int(fields["id"]), fields["event"], data)
                    fields = {}

    def find_units(self, serial: str = "*", count: int = 100) -> list[UnitFound]:
        """Find units by serial, newest first; ``*`` and ``?`` are wildcards."""
        return self._get(list[UnitFound], f"{API}/units", serial=serial, count=count)

    def unit(self, serial: str) -> list[UnitOut]:
        """Every appearance of a serial, newest first, with all attempts and readings."""
        return self._get(list[UnitOut], f"{API}/units/{serial}")

    def open_lot(
        self,
        code: str,
        product: str,
        serials: str,
        *,
        quantity: int | None = None,
        order_number: str = "",
    ) -> LotSummary:
        """Open a lot of a product.

        ``serials`` are ranges ``FIRST..LAST`` and single ones with commas between, or a pattern
        with ``#`` for each digit, which takes a ``quantity``.
        """
        body = {
            "code": code,
            "product": product,
            "serials": serials,
            "quantity": quantity,
            "order_number": order_number,
        }
        return self._post(LotSummary, f"{API}/lots", body)

    def lots(self) -> list[LotOut]:
        """Every lot with its progress, newest first."""
        return self._get(list[LotOut], f"{API}/lots")

    def lot(self, code: str) -> LotSummary:
        """A lot's progress, its units with their latest verdicts, and those that wait."""
        return self._get(LotSummary, f"{API}/lots/{code}")

    def lot_pdf(self, code: str) -> bytes:
        """A lot's summary as a PDF, as it stands now."""
        return self._send("GET", f"{API}/lots/{code}/pdf").content

    def close_lot(self, code: str) -> LotSummary:
        """Close a lot: no run is made in it any more."""
        return self._post(LotSummary, f"{API}/lots/{code}/close")

    def certificate(self, name: str) -> str:
        """The sealed JSON of a certificate or nonconformance report, by number or serial."""
        return self._send("GET", f"{API}/certificates/{name}").text

    def certificate_pdf(self, name: str) -> bytes:
        """The PDF of a certificate or nonconformance report, by number or serial."""
        return self._send("GET", f"{API}/certificates/{name}/pdf").content

    def verify(self, number: str) -> Verified:
        """What the service holds under a number; needs no sign-in."""
        return self._get(Verified, f"{API}/verify/{number}")

    def ledger(self) -> LedgerState:
        """Whether the chain of issued documents is whole."""
        return self._get(LedgerState, f"{API}/ledger")

    def site_key(self) -> dict[str, str]:
        """The public half of the site key as a JWK; needs no sign-in."""
        return self._get(dict[str, str], f"{API}/site-key")
