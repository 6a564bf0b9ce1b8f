"""The site key's file: made once for a site that has issued nothing, and never replaced unasked.

A certificate is worth what its key is worth. A key that is missing, or another than the one that
the records were sealed with, is therefore no reason to make a new one but to stop and say so.
"""

from pathlib import Path

from joserfc.jwk import OKPKey

from loricate.certificates.key_files import check_private, write_private
from loricate.certificates.sealing import SealError, SiteKey, site_key_of


def _purpose(path: Path) -> str:
    """The option that says which key is meant, by its file."""
    return " --for papers" if path.suffix == ".p12" else ""


class KeyMissing(SealError):
    """The records were sealed with a key whose file is not there."""

    def __init__(self, path: Path, kid: str) -> None:
        super().__init__(path, kid)
        self.path, self.kid = path, kid

    def __str__(self) -> str:
        return (
            f"The site key {self.path} is missing, and these records are sealed with it "
            f"({self.kid[:12]}…). Put it back from where the keys are kept; if it is lost for "
            f"good, `loricate key replace --data {self.path.parent}{_purpose(self.path)}` begins "
            "with a new one and keeps the old public key for what was issued. Nothing was changed."
        )


class KeyDoesNotFit(SealError):
    """The key in the file is another than the records'."""

    def __init__(self, path: Path, found: str, kid: str) -> None:
        super().__init__(path, found, kid)
        self.path, self.found, self.kid = path, found, kid

    def __str__(self) -> str:
        return (
            f"The site key {self.path} ({self.found[:12]}…) is not the one that these records are "
            f"sealed with ({self.kid[:12]}…). Put the right one back, or the records that go with "
            f"this one; to go over to a new key on purpose, take the file away and give `loricate "
            f"key replace --data {self.path.parent}{_purpose(self.path)}`. Nothing was changed."
        )


def open_site_key(path: Path, kid: str) -> SiteKey:
    """Read the key named ``kid``; a site that has none yet (empty ``kid``) gets one.

    Raises KeyMissing, KeyDoesNotFit, KeyIsOpen, and SealError for a file that is no key.
    """
    if not path.exists():
        if kid:
            raise KeyMissing(path, kid)
        return make_site_key(path)
    key = read_site_key(path)
    if kid and key.kid != kid:
        raise KeyDoesNotFit(path, key.kid, kid)
    return key


def read_site_key(path: Path) -> SiteKey:
    """The key of a file; raises KeyIsOpen, and SealError for a file that is no key."""
    check_private(path)
    try:
        return site_key_of(path.read_bytes())
    except SealError as error:
        raise SealError(f"{path}: {error} Put the site key back from where it is kept.") from error


def make_site_key(path: Path) -> SiteKey:
    """Make a key that only the owner can read, and never in place of another."""
    key = SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False))
    write_private(path, key.pem)
    return key
