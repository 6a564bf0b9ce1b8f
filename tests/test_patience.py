"""Tests do not race with the clock: what they wait for, they wait for with the house's patience."""

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

HERE = Path(__file__).parent
ASKING = {"get", "post", "put", "patch", "delete", "head", "request", "stream", "Client"}


def hasty(source: str) -> Iterator[int]:
    """The lines that ask a service with httpx's own five seconds, or wait in seconds of their own
    for a process to end."""
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
            continue
        named = {each.arg: each.value for each in node.keywords}
        whose = node.func.value
        if isinstance(whose, ast.Name) and whose.id == "httpx" and node.func.attr in ASKING:
            if "timeout" not in named and "transport" not in named:
                yield node.lineno
        elif node.func.attr == "wait" and isinstance(whose, ast.Name | ast.Attribute):
            for given in (*node.args, *(v for k, v in named.items() if k == "timeout")):
                if isinstance(given, ast.Constant) and isinstance(given.value, int | float):
                    if given.value < 60:
                        yield node.lineno


@pytest.mark.parametrize(
    "line",
    [
        "httpx.get(url)",
        "httpx.Client(base_url=url)",
        "process.wait(5)",
        "self.it.wait(timeout=1.5)",
    ],
)
def test_haste_is_seen(line: str) -> None:
    assert list(hasty(line)) == [1]


@pytest.mark.parametrize(
    "line",
    ["httpx.get(url, timeout=PATIENCE_S)", "httpx.Client(transport=wire)", "process.wait()"],
)
def test_patience_is_let_pass(line: str) -> None:
    assert list(hasty(line)) == []


def test_no_test_waits_in_haste() -> None:
    found = [
        f"{path.relative_to(HERE)}:{line}"
        for path in sorted(HERE.rglob("*.py"))
        for line in hasty(path.read_text(encoding="utf-8"))
    ]
    assert found == []
