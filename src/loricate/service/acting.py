"""Acts on what was issued: revoke, approve, draw again; the list of revocations."""

import json
import sqlite3
from collections.abc import Callable, Sequence

from loricate.certificates.acts import RevocationList, Signer, approval_body, revocation_body
from loricate.certificates.issue import KINDS, Draft
from loricate.core.errors import Finding
from loricate.records import audit, ledger, outbox
from loricate.records.ledger import APPROVABLE, REVOCABLE, LedgerEntry
from loricate.records.papers import PAPER
from loricate.records.stamps import now
from loricate.records.store import Store
from loricate.service.errors import NotAllowed, NotReady, WrongState
from loricate.service.ledger_keeping import Entering, LedgerKeeper
from loricate.service.paper_making import PRINT
from loricate.service.printing import NO_PRINTER
from loricate.service.site_file import ApprovalsPlan, PrinterPlan

MOST_APPROVED = 10_000  # documents of one approval: a lot's worth


class Acts:
    """What quality does with documents, each an entry of the ledger itself."""

    def __init__(
        self,
        store: Store,
        keeper: LedgerKeeper,
        printer: PrinterPlan | None,
        approvals: ApprovalsPlan,
    ) -> None:
        self.store, self.keeper, self.printer = store, keeper, printer
        self.approvals = approvals

    async def revoke(self, number: str, reason: str, by: Signer) -> str:
        """Have a document count no longer; gives the revocation's number.

        Raises NotFound, and WrongState for what is revoked already or is no such document.
        """

        def look(conn: sqlite3.Connection) -> LedgerEntry:
            entry = ledger.get_numbered(conn, number)
            if entry.kind not in REVOCABLE:
                raise WrongState(
                    f"{number} is a document of kind {entry.kind}, which is not revoked; it stays."
                )
            if ledger.acts_on(conn, number).revocation:
                raise WrongState(f"{number} is revoked already.")
            return entry

        entry = await self.store.read(look)
        body = revocation_body(number, entry.document_digest, entry.serial, reason, by)
        draft = Draft("revocation", body, about=(number,))

        def once(conn: sqlite3.Connection, made: LedgerEntry) -> None:
            if len(ledger.numbers_of_acts(conn, number, "revocation")) > 1:
                raise WrongState(f"{number} was revoked by somebody else just now.")
            audit.note(conn, by.account, "revoke", number, f"{made.number}: {reason}")

        return await self._enter(draft, once)

    async def approve(self, numbers: Sequence[str], lot: str, note: str, by: Signer) -> str:
        """Approve documents, or those of a lot that count; gives the approval's number.

        Raises NotFound, NotAllowed for who does not approve here, and NotReady naming each document
        that this person cannot approve, or that has as many approvals as it needs.
        """
        if self.approvals.by and by.account not in self.approvals.by:
            who = " and ".join(self.approvals.by)
            raise NotAllowed(f"At this site {who} approve documents (site file, approvals.by).")

        def look(conn: sqlite3.Connection) -> list[tuple[str, str]]:
            if lot:
                found = [
                    row.number
                    for row in ledger.standing_of_lot(conn, lot)
                    if row.kind != "nonconformance"
                    and not _why_not_approved(conn, row.number, by.account, self.approvals)
                ]
                if not found:
                    raise WrongState(
                        f"Lot {lot} has no document that waits for an approval of yours."
                    )
                chosen = found
            else:
                chosen = list(dict.fromkeys(numbers))
            _check_approvable(conn, chosen, by.account, self.approvals)
            return [
                (number, ledger.get_numbered(conn, number).document_digest) for number in chosen
            ]

        documents = await self.store.read(look)
        about = tuple(number for number, _ in documents)
        draft = Draft("approval", approval_body(documents, lot, note, by), about=about, lot=lot)

        def still(conn: sqlite3.Connection, made: LedgerEntry) -> None:
            _check_approvable(conn, about, by.account, self.approvals, made.number)
            audit.note(conn, by.account, "approve", lot or ", ".join(about)[:200], made.number)

        return await self._enter(draft, still)

    async def draw_again(self, number: str, by: str) -> None:
        """Have the paper of a document made again, whatever became of the one that was made."""

        def keep(conn: sqlite3.Connection) -> None:
            entry = ledger.get_numbered(conn, number)
            if not KINDS[entry.kind].has_paper:
                raise WrongState(f"{number} is a document of kind {entry.kind}: it has no paper.")
            outbox.add_outgoing(conn, PAPER, number, {"again": "yes"})
            audit.note(conn, by, "draw again", number)

        await self.store.write(keep)
        self.keeper.sender.look()

    async def print(self, number: str, by: str) -> None:
        """Have the paper of a document printed once more, as it stands by then."""
        if self.printer is None:
            raise WrongState(f"This site has no printer; {NO_PRINTER}.")

        def keep(conn: sqlite3.Connection) -> None:
            entry = ledger.get_numbered(conn, number)
            if not KINDS[entry.kind].has_paper:
                raise WrongState(f"{number} is a document of kind {entry.kind}: it has no paper.")
            outbox.add_outgoing(conn, PRINT, number, {})
            audit.note(conn, by, "print", number)

        await self.store.write(keep)
        self.keeper.sender.look()

    async def revocations(self) -> str:
        """The list of revocations as of now (JWS)."""

        def look(conn: sqlite3.Connection) -> RevocationList:
            return revocation_list(conn, self.keeper.site)

        listed = await self.store.read(look)
        return listed.sign(self.keeper.keys.documents)

    async def _enter(
        self, draft: Draft, keep: Callable[[sqlite3.Connection, LedgerEntry], None]
    ) -> str:
        return await self.keeper.enter_one(Entering(draft, keep=keep))


def _check_approvable(
    conn: sqlite3.Connection,
    numbers: Sequence[str],
    account: str,
    plan: ApprovalsPlan,
    but: str = "",
) -> None:
    """Raise NotReady naming each document that no approval can be given to."""
    findings = []
    if not 0 < len(numbers) <= MOST_APPROVED:
        told = "needs one document at least", f"name some, {MOST_APPROVED} at most."
        findings.append(Finding("numbers", *told))
    for index, number in enumerate(numbers):
        if reason := _why_not_approved(conn, number, account, plan, but):
            findings.append(Finding(f"numbers[{index}]", f"{number} {reason}"))
    if findings:
        raise NotReady.because(findings)


def _why_not_approved(
    conn: sqlite3.Connection, number: str, account: str, plan: ApprovalsPlan, but: str = ""
) -> str:
    """Why a document takes no approval of this account; ``but`` is the one that is being made."""
    entry = ledger.get_numbered(conn, number)
    if entry.kind not in APPROVABLE:
        return f"is a document of kind {entry.kind}, which is not approved; leave it out."
    acts = ledger.acts_on(conn, number)
    if acts.revocation:
        return "is revoked; leave it out."
    if acts.superseded_by:
        return f"is superseded by {acts.superseded_by}; approve that one."
    told = [json.loads(each)["document"] for each in acts.approvals]
    given = {
        each["approved_by"]["account"]: each["number"] for each in told if each["number"] != but
    }
    if len(given) >= plan.needed:
        return f"is approved already ({', '.join(given.values())}); leave it out."
    if account in given:
        return f"is approved by you already ({given[account]}); somebody else has to as well."
    if not plan.by_tester and ledger.tester_of(conn, number) == account:
        return "is of a run that you started; somebody else has to approve it."
    return ""


def revocation_list(conn: sqlite3.Connection, site: str) -> RevocationList:
    """Which documents of the ledger count no longer."""
    revoked, superseded = ledger.revoked_and_superseded(conn)
    last = ledger.last_entry(conn)
    return RevocationList(
        site,
        now(),
        0 if last is None else last.position,
        {
            each.number: {
                "digest": each.digest,
                "by": each.revocation,
                "at": each.at,
                "reason": each.reason,
            }
            for each in revoked
        },
        dict(superseded),
    )
