"""Tests do not race with the clock: what they wait for, they wait for with the house's patience."""

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.rig import PATIENCE_S

HERE = Path(__file__).parent
ASKING = {"get", "post", "put", "patch", "delete", "head", "request", "stream", "Client"}
WAITING = {"wait", "join", "result", "settimeout"}  # that take seconds first


def hasty(source: str) -> Iterator[int]:
    """The lines that ask a service with httpx's own five seconds, or wait in few of their own."""
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
            continue
        named = {each.arg: each.value for each in node.keywords}
        given = [named["timeout"]] if "timeout" in named else []
        if node.func.attr in WAITING:
            given += node.args
        is_httpx = isinstance(node.func.value, ast.Name) and node.func.value.id == "httpx"
        is_mute = is_httpx and node.func.attr in ASKING and not {"timeout", "transport"} & {*named}
        if is_mute or any(map(is_short, given)):
            yield node.lineno


def is_short(given: ast.expr) -> bool:
    """Whether so many seconds stand there in figures, fewer than the house waits."""
    is_figure = isinstance(given, ast.Constant) and isinstance(given.value, int | float)
    return is_figure and ast.literal_eval(given) < PATIENCE_S


@pytest.mark.parametrize(
    "line",
    [
        "httpx.get(url)",
        "httpx.Client(base_url=url)",
        "httpx.AsyncClient(timeout=1.0)",
        "process.wait(5)",
        "self.it.wait(timeout=1.5)",
        "run_coroutine_threadsafe(it, loop).result(10)",
        "socket.create_connection(there, timeout=10)",
    ],
)
def test_haste_is_seen(line: str) -> None:
    assert list(hasty(line)) == [1]


@pytest.mark.parametrize(
    "line",
    [
        "httpx.get(url, timeout=PATIENCE_S)",
        "httpx.Client(transport=wire)",
        "process.wait()",
        "', '.join(names)",
        "expect(heading).to_be_visible(timeout=30_000)",
    ],
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
