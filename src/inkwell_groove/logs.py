"""How the processes of the service log: plain lines with plain tracebacks, to standard output.

structlog's own default prints the local variables of every frame of a traceback, a password being signed in with among
them. Nothing of a request but its path is ever logged.
"""

from __future__ import annotations

import structlog


def configure() -> None:
    """Sets the log of this process up; called once as it starts."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback),
        ],
        cache_logger_on_first_use=False,
    )
