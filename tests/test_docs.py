"""What the pages name is there: a guarantee that points at a test which is gone holds nothing."""

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
PAGES = [*sorted((ROOT / "docs").glob("*.md")), ROOT / "README.md", ROOT / "CONTRIBUTING.md"]
NAMED = re.compile(r"(?:tests|src|drill|figures|console|demo)/[\w./-]+\.\w+")


@pytest.mark.parametrize("page", PAGES, ids=lambda page: str(page.name))
def test_every_file_that_a_page_names_is_there(page: Path) -> None:
    named = set(NAMED.findall(page.read_text(encoding="utf-8")))
    assert [each for each in sorted(named) if not (ROOT / each).is_file()] == []
