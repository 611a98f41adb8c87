"""Which tests get a second try: modules that go by the clock, and no others."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from launcher.places import ROOT
from launcher.testing import _BY_THE_CLOCK, failed_modules

STAGE, TRANSFER = "tests/browser/test_transfer_stage.py", "tests/workroom/test_transfer.py"


@pytest.mark.parametrize(
    ("failed", "again"),
    [
        ([f"{STAGE}::test_1", f"{STAGE}::test_2[x]", f"{TRANSFER}::test_3"], [STAGE, TRANSFER]),
        ([f"{STAGE}::test_1", "tests/core/test_c.py::test_4"], [STAGE]),
        (["tests/devices/test_a.py::test_5"], ["tests/devices/test_a.py"]),
    ],
)
def test_only_what_goes_by_the_clock_is_run_once_more(tmp_path: Path, failed: list[str], again: list[str]) -> None:
    record = tmp_path / "lastfailed"
    record.write_text(json.dumps(dict.fromkeys(failed, True)))
    assert failed_modules(record) == again


@pytest.mark.parametrize("record", ["{", "{}"])
def test_without_a_record_all_of_it_is_run_again(tmp_path: Path, record: str) -> None:
    assert failed_modules(tmp_path / "nothing") == list(_BY_THE_CLOCK)
    (tmp_path / "broken").write_text(record)
    assert failed_modules(tmp_path / "broken") == list(_BY_THE_CLOCK)


def test_what_goes_by_the_clock_is_there() -> None:
    assert all((ROOT / path).exists() for path in _BY_THE_CLOCK)
