"""Signing in, accounts, the audit trail."""

from loricate.api.health import Health
from loricate.api.keeping import DueOut, GoneOut, OutgoingOut, RecordsState
from loricate.api.people import (
    AccountOut,
    AuditEntry,
    CodeSetup,
    OneTimePassword,
    SessionOut,
)
from loricate.api.session import Me, SignedIn
from loricate.client._wire import API, Wire


class PeopleCalls(Wire):
    """Calls about oneself, the accounts, and what was done."""

    def health(self) -> Health:
        """The service's state; needs no sign-in."""
        return self._get(Health, "/health")

    def sign_in(self, name: str, password: str, code: str = "") -> SignedIn:
        """Begin a session and use its token from now on; ``code`` for accounts that have them."""
        body = {"name": name, "password": password, "code": code}
        signed = self._post(SignedIn, f"{API}/sign-in", body)
        self.token = signed.token
        return signed

    def sign_out(self) -> None:
        """End the session."""
        self.send("POST", f"{API}/sign-out")
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
        self.send("POST", f"{API}/password", json={"present": present, "next": following})

    def sign_out_everywhere(self) -> None:
        """End every session of one's account, this one as well."""
        self.send("POST", f"{API}/sign-out-everywhere")
        self.token = ""

    def sessions(self) -> list[SessionOut]:
        """Where one is signed in, the session used last first."""
        return self._get(list[SessionOut], f"{API}/sessions")

    def end_session(self, session: str) -> None:
        """End one of one's own sessions."""
        self.send("DELETE", f"{API}/sessions/{session}")

    def begin_codes(self, password: str) -> CodeSetup:
        """What an authenticator is set up with; confirm with a code of its."""
        return self._post(CodeSetup, f"{API}/codes", {"password": password})

    def confirm_codes(self, code: str) -> None:
        """Have a one-time code go with one's password; other sessions end."""
        self.send("POST", f"{API}/codes/confirm", json={"code": code})

    def end_codes(self, password: str) -> None:
        """Have the password be enough again."""
        self.send("POST", f"{API}/codes/end", json={"password": password})

    def accounts(self) -> list[AccountOut]:
        """Every account, by name."""
        return self._get_all(AccountOut, f"{API}/accounts")

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
        """Give an account a one-time password and end its sessions."""
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
            list[AuditEntry],
            f"{API}/audit",
            account=account,
            action=action,
            subject=subject,
            since=since,
            until=until,
            before=before,
            count=count,
        )

    def export_audit(self) -> str:
        """The whole audit trail as CSV, each entry with its mark."""
        return self.send("GET", f"{API}/audit/export").text

    def outbox(self, *, waiting: bool = False) -> list[OutgoingOut]:
        """What leaves the service, newest first; only what has not got there where ``waiting``."""
        return self._get_all(OutgoingOut, f"{API}/outbox", waiting=waiting)

    def try_outbox(self) -> None:
        """Have everything that waits be sent now."""
        self.send("POST", f"{API}/outbox/tries")

    def leave_out(self, entry: int, reason: str) -> OutgoingOut:
        """Leave out a message of the outbox that its receiver will never take."""
        return self._post(OutgoingOut, f"{API}/outbox/{entry}/leaving", {"reason": reason})

    def due(self) -> DueOut:
        """What was measured so long ago that it may go, by the times that the site file gives."""
        return DueOut.model_validate_json(self.send("GET", f"{API}/records/due").content)

    def let_go(self, seen: str, reason: str, within_s: float = 900.0) -> GoneOut:
        """Let go the readings and curves of the list that was ``seen``; it cannot be undone."""
        asked = {"seen": seen, "reason": reason}
        found = self.send("POST", f"{API}/records/letting-go", json=asked, timeout=within_s)
        return GoneOut.model_validate_json(found.content)

    def check_records(self, within_s: float = 900.0) -> RecordsState:
        """Whether anything in the records was changed from outside; large ones take a while."""
        found = self.send("GET", f"{API}/records/check", timeout=within_s)
        return RecordsState.model_validate_json(found.content)
