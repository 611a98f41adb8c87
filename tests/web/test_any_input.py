"""Whatever the API is sent, by whomever, it answers as its OpenAPI document says: schemathesis makes the requests up.

Bodies and parameters are drawn from the document and around it, valid ones and others. A fault in the program (500) is
a failure; so are an answer outside the document and one that takes as long as to look hung. What is asked for here may
alter everything, so the houses are of its own: one where nobody signs in, one where everybody must.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from typing import Any

import pymysql
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from inkwell_groove.web.app import make_app
from launcher.database import Database
from tests import small_numbers  # noqa: F401 - its hook counts once it is imported
from tests.asking import WHO, Asking, two_houses
from tests.patience import PATIENCE_S

# More are tried by hand, from time to time.
EXAMPLES = int(os.environ.get("INKWELL_EXAMPLES", "3"))
# Its answer has no end.
_ENDLESS = {"events"}
# Where the outside world is missing that is what is told: a source, a device, a second root.
_TOLD = {502, 503, 507}
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
# What a reader's request may write: when they were seen, what the access log says of them, and what is theirs alone.
THEIR_OWN = {"sign_in", "access_entry", "script_token", "account"}
_WRITING = re.compile(r"^\s*(?:INSERT|UPDATE|DELETE|REPLACE)\s+(?:INTO\s+|FROM\s+)?`?(\w+)", re.IGNORECASE)
schema = schemathesis.openapi.from_dict(make_app().openapi()).exclude(operation_id=sorted(_ENDLESS))
OPERATIONS = [one.ok() for one in schema.get_all_operations()]


@pytest.fixture(scope="module")
def asking(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Asking]:
    with two_houses(mariadb, tmp_path_factory.mktemp("asking")) as both:
        yield both


def answer_to(asking: Asking, case: schemathesis.Case, who: str) -> Any:
    return case.call(base_url=asking.address_for(who), headers=asking.headers_for(who), timeout=PATIENCE_S)


tried_often = settings(
    max_examples=EXAMPLES,
    phases=[Phase.explicit, Phase.generate],
    derandomize=True,
    deadline=None,
    suppress_health_check=list(HealthCheck),
)


# Before anything was altered, while no job runs.
@pytest.mark.parametrize(
    "operation", [one for one in OPERATIONS if one.definition.raw["x-needs"] == "reader"], ids=lambda one: one.label
)
def test_what_a_reader_asks_for_writes_nothing(operation: Any, asking: Asking, mariadb: Database) -> None:
    """Whatever the role says that a route needs, it is the database that tells what the route does."""
    log = pymysql.connect(unix_socket=str(mariadb.socket), user="root", autocommit=True)

    @tried_often
    @given(operation.as_strategy())
    def tried(case: schemathesis.Case) -> None:
        with log.cursor() as cursor:
            cursor.execute("SET GLOBAL log_output = 'TABLE'")
            cursor.execute("TRUNCATE mysql.general_log")
            cursor.execute("SET GLOBAL general_log = ON")
            answer_to(asking, case, "reader")
            cursor.execute("SET GLOBAL general_log = OFF")
            cursor.execute("SELECT CONVERT(argument USING utf8mb4) FROM mysql.general_log")
            said = [str(row[0]) for row in cursor.fetchall()]
        assert any("script_token" in text for text in said), "the log tells of the request"
        written = {found[1] for text in said if (found := _WRITING.match(text))}
        assert written <= THEIR_OWN, written - THEIR_OWN

    try:
        tried()
    finally:
        log.close()


# Of several tests with one name, xdist runs a single one.
@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda one: one.label)
def test_nothing_that_is_sent_breaks_it(operation: Any, asking: Asking) -> None:
    @tried_often
    @given(operation.as_strategy(), st.sampled_from(WHO))
    def tried(case: schemathesis.Case, who: str) -> None:
        answer = answer_to(asking, case, who)
        if answer.status_code not in _TOLD:
            case.validate_response(answer, checks=CHECKS)

    tried()
