"""Whatever the API is sent, it answers: schemathesis makes requests up from the OpenAPI document, none may break it.

Bodies and parameters are drawn from the document and around it, valid ones and others. A fault in the program (500) is
a failure; so is an answer that takes as long as to look hung. What is asked for here may alter everything, so the house
is one of its own.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error

from inkwell_groove.web.app import make_app
from tests.live import Server
from tests.sounds import record_side

# More are tried by hand, from time to time.
EXAMPLES = int(os.environ.get("INKWELL_EXAMPLES", "3"))
# Its answer has no end.
_ENDLESS = {"events"}
# Where the outside world is missing that is what is told: a source, a device, a second root.
_TOLD = {502, 503, 507}
schema = schemathesis.openapi.from_dict(make_app().openapi()).exclude(operation_id=sorted(_ENDLESS))


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A house with a docket that has a take, and a folder of files; no carriers or discs are to be found."""
    nothing, heap, side = (tmp_path_factory.mktemp(name) for name in ("nothing", "heap", "side"))
    record_side(side / "side.wav")
    (heap / "files").mkdir()
    record_side(heap / "files" / "one.wav", tracks_s=(3.0,))
    roots = {name: str(nothing) for name in ("INKWELL_CARRIERS_ROOT", "INKWELL_DISCS_ROOT", "INKWELL_TARGETS_ROOT")}
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(heap), **roots) as running:
        docket = running.open_docket("WH-0990")
        running.upload(docket["id"], side / "side.wav")
        running.post("/bundles", {"folder": "files", "in_place": False})
        running.wait_for_jobs()
        yield running


@schema.hook
def map_path_parameters(context: schemathesis.HookContext, path_parameters: Any) -> Any:
    """Small numbers, so that some of what is asked for is there."""
    return {
        name: value % 3 if isinstance(value, int) and not isinstance(value, bool) else value
        for name, value in (path_parameters or {}).items()
    }


# One test an operation, each with a name of its own: of several with one name, xdist runs a single one.
@pytest.mark.parametrize("operation", [one.ok() for one in schema.get_all_operations()], ids=lambda one: one.label)
def test_nothing_that_is_sent_breaks_it(operation: Any, house: Server) -> None:
    @settings(
        max_examples=EXAMPLES,
        phases=[Phase.explicit, Phase.generate],
        derandomize=True,
        deadline=None,
        suppress_health_check=list(HealthCheck),
    )
    @given(operation.as_strategy())
    def tried(case: schemathesis.Case) -> None:
        answer = case.call(base_url=house.address, timeout=30)
        if answer.status_code not in _TOLD:
            case.validate_response(answer, checks=[not_a_server_error])

    tried()
