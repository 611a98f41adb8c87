"""What belongs to the whole process is not switched while it runs: the server answers many people in many threads."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import inkwell_groove

SOURCES = Path(inkwell_groove.__file__).parent
SWITCHES = {
    "catch_warnings",
    "simplefilter",
    "filterwarnings",
    "resetwarnings",
    "chdir",
    "fchdir",
    "umask",
    "setlocale",
    "field_size_limit",
    "setrecursionlimit",
    "setdefaulttimeout",
    "tzset",
    "seterr",
}


def switches_in(text: str) -> list[str]:
    calls = [node.func for node in ast.walk(ast.parse(text)) if isinstance(node, ast.Call)]
    names = [one.attr if isinstance(one, ast.Attribute) else getattr(one, "id", "") for one in calls]
    return [name for name in names if name in SWITCHES]


def test_the_search_for_switches_finds_one() -> None:
    assert switches_in("import warnings\nwith warnings.catch_warnings():\n    pass") == ["catch_warnings"]


@pytest.mark.parametrize("folder", ["core", "store", "workroom", "web", "devices", "catalogues"])
def test_no_code_of_the_server_switches_the_whole_process(folder: str) -> None:
    files = sorted((SOURCES / folder).rglob("*.py"))
    assert files
    assert {path.name: found for path in files if (found := switches_in(path.read_text()))} == {}
