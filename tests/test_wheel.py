"""The wheel holds all that it needs to serve the console without Node or a checkout."""

import os
import re
import shutil
import signal
import subprocess
import sys
import zipfile
from pathlib import Path

import httpx
import pytest

from loricate.client import Client
from loricate.commands.demo_site import free_port, wait_for
from tests.rig import PATIENCE_S

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The wheel, built."""
    folder = tmp_path_factory.mktemp("wheel")
    words = ["-m", "build", "--wheel", "--no-isolation", "--outdir", str(folder), str(ROOT)]
    subprocess.run([sys.executable, *words], check=True, capture_output=True)
    (made,) = folder.glob("loricate-*.whl")
    return made


def test_the_wheel_holds_console_demo_fonts_and_migrations(wheel: Path) -> None:
    with zipfile.ZipFile(wheel) as packed:
        names = set(packed.namelist())
    assert {
        "loricate/_console/index.html",
        "loricate/_demo/bench/bench.toml",
        "loricate/_demo/bench/site.toml",
        "loricate/bench/profiles/stand-in-matrix.toml",
        "loricate/papers/fonts/DejaVuSans.ttf",
        "loricate/papers/templates/certificate.typ",
        "loricate/service/pages/verify.html",
        "loricate/records/migrations/0001_first.sql",
    } <= names
    for end in (".js", ".js.br", ".js.gz"):
        assert any(re.search(rf"_console/assets/index-[^/]+{end}$", name) for name in names)
    assert not any("tests" in name or "node_modules" in name for name in names)


def test_the_installed_wheel_serves_a_bench(wheel: Path, tmp_path: Path) -> None:
    """As on a machine without a checkout: the wheel's own files alone, with what it depends on."""
    installed = tmp_path / "installed"
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(installed)
    shipped = installed / "loricate/_demo/bench"
    (tmp_path / "bench.toml").write_text(
        (shipped / "bench.toml").read_text(encoding="utf-8").replace(":521", ":1"),
        encoding="utf-8",
    )
    shutil.copy(shipped / "fx-c-columns.csv", tmp_path)
    port, own = free_port(), {**os.environ, "PYTHONPATH": str(installed)}
    service = subprocess.Popen(
        [sys.executable, "-P", "-m", "loricate", "serve", "--bench", str(tmp_path / "bench.toml"),
         "--data", str(tmp_path / "data"), "--port", str(port)],
        cwd=tmp_path, env=own,
        stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        with Client(f"http://127.0.0.1:{port}") as client:
            wait_for(client)
            assert client.health().needs_first_account
        page = httpx.get(f"http://127.0.0.1:{port}/run", timeout=PATIENCE_S)
        assert page.status_code == 200 and "/assets/index-" in page.text
    finally:
        service.terminate()
        assert service.wait(timeout=PATIENCE_S) in (0, -signal.SIGTERM)
    where = [sys.executable, "-P", "-c", "import loricate; print(loricate.__file__)"]
    told = subprocess.run(where, cwd=tmp_path, env=own, capture_output=True, text=True, check=True)
    assert told.stdout.startswith(str(installed)), "it was the wheel's"
    assert (tmp_path / "data" / "site-key.pem").exists()
    assert not (ROOT / "data").exists()
