"""The ledger: its chain, every cell of an entry, its papers, and the heads kept outside."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest

from loricate.certificates.agreeing import KeptPaper, check_entry, check_ledger
from loricate.certificates.heads import Head, last_numbers, ledger_faults, read_heads
from loricate.certificates.issue import KINDS, Draft, issued
from loricate.certificates.ledger import GENESIS, entry_hash, follow
from loricate.certificates.making import make_paper
from loricate.certificates.sealing import Sort, canonical, seal
from loricate.papers.look import Look
from loricate.records.ledger import LedgerEntry
from tests.certificates.made import INES, digest, document, keys, paper_key, place, site_key

BODIES: dict[str, tuple[dict[str, Any], tuple[str, ...]]] = {
    "lot": ({"lot": {"code": "L-9"}}, ()),
    "report": ({"title": "A week"}, ()),
    "revocation": ({"revokes": {"number": "C-2026-000001"}, "reason": "r",
                    "revoked_by": INES.told}, ("C-2026-000001",)),
    "approval": ({"approves": [{"number": "C-2026-000002"}, {"number": "C-2026-000001"}],
                  "lot": "L-9", "note": "", "approved_by": INES.told},
                 ("C-2026-000001", "C-2026-000002")),
}  # fmt: skip


def entry_of(
    told: dict[str, Any], position: int, previous: str, about: tuple[str, ...] = ()
) -> LedgerEntry:
    """The entry of a document in its place."""
    found = digest(told)
    lot = told["unit"]["lot"] if "unit" in told else ("L-9" if "lot" in told else "")
    return LedgerEntry(
        position, told["number"], told["kind"], None, told.get("unit", {}).get("serial", ""), lot,
        told["issued_at"], found, previous,
        entry_hash(position, told["number"], found, previous), seal(told, site_key()), None, about,
    )  # fmt: skip


def entries() -> list[LedgerEntry]:
    """A sound ledger with a document of every kind; the first three have papers."""
    made: list[LedgerEntry] = []
    previous = GENESIS
    for position in range(1, 4):
        number = f"C-2026-{position:06}"
        told = {**document(number), "supersedes": "",
                "ledger": {"position": position, "previous": previous}}  # fmt: skip
        made.append(entry_of(told, position, previous))
        pdf = make_paper(made[-1].sealed, paper_key(), Look())
        KEPT[number] = [KeptPaper("d", pdf)]
        previous = made[-1].hash
    for position, (kind, (body, about)) in enumerate(BODIES.items(), start=4):
        at = place(f"{kind[0].upper()}-2026-000001", position, previous)
        told = issued(Draft(kind, body), at)
        made.append(entry_of(told, position, previous, about))
        previous = made[-1].hash
    return made


KEPT: dict[str, list[KeptPaper]] = {}
LEDGER = entries()
OTHER: dict[str, Any] = {
    "number": "C-2026-000009", "kind": "nonconformance", "serial": "DC40-26-0999", "lot": "L-8",
    "issued_at": "2026-11-26T08:01:00.000Z", "document_digest": digest({"n": 99}),
    "previous": digest({"n": 98}), "hash": digest({"n": 97}), "supersedes": "C-2026-000001",
    "sealed": LEDGER[0].sealed, "position": 9, "about": ("C-2026-000003",),
}  # fmt: skip


def papers(number: str) -> Iterator[KeptPaper]:
    """The papers of a number."""
    yield from KEPT.get(number, [])


def test_a_whole_ledger_of_every_kind_has_no_fault() -> None:
    assert {entry.kind for entry in LEDGER} | {"nonconformance"} == set(KINDS)
    assert check_ledger(LEDGER, keys(), papers).faults == ()
    assert check_ledger([], keys(), papers).faults == ()


def test_a_removed_entry_breaks_the_chain() -> None:
    chain = [*LEDGER[:2], *LEDGER[3:]]
    assert "Entry 3 is missing; L-2026-000001 stands in its place." in follow(chain).faults


@pytest.mark.parametrize("cell", OTHER)
@pytest.mark.parametrize("place_in_ledger", [2, 3, 5, 6])
def test_every_cell_of_an_entry_is_held_against_its_seal(cell: str, place_in_ledger: int) -> None:
    """Also with a chain that was made anew over what was changed."""
    changed = replace(LEDGER[place_in_ledger], **{cell: OTHER[cell]})
    assert not check_entry(changed, keys(), papers, redraws=False).genuine
    anew = entry_hash(changed.position, changed.number, changed.document_digest, changed.previous)
    if cell != "hash":
        again = replace(changed, hash=anew)
        assert not check_entry(again, keys(), papers, redraws=False).genuine


def test_the_cells_tried_are_all_that_a_document_tells_of() -> None:
    assert OTHER.keys() | {"run_unit_id"} == set(LedgerEntry.__dataclass_fields__)


@pytest.mark.parametrize(
    ("kept", "says"),
    [
        (KeptPaper("d", None), "gone or was changed"),
        (KeptPaper("d", KEPT["C-2026-000001"][0].data), "of another document"),
        (KeptPaper("d", b"%PDF-2.0 nonsense"), "cannot be read"),
    ],
)
def test_a_paper_that_is_gone_or_anothers_is_told(kept: KeptPaper, says: str) -> None:
    (fault,) = check_entry(LEDGER[1], keys(), lambda number: [kept]).faults
    assert says in fault


def test_a_document_whose_paper_is_still_to_be_made_is_whole() -> None:
    assert check_entry(LEDGER[1], keys(), lambda number: []).genuine


def head(count: int, hashed: str = "") -> Head:
    """A head of the sound ledger after so many entries."""
    return Head("Quillmere Apparatus", "BENCH-2", "2026-11-26T08:00:00.000Z", count,
                hashed or LEDGER[count - 1].hash, {"C-2026": count})  # fmt: skip


def test_heads_kept_outside_show_what_the_chain_cannot() -> None:
    hashes = follow(LEDGER).hashes
    assert ledger_faults([head(2), head(5)], hashes) == []
    (cut,) = ledger_faults([head(2), head(5)], follow(LEDGER[:3]).hashes)
    assert "5 entries; it has 3 now" in cut
    (emptied,) = ledger_faults([head(1)], {})
    assert "it has 0 now" in emptied
    (anew,) = ledger_faults([head(2, digest({"n": 1}))], hashes)
    assert "chained anew" in anew


def test_only_heads_that_the_site_signed_count() -> None:
    texts = [
        head(2).sign(site_key()), head(5).sign(site_key("other")), "nonsense", "", "a.b.c",
        site_key().sign(canonical({"position": 9}), Sort.DOCUMENT),
    ]  # fmt: skip
    found = read_heads(texts, {"keys": [site_key().public_jwk]})
    assert found.heads == [head(2)] and last_numbers(found.heads) == {"C-2026": 2}
    assert found.strange == 5 and "not those of before" in found.faults[0]
