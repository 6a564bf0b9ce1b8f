"""What every test may use: the demo's documents, and a whole demo site in processes of its own."""

import fcntl
import functools
import os
import shutil
import sqlite3
import tomllib
from collections.abc import AsyncIterator, Iterator, Mapping
from itertools import islice
from pathlib import Path
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # before numpy: small networks need no threads

import pytest
from argon2 import PasswordHasher
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis_settings
from xdist.scheduler import LoadFileScheduling  # type: ignore[import-untyped]

from loricate.client import Client
from loricate.commands import demo_site
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, facts_of
from loricate.records import definitions, regrading, searching, sequences
from loricate.records.store import migrate, open_connection
from loricate.service import guessing
from loricate.simulator.hands_link import Hands
from tests.rig import DEMO, Rig, connected_rig

# Nothing here is timed: a machine that is held up for a second has found no counterexample. Each
# property is tried as often as a whole run of all has time for; `EXAMPLES=1000 make test` by hand.
hypothesis_settings.register_profile(
    "untimed",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    max_examples=int(os.environ.get("EXAMPLES", "30")),
)
hypothesis_settings.load_profile("untimed")

# A service in this process hashes cheaply: what it costs is tried with one in its own.
guessing.hasher = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


class _ByFile(LoadFileScheduling):  # type: ignore[misc]  # it has no types
    """Tests of a file go to one process, for they share fixtures; those of the console go to one
    together: two browsers at once hold each other up."""

    def _split_scope(self, nodeid: str) -> str:
        file: str = super()._split_scope(nodeid)
        return "console" if file.startswith("tests/console/") else file


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> _ByFile:
    """How tests are spread over processes (``pytest -n 3``)."""
    return _ByFile(config, log)


PROFILES = Path(__file__).parents[1] / "src" / "loricate" / "bench" / "profiles"
PATIENT_DEADMAN_S = 5.0
SITE_PACE = 20.0


def read_demo(name: str) -> dict[str, Any]:
    """A demo document as plain data."""
    return tomllib.loads((DEMO / name).read_text(encoding="utf-8"))


def five_steps() -> dict[str, Any]:
    """The first five steps of the drying cabinet's final test, which most tests rest on."""
    document = read_demo("sequences/dc40-final.toml")
    steps = document["steps"][:5]
    del steps[2]["settings"]["seems_off_above"]  # what asks is tried in tests of its own
    return {**document, "steps": steps}


@pytest.fixture
def product() -> Product:
    """The drying cabinet."""
    return Product.model_validate(read_demo("products/dc-40.toml"))


@pytest.fixture
def limit_sets() -> dict[str, tuple[LimitSet, int]]:
    """The demo's limit sets, each at revision 1."""
    return demo_limit_sets()


def demo_limit_sets() -> dict[str, tuple[LimitSet, int]]:
    """The demo's limit sets, each at revision 1."""
    return {limit_set.code: (limit_set, 1) for limit_set in _read_limit_sets()}


@functools.cache
def _read_limit_sets() -> tuple[LimitSet, ...]:
    return tuple(
        LimitSet.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
        for path in (DEMO / "limit-sets").glob("*.toml")
    )


@pytest.fixture
def sequence_document() -> dict[str, Any]:
    """The demo sequence as written, its first five steps."""
    return five_steps()


@pytest.fixture
def sequence(
    sequence_document: dict[str, Any],
    product: Product,
    limit_sets: dict[str, tuple[LimitSet, int]],
) -> ReadySequence:
    """The demo sequence, ready to run."""
    return prepare(sequence_document, {product.code: product}, limit_sets)


@pytest.fixture
def conn(
    tmp_path: Path, sequence: ReadySequence, sequence_document: dict[str, Any]
) -> Iterator[sqlite3.Connection]:
    """A database (``r.sqlite``) with the demo's definitions."""
    migrate(tmp_path / "r.sqlite")
    conn = open_connection(tmp_path / "r.sqlite")
    definitions.add_document(conn, "product", "DC-40", read_demo("products/dc-40.toml"), "mara")
    for name in ("iec-60335-1-annex-a", "iec-60335-1-leakage"):
        document = read_demo(f"limit-sets/{name}.toml")
        definitions.add_document(conn, "limit_set", document["code"], document, "mara")
    sequences.store_draft(conn, facts_of(sequence), sequence_document, "mara")
    sequences.release(conn, "DC40-FINAL", 1, {"why": "for the tests"}, "mara")
    yield conn
    conn.close()


@pytest.fixture
async def rig() -> AsyncIterator[Rig]:
    """The demo bench on stand-ins in this process."""
    async with connected_rig() as rig:
        yield rig


def write_patient_profiles(folder: Path) -> None:
    """Profiles whose dead-man waits longer, for machines that hold processes up for a while.

    The dead-man's own tests use the profiles that ship.
    """
    (folder / "profiles").mkdir(parents=True, exist_ok=True)
    for path in PROFILES.glob("*.toml"):
        text = path.read_text(encoding="utf-8")
        patient = text.replace("DEADman:TIMeout 0.4", f"DEADman:TIMeout {PATIENT_DEADMAN_S:g}")
        patient = patient.replace('= "0.4"', f'= "{PATIENT_DEADMAN_S:g}"')
        (folder / "profiles" / path.name).write_text(patient, encoding="utf-8")


@pytest.fixture(scope="session")
def fit_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a demo site with fixtures that are fit, to be copied.

    The first process of the tests that wants it makes it, for all.
    """
    place = tmp_path_factory.getbasetemp()
    place = place.parent if "PYTEST_XDIST_WORKER" in os.environ else place
    with (place / "fit.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (place / "fit").exists():
            with demo_site.running_site(place / "being-made", SITE_PACE):
                pass
            (place / "being-made").rename(place / "fit")
    return place / "fit"


def copy_site(fit_folder: Path, to: Path) -> None:
    """Have a site with all that the demo has begin quickly; its dead-men are patient."""
    shutil.copytree(fit_folder, to, dirs_exist_ok=True)
    write_patient_profiles(to)


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory, fit_folder: Path) -> Iterator[dict[str, Any]]:
    """A demo site shared by tests that leave it usable: address, sign-in, ports, folder."""
    folder = tmp_path_factory.mktemp("site")
    copy_site(fit_folder, folder)
    with demo_site.running_site(folder, SITE_PACE) as sign_in:
        yield {**sign_in, "folder": folder}
    assert faults_of(folder / "records.sqlite") == [], "whatever was tested"


def faults_of(database: Path) -> list[str]:
    """What of records does not follow from their readings, or is not searched as it is recorded."""
    conn = open_connection(database, read_only=True)
    found = [*islice(regrading.disagreeing(conn), 5), *islice(searching.strays(conn), 5)]
    conn.close()
    return found


@pytest.fixture
def client(site: dict[str, Any]) -> Iterator[Client]:
    """A client signed in to the shared site as its engineer."""
    with Client(site["url"]) as client:
        client.sign_in(site["name"], site["password"])
        yield client


@pytest.fixture
def hands(site: dict[str, Any]) -> Iterator[Hands]:
    """The hands of the shared site; what they did is put back."""
    hands = Hands("127.0.0.1", site["ports"]["HANDS"])
    yield hands
    hands.restore()
    hands.do("HAND:GUAR 1")
    hands.printer("READY")
    hands.pace(SITE_PACE)


LEFT = "left as it is for this test"
SECOND, SECOND_PASSWORD = "second", "a second engineer's"


def second_engineer(client: Client) -> Client:
    """A client signed in as another engineer of the same site; close it after use."""
    other = Client(client.base_url)
    if SECOND not in [account.name for account in client.accounts()]:
        once = client.add_account(SECOND, "Second Engineer", "engineer").password
        other.sign_in(SECOND, once)
        other.change_password(once, SECOND_PASSWORD)
    other.sign_in(SECOND, SECOND_PASSWORD)
    return other


@pytest.fixture
def quality(site: dict[str, Any]) -> Iterator[Client]:
    """A client signed in to the shared site as its quality."""
    with Client(site["url"]) as other:
        other.sign_in(demo_site.QUALITY, site["password"])
        yield other


def release(client: Client, document: Mapping[str, Any]) -> None:
    """Store a sequence and release it, whatever its review finds; an error by somebody else."""
    code = client.add_sequence(document).code
    if client.sequence(code).status == "draft":
        found = client.review(code).findings
        left = {f"{each.rule}@{each.step}".removesuffix("@"): LEFT for each in found}
        if not any(each.severity == "error" for each in found):
            client.release_sequence(code, LEFT, left)
            return
        with second_engineer(client) as other:
            other.release_sequence(code, LEFT, left)


def finish(client: Client, run_id: str) -> None:
    """Follow a run to its end and its papers, answering each question with its first choice."""
    for event in client.events(run_id):
        if event.name == "question":
            client.answer(run_id, event.data["nest"], event.data["choices"][0])
    client.wait_for_papers(run_id)


def run_load(
    client: Client, load: dict[str, str], sequence: str = "DC40-FINAL", lot: str = ""
) -> str:
    """Run a load of FX-A to its end; gives the run's id."""
    run = client.create_run(sequence, "FX-A", load, lot=lot)
    client.arm_run(run.id)
    client.start_run(run.id)
    finish(client, run.id)
    return run.id
