"""No file is deleted or renamed, and nobody is told anything, inside a transaction: the sources are read for it.

What is called inside one is told by what it is given: a function that takes a session runs inside somebody's.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from launcher.places import ROOT

WORKROOM = ROOT / "src" / "inkwell_groove" / "workroom"
SESSIONS = {"Session", "Transaction"}
DELETES = {"unlink", "rmtree", "rmdir", "rename", "forget", "forget_upload", "forget_recording"}
TELLS = {"publish", "docket_changed", "transfer_changed", "wake"}
# `session.delete` and `Session.replace` act on rows; `str.replace` and `dataclasses.replace` on values.


def acts_inside(tree: ast.AST) -> Iterator[ast.Call]:
    """Yield calls of what must wait for the commit, unless they are in a function that is registered to follow it."""
    for node in ast.walk(tree):
        if isinstance(node, ast.With) and any(_begins(item.context_expr) for item in node.items):
            yield from _acts(node.body)
        if isinstance(node, ast.FunctionDef) and any(_is_session(one) for one in node.args.args):
            yield from _acts(node.body)


def _begins(expression: ast.expr) -> bool:
    return (
        isinstance(expression, ast.Call)
        and isinstance(expression.func, ast.Attribute)
        and (expression.func.attr in ("begin",) and "databas" in ast.unparse(expression.func).lower())
    )


def _is_session(argument: ast.arg) -> bool:
    return isinstance(argument.annotation, ast.Name) and argument.annotation.id in SESSIONS


def _acts(body: list[ast.stmt]) -> Iterator[ast.Call]:
    waiting: list[ast.AST] = list(body)
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.Lambda | ast.FunctionDef):
            continue  # is done when it is called
        if isinstance(node, ast.Call):
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            if name in DELETES | TELLS:
                yield node
        waiting.extend(ast.iter_child_nodes(node))


def test_the_reading_finds_what_it_looks_for() -> None:
    tree = ast.parse(
        "def f(session: Session): folder.unlink(); after_commit(session, lambda: other.unlink())\n"
        "def g():\n with self._database.begin() as session:\n  self.jobs.wake()\n self._events.publish({})\n"
    )
    assert sorted(ast.unparse(call) for call in acts_inside(tree)) == ["folder.unlink()", "self.jobs.wake()"]


@pytest.mark.parametrize("path", sorted(WORKROOM.rglob("*.py")), ids=lambda path: str(path.relative_to(WORKROOM)))
def test_nothing_happens_outside_the_database_before_the_commit(path: Path) -> None:
    found = [f"line {call.lineno}: {ast.unparse(call)[:80]}" for call in acts_inside(ast.parse(path.read_text()))]
    assert found == []
