"""The log holds enough to find a fault, and nothing that somebody typed."""

from __future__ import annotations

import pytest
import structlog

from inkwell_groove import logs


def sign_in_that_breaks(password: str) -> None:
    raise KeyError("a field that is not there")


def test_a_traceback_shows_no_local_variables(capsys: pytest.CaptureFixture[str]) -> None:
    """structlog's default prints them, as soon as the package rich is there."""
    logs.configure()
    try:
        sign_in_that_breaks("correct horse " + "BATTERY".lower())  # the source line may be shown, the value not
    except KeyError:
        structlog.get_logger().exception("a request broke", path="/api/session")
    told = capsys.readouterr().out
    assert "sign_in_that_breaks" in told and "KeyError" in told and "/api/session" in told
    assert "battery" not in told
