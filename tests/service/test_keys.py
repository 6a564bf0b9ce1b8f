"""Keys: prepared before they are used, changed while the service runs, and never lost or open."""

import asyncio
import datetime as dt
import sqlite3
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.hazmat.primitives.serialization import BestAvailableEncryption, pkcs12
from cryptography.x509.oid import NameOID

from loricate.certificates.key_files import KeyIsOpen
from loricate.certificates.making import make_paper
from loricate.certificates.paper_key import make_paper_key, paper_key_of
from loricate.certificates.sealing import SealError, seal
from loricate.certificates.site_key import KeyDoesNotFit, KeyMissing
from loricate.certificates.verifying import verify
from loricate.papers.look import Look
from loricate.records import site_keys
from loricate.records.site_keys import DOCUMENTS, PAPERS
from loricate.records.store import Store, migrate
from loricate.service.errors import WrongState
from loricate.service.keyring import KeyFiles, Keyring, check_keys
from tests.certificates.made import document

SITE = "Quillmere Apparatus"


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path / "records.sqlite")


def ring(store: Store, own: Path | None = None, passphrase: str = "") -> Keyring:
    """The keys as a service that starts has them."""
    return Keyring(store, KeyFiles(store.path.parent, own, passphrase), SITE)


def known(store: Store) -> dict[str, object]:
    """The public key set."""
    return store.read_now(site_keys.key_set)


def test_a_new_site_gets_a_key_of_each_sort_that_only_its_owner_can_read(store: Store) -> None:
    keys = ring(store)
    for name in ("site-key.pem", "paper-key.p12"):
        assert (store.path.parent / name).stat().st_mode & 0o777 == 0o600
    assert keys.papers.subject == SITE
    again = ring(store)
    assert (again.documents.kid, again.papers.kid) == (keys.documents.kid, keys.papers.kid)
    private = {"d", "p", "q"}
    for each in known(store)["keys"]:  # type: ignore[attr-defined]
        assert not private & each.keys(), "the private half stays here"


async def is_genuine(pdf: bytes, keys: dict[str, object]) -> bool:
    """Whether a paper verifies, beside the loop: the signatures are checked on one of their own."""
    return (await asyncio.to_thread(verify, pdf, keys)).genuine


async def paper_of(keys: Keyring) -> bytes:
    """A paper that these keys sign, made beside the loop."""
    sealed = seal(document(), keys.documents)
    return await asyncio.to_thread(make_paper, sealed, keys.papers, Look())


@pytest.mark.parametrize("purpose", [DOCUMENTS, PAPERS])
async def test_the_next_key_is_known_before_it_is_used_and_the_former_stays(
    store: Store, purpose: str
) -> None:
    keys = ring(store)
    before = await paper_of(keys)
    next_kid = await keys.prepare(purpose, "ada")
    assert await is_genuine(await paper_of(keys), known(store))
    with pytest.raises(WrongState, match="prepared already"):
        await keys.prepare(purpose, "ada")
    handed_out = known(store)  # what a customer got before the change
    away = await keys.begin(next_kid, "ada")
    assert away.is_file() and away.stat().st_mode & 0o777 == 0o600
    used = keys.documents.kid if purpose == DOCUMENTS else keys.papers.kid
    assert used == next_kid
    after = await paper_of(keys)
    for pdf in (before, after):
        assert await is_genuine(pdf, handed_out), "those who had the keys before verify both"
    assert ring(store).documents.kid == keys.documents.kid
    with pytest.raises(WrongState, match="in use already"):
        await keys.begin(next_kid, "ada")


@pytest.mark.parametrize("purpose", [DOCUMENTS, PAPERS])
@pytest.mark.parametrize("files_done", [0, 1])
async def test_a_service_that_dies_while_a_key_changes_finds_it_changed(
    store: Store, purpose: str, files_done: int
) -> None:
    """The records say so first; the files follow at the next start."""
    keys = ring(store)
    next_kid = await keys.prepare(purpose, "ada")
    store.write_now(lambda conn: site_keys.begin_key(conn, next_kid))
    files = KeyFiles(store.path.parent)
    if files_done:
        files.current(purpose).rename(files.put_away(purpose))
    check_keys(store.path, files)
    again = ring(store)
    assert (again.documents.kid if purpose == DOCUMENTS else again.papers.kid) == next_kid
    assert not files.next(purpose).exists()


async def test_a_key_that_was_not_prepared_is_not_begun(store: Store) -> None:
    keys = ring(store)
    former = keys.documents.kid
    await keys.begin(await keys.prepare(DOCUMENTS, "ada"), "ada")
    with pytest.raises(WrongState, match="not prepared"):
        await keys.begin(former, "ada")


def test_a_key_that_does_not_fit_the_records_is_refused(store: Store) -> None:
    ring(store)
    folder = store.path.parent
    path = folder / "paper-key.p12"
    kept = path.read_bytes()
    path.unlink()
    with pytest.raises(KeyMissing):
        check_keys(store.path, KeyFiles(folder))
    make_paper_key(path, SITE)
    with pytest.raises(KeyDoesNotFit):
        check_keys(store.path, KeyFiles(folder))
    path.write_bytes(kept)
    check_keys(store.path, KeyFiles(folder))
    path.chmod(0o644)
    with pytest.raises(KeyIsOpen, match="chmod 600"):
        check_keys(store.path, KeyFiles(folder))


def own_key(
    folder: Path, curve: ec.EllipticCurve | None = None, days: int = 10, begin: int = 0
) -> Path:
    """A PKCS#12 file of the site's own, with a passphrase."""
    private: ec.EllipticCurvePrivateKey | rsa.RSAPrivateKey
    if curve is None:
        private = rsa.generate_private_key(65537, 2048)
    else:
        private = ec.generate_private_key(curve)
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Quillmere Quality")])
    start = dt.datetime.now(dt.UTC) + dt.timedelta(days=begin)
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(private.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(start)
        .not_valid_after(start + dt.timedelta(days=days))
        .sign(private, hashes.SHA256())
    )
    data = pkcs12.serialize_key_and_certificates(
        b"own", private, certificate, None, BestAvailableEncryption(b"secret words")
    )
    path = folder / "own.p12"
    path.unlink(missing_ok=True)
    path.touch(mode=0o600)
    path.write_bytes(data)
    return path


def test_a_sites_own_key_signs_papers_and_the_former_stays_known(
    store: Store, tmp_path: Path
) -> None:
    keys = ring(store)
    before = make_paper(seal(document(), keys.documents), keys.papers, Look())
    own = own_key(tmp_path, ec.SECP256R1())
    check_keys(store.path, KeyFiles(tmp_path, own, "secret words"))
    keys = ring(store, own, "secret words")
    assert keys.papers.subject == "Quillmere Quality"
    after = make_paper(seal(document(), keys.documents), keys.papers, Look())
    for pdf in (before, after):
        assert verify(pdf, known(store)).genuine


@pytest.mark.parametrize(
    ("made", "passphrase", "says"),
    [
        ({"curve": None}, "secret words", "not on the curve P-256"),
        ({"curve": ec.SECP384R1()}, "secret words", "not on the curve P-256"),
        ({"curve": ec.SECP256R1()}, "other words", "passphrase is another"),
        ({"curve": ec.SECP256R1()}, "", "needs a passphrase"),
        ({"curve": ec.SECP256R1(), "begin": 3}, "secret words", "give one that holds now"),
        ({"curve": ec.SECP256R1(), "begin": -30}, "secret words", "give one that holds now"),
    ],
)
def test_an_own_key_that_cannot_sign_papers_is_refused_at_the_start(
    store: Store, tmp_path: Path, made: dict[str, object], passphrase: str, says: str
) -> None:
    own = own_key(tmp_path, **made)  # type: ignore[arg-type]
    with pytest.raises(SealError, match=says):
        check_keys(store.path, KeyFiles(tmp_path, own, passphrase))


def test_what_is_no_key_is_told() -> None:
    with pytest.raises(SealError, match="no PKCS#12"):
        paper_key_of(b"nonsense")


def test_a_key_put_into_the_records_from_outside_is_found(store: Store, tmp_path: Path) -> None:
    """Somebody who can write the file could have their own key be known; the marks tell."""
    from loricate.records import marks

    ring(store)
    store.close()
    conn = sqlite3.connect(tmp_path / "records.sqlite")
    conn.execute(
        "INSERT INTO site_key (kid, purpose, jwk, since) VALUES ('k', 'papers', '{}', 'now')"
    )
    conn.execute("INSERT INTO key_begun (kid, at) VALUES ('k', 'now')")
    conn.commit()
    conn.row_factory = sqlite3.Row
    faults = list(marks.faults(conn))
    conn.close()
    assert len(faults) == 2 and all("key" in each.lower() for each in faults)
    assert migrate(tmp_path / "records.sqlite") == []
