"""Sealing: keys that are kept, documents that are sealed, and every change to one told."""

import base64
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from joserfc.jwk import OKPKey
from jwt import PyJWS
from jwt.algorithms import OKPAlgorithm
from jwt.exceptions import InvalidSignatureError

from loricate.certificates.acts import RevocationList
from loricate.certificates.key_files import KeyIsOpen
from loricate.certificates.sealing import (
    SealError,
    SiteKey,
    Sort,
    canonical,
    opened,
    seal,
)
from loricate.certificates.site_key import (
    KeyDoesNotFit,
    KeyMissing,
    make_site_key,
    open_site_key,
)
from loricate.certificates.standing_file import SealedStanding
from loricate.certificates.verifying import verify
from tests.certificates.made import approval, digest, document, keys, revocation, sealed, site_key


@pytest.fixture
def key(tmp_path: Path) -> SiteKey:
    return make_site_key(tmp_path / "site-key.pem")


@pytest.fixture
def other_key(tmp_path: Path) -> SiteKey:
    return make_site_key(tmp_path / "other.pem")


def test_the_key_is_made_once_and_only_its_owner_can_read_it(tmp_path: Path) -> None:
    path = tmp_path / "keys" / "site-key.pem"
    first = open_site_key(path, "")
    assert path.stat().st_mode & 0o777 == 0o600
    assert open_site_key(path, first.kid).public_jwk == first.public_jwk
    assert "d" not in first.public_jwk, "the private half stays here"
    with pytest.raises(FileExistsError):
        make_site_key(path)


def test_a_key_that_is_missing_or_another_is_never_replaced(tmp_path: Path) -> None:
    path = tmp_path / "site-key.pem"
    with pytest.raises(KeyMissing, match="Put it back"):
        open_site_key(path, "a-kid-of-before")
    assert not path.exists()
    made = make_site_key(path).pem
    with pytest.raises(KeyDoesNotFit, match="Put the right one back"):
        open_site_key(path, "a-kid-of-before")
    for spoilt in (b"", b"no key", make_public(path)):
        path.write_bytes(spoilt)
        with pytest.raises(SealError, match="Put the site key back"):
            open_site_key(path, "")
        assert path.read_bytes() == spoilt != made


def make_public(path: Path) -> bytes:
    """The public half of a key's file."""
    found: bytes = open_site_key(path, "").key.as_pem(private=False)
    return found


def test_a_sealed_document_is_genuine(key: SiteKey) -> None:
    found = verify(seal(document(), key).encode(), key.public_jwk)
    assert found.genuine and found.document == document()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["steps"][1]["readings"][0].update(value=0.01),
         "steps[1].readings[0].value reads 0.01; the signed value is 0.08."),
        (lambda d: d["unit"].update(serial="DC40-26-0999"), "unit.serial reads"),
        (lambda d: d.pop("gate"), "gate was removed"),
        (lambda d: d.update(extra=1), "extra was added"),
        (lambda d: d["steps"].pop(), "steps reads"),
        (lambda d: d["unit"].update(product_revision=True),
         "unit.product_revision reads true; the signed value is 1."),
        (lambda d: d.update(verdict=float("nan")), "NaN, which is no number"),
        (lambda d: d.update(verdict=2**60), "verdict reads 1152921504606846976"),
    ],
)  # fmt: skip
def test_a_changed_document_is_told_with_the_place(
    key: SiteKey, change: Callable[[dict[str, Any]], object], says: str
) -> None:
    sealed = json.loads(seal(document(), key))
    change(sealed["document"])
    found = verify(json.dumps(sealed).encode(), key.public_jwk)
    assert any(says in fault for fault in found.faults), found.faults


def test_a_changed_signature_is_told(key: SiteKey) -> None:
    sealed = json.loads(seal(document(), key))
    sealed["jws"] = sealed["jws"][:-6] + "AAAAAA"
    (fault,) = verify(json.dumps(sealed).encode(), key.public_jwk).faults
    assert "signature does not match" in fault


def test_another_sites_key_is_told(key: SiteKey, other_key: SiteKey) -> None:
    (fault,) = verify(seal(document(), key).encode(), other_key.public_jwk).faults
    assert "another key" in fault


@pytest.mark.parametrize("data", [b"", b"[]", b'{"document": 1, "jws": 2}', b"%PDF-1.7 nonsense"])
def test_what_is_no_certificate_is_told(key: SiteKey, data: bytes) -> None:
    assert not verify(data, key.public_jwk).genuine


def test_a_key_that_is_none_is_told(key: SiteKey) -> None:
    (fault,) = verify(seal(document(), key).encode(), {"kty": "RSA"}).faults
    assert "not an Ed25519 public key" in fault


def _twice(sealed: str) -> str:
    return sealed.replace('"verdict": "pass"', '"verdict": "fail", "verdict": "pass"', 1)


def _page_seal_for_document(sealed: str, key: SiteKey) -> str:
    content = {"number": "C-2026-000007", "document": "x", "bytes": 1, "at": 1, "rest": "y"}
    return json.dumps({"document": content, "jws": key.sign(canonical(content), Sort.PAPER)})


def _head_for_document(sealed: str, key: SiteKey) -> str:
    content = {**document()}
    return json.dumps({"document": content, "jws": key.sign(canonical(content), Sort.HEAD)})


def _sealed_but_no_certificate(sealed: str, key: SiteKey) -> str:
    return seal({"number": "C-2026-000007"}, key)


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda sealed, key: _twice(sealed), "'verdict' twice"),
        (lambda sealed, key: sealed.replace("{", '{"note": "and more",', 1), "and no more"),
        (lambda sealed, key: sealed.replace("{", '{"standing": {},', 1), "another form"),
        (lambda sealed, key: '{"document":' + "[" * 100_000, "deeper than"),
        (lambda sealed, key: '{"document":' + '{"a":' * 1_000 + "1" + "}" * 1_001, "deeper than"),
        (lambda sealed, key: '{"document": ' + "9" * 5_000 + "}", "5000 digits"),
        (_page_seal_for_document, "for something else: loricate-paper+jws"),
        (_head_for_document, "for something else: loricate-ledger-head+jws"),
        (_sealed_but_no_certificate, "no document of a form that was ever issued"),
        (lambda sealed, key: sealed + sealed, "not JSON"),
    ],
)  # fmt: skip
def test_what_could_be_read_in_another_way_is_not_genuine(
    key: SiteKey, spoil: Callable[[str, SiteKey], str], says: str
) -> None:
    found = verify(spoil(seal(document(), key), key).encode(), key.public_jwk)
    assert not found.genuine and says in found.faults[0], found.faults


@pytest.mark.parametrize("header", [b"[]", b"{}", b"[" * 9_000, b'{"alg":"none"}', b"\xff", b"1"])
def test_a_seal_without_an_orderly_header_is_told(key: SiteKey, header: bytes) -> None:
    first = base64.urlsafe_b64encode(header).rstrip(b"=").decode()
    with pytest.raises(SealError):
        opened(f"{first}.e30.AAAA", key.public_jwk, Sort.DOCUMENT)


def test_a_key_set_has_the_keys_of_before(key: SiteKey, other_key: SiteKey) -> None:
    both = {"keys": [other_key.public_jwk, key.public_jwk]}
    assert verify(seal(document(), key).encode(), both).genuine
    (fault,) = verify(seal(document(), key).encode(), {"keys": [other_key.public_jwk]}).faults
    assert "does not have" in fault


def test_a_key_that_others_can_read_is_refused_with_the_remedy(tmp_path: Path) -> None:
    path = tmp_path / "site-key.pem"
    make_site_key(path)
    for mode in (0o640, 0o604, 0o620, 0o777):
        path.chmod(mode)
        with pytest.raises(KeyIsOpen, match=f"chmod 600 {path}"):
            open_site_key(path, "")
    path.chmod(0o600)
    assert open_site_key(path, "")


def listed(**more: Any) -> RevocationList:
    """A list on which nothing stands but what is given."""
    return RevocationList("Quillmere", "2026-11-26T10:00:00.000Z", 9, **more)


def test_a_list_of_revocations_tells_what_counts_no_longer() -> None:
    told = {"digest": digest(document()), "by": "X-2026-000001", "at": "2026-11-26",
            "reason": "out of tolerance"}  # fmt: skip
    text = sealed().encode()
    clean = verify(text, keys(), listed().sign(site_key()))
    assert clean.counts and "2026-11-26T10:00:00.000Z" in clean.checked[-1]
    revoked = verify(text, keys(), listed(revoked={document()["number"]: told}).sign(site_key()))
    assert revoked.genuine and not revoked.counts and "out of tolerance" in revoked.revoked
    other = {**told, "digest": "0" * 64}  # the same number in another site's ledger
    assert verify(
        text, keys(), listed(revoked={document()["number"]: other}).sign(site_key())
    ).counts
    later = listed(superseded={document()["number"]: "C-2026-000009"}).sign(site_key())
    found = verify(text, keys(), later)
    assert not found.counts and found.standing.superseded_by == "C-2026-000009"
    assert "still counts" in " ".join(verify(text, keys()).unchecked)


@pytest.mark.parametrize("name", ["nonsense", "a.b.c", "of another site", "of another sort"])
def test_a_list_that_the_site_did_not_sign_is_a_fault_and_not_overlooked(name: str) -> None:
    spoilt = {
        "of another site": listed().sign(site_key("other")),
        "of another sort": site_key().sign(canonical({}), Sort.HEAD),
    }.get(name, name)
    found = verify(sealed().encode(), keys(), spoilt)
    assert not found.genuine and found.faults[0].startswith("The list of revocations")


def test_what_came_after_a_document_comes_with_it_and_is_checked() -> None:
    standing = SealedStanding("", revocation(document()), (approval(document()),))
    found = verify(standing.beside(sealed()).encode(), keys())
    assert found.genuine and not found.counts and "out of tolerance" in found.revoked
    assert found.standing.approvals[0]["approved_by"]["name"] == "Ines Quay"
    assert any("approval" in each for each in found.checked)


@pytest.mark.parametrize(
    ("standing", "says"),
    [
        (SealedStanding(approvals=(approval(document(), "other"),)), "that the key set does not"),
        (SealedStanding(approvals=(approval(document("C-2026-000008")),)), "of another document"),
        (SealedStanding(revocation=approval(document())), "not as it was sealed"),
        (SealedStanding(approvals=(revocation(document()),)), "not as it was sealed"),
        (SealedStanding(approvals=(approval(document()).replace("Ines", "Olle"),)), "not as it"),
        (SealedStanding(approvals=(sealed(),)), "not as it was sealed"),
        (SealedStanding(approvals=("[]",)), "not a sealed document"),
    ],
)
def test_an_act_of_another_document_site_or_kind_is_no_act_on_this_one(
    standing: SealedStanding, says: str
) -> None:
    found = verify(standing.beside(sealed()).encode(), keys())
    assert not found.genuine and says in found.faults[0], found.faults
    assert found.standing.approvals == () and not found.checked


def test_software_that_knows_only_eddsa_verifies_a_seal(key: SiteKey) -> None:
    """As the documentation tells others to: an independent library, and the older name."""
    others = PyJWS(algorithms=[])
    others.register_algorithm("Ed25519", OKPAlgorithm())
    public: Any = OKPAlgorithm.from_jwk(json.dumps(key.public_jwk))
    told = json.loads(seal(document(), key))
    assert others.decode(told["jws"], public, algorithms=["Ed25519"]) == canonical(document())
    jwk = SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False)).public_jwk
    other: Any = OKPAlgorithm.from_jwk(json.dumps(jwk))
    with pytest.raises(InvalidSignatureError):
        others.decode(told["jws"], other, algorithms=["Ed25519"])


def test_a_seal_by_the_older_name_of_its_algorithm_is_understood(key: SiteKey) -> None:
    headers = {"kid": key.kid, "typ": Sort.DOCUMENT.value}
    private: Any = OKPAlgorithm.from_jwk(json.dumps(key.key.as_dict(private=True)))
    compact = PyJWS().encode(canonical(document()), private, "EdDSA", headers)
    assert opened(compact, key.public_jwk, Sort.DOCUMENT) == canonical(document())
    with pytest.raises(SealError, match="something else"):
        opened(compact, key.public_jwk, Sort.HEAD)
    changed = compact[:-4] + ("AAAA" if not compact.endswith("AAAA") else "BBBB")
    with pytest.raises(SealError, match="does not match"):
        opened(changed, key.public_jwk, Sort.DOCUMENT)


@pytest.mark.parametrize("sort", Sort)
def test_a_seal_of_much_is_as_good_as_one_of_little(key: SiteKey, sort: Sort) -> None:
    """Hundreds of readings, or thousands of revocations."""
    payload = canonical({"points": [f"point {number}" for number in range(90_000)]})
    assert len(payload) > 1_000_000
    compact = key.sign(payload, sort)
    assert opened(compact, key.public_jwk, sort) == payload
    with pytest.raises(SealError, match="does not match"):
        opened(f"{compact[:-8]}{'A' * 8}", key.public_jwk, sort)
