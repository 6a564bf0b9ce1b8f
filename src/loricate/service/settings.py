"""What a service is started with."""

from dataclasses import dataclass, field
from pathlib import Path

from loricate.service.keyring import KeyFiles
from loricate.service.site_file import BESIDE_BENCH, SitePlan, read_site_plan


@dataclass(frozen=True, slots=True)
class FirstAccount:
    """An account that the service makes sure of when it starts."""

    name: str
    full_name: str
    role: str
    password: str = field(repr=False)


@dataclass(frozen=True, slots=True)
class Reached:
    """How the service is reached: by which names, through which proxies, with which certificate.

    Without ``hosts`` any name in a request's Host is answered; only ``proxies`` are believed when
    they say for whom they ask.
    """

    hosts: tuple[str, ...] = ()
    proxies: tuple[str, ...] = ()
    tls_cert: Path | None = None
    tls_key: Path | None = None


DIRECTLY = Reached()


@dataclass(frozen=True, slots=True)
class Settings:
    """Where things are, and how the service is reached from outside."""

    bench_file: Path
    data_folder: Path
    base_url: str
    console_folder: Path | None = None
    site_file: Path | None = None  # by default site.toml beside the bench file, if there is one
    accounts: tuple[FirstAccount, ...] = ()
    least_free_bytes: int = 16 * 2**20
    reached: Reached = DIRECTLY
    # Whether whoever changed a draft last may not release it; None: where there are two engineers.
    second_person: bool | None = None
    idle_minutes: float = 120.0  # after which an unused session has ended
    metrics_token: str = field(default="", repr=False)  # for whoever reads /metrics
    kinds: tuple[str, ...] = ()  # modules with kinds of step beside those that ship
    head_folders: tuple[Path, ...] = ()  # where signed heads of the ledger are kept as well
    paper_key: Path | None = None  # the site's own key for papers (PKCS#12)
    paper_passphrase: str = field(default="", repr=False)

    @property
    def site(self) -> SitePlan:
        """What the site chose; raises DocumentError for a file that is wrong."""
        beside = self.bench_file.with_name(BESIDE_BENCH)
        return read_site_plan(self.site_file or beside, must_be=self.site_file is not None)

    @property
    def database(self) -> Path:
        """The records' file."""
        return self.data_folder / "records.sqlite"

    @property
    def pictures(self) -> Path:
        """The folder of pictures, named by digest."""
        return self.data_folder / "pictures"

    @property
    def site_folder(self) -> Path:
        """Where files that the site file names are looked for."""
        return (self.site_file or self.bench_file).parent

    @property
    def key_files(self) -> KeyFiles:
        """Where the site's keys are."""
        return KeyFiles(self.data_folder, self.paper_key, self.paper_passphrase)
