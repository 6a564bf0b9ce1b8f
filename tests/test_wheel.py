"""The wheel holds all that it needs to serve the console without Node or a checkout."""

import subprocess
import sys
import zipfile
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_the_wheel_holds_console_demo_fonts_and_migrations(tmp_path: Path) -> None:
    words = ["-m", "build", "--wheel", "--no-isolation", "--outdir", str(tmp_path), str(ROOT)]
    subprocess.run([sys.executable, *words], check=True, capture_output=True)
    (wheel,) = tmp_path.glob("loricate-*.whl")
    with zipfile.ZipFile(wheel) as packed:
        names = set(packed.namelist())
    assert {
        "loricate/_console/index.html",
        "loricate/_demo/bench/bench.toml",
        "loricate/bench/profiles/stand-in-matrix.toml",
        "loricate/certificates/fonts/DejaVuSans.ttf",
        "loricate/records/migrations/0001_first.sql",
    } <= names
    assert any(name.startswith("loricate/_console/assets/index-") for name in names)
    assert not any("tests" in name or "node_modules" in name for name in names)
