"""How the processes of the service log: a line of JSON for each event, to standard output.

Tracebacks come without local variables, a password that is being looked at among them. Of a request only its path is
logged. What looks like a secret all the same is taken out before a line is written.
"""

from __future__ import annotations

import re
from collections.abc import MutableMapping
from typing import Any

import structlog

_TAKEN_OUT = "[taken out]"
_SECRET_NAMES = re.compile(r"pass(word|phrase)?|token|secret|cookie|authorization|credential|verifier|nonce", re.I)
_SECRETS = (
    re.compile(r"(?<=://)([^/\s:@]*:)[^/\s@]+(?=@)"),  # the password of an address, with or without a name
    re.compile(r"(\b(?:Bearer|Basic)\s+)[\w.~+/=-]{8,}", re.I),
    re.compile(r"(\binkwell_(?:session=|asked=)?)[\w.~-]{20,}"),  # tokens for scripts, cookies
    re.compile(
        r"(\b(?:password|secret|token|client_secret|code_verifier)['\"]?\s*[=:]\s*)"
        r"(?:'[^']*'|\"[^\"]*\"|[^\s'\"&,}]+)",
        re.I,
    ),
    re.compile(r"([?&](?:code|state)=)[^\s&'\"]+"),
    re.compile(r"()\$argon2\w+\$[^\s'\"]+"),
    re.compile(r"()\beyJ[\w-]{8,}\.[\w-]+\.[\w-]*"),  # a JSON Web Token
)


def configure() -> None:
    """Set the log of this process up; called once as it starts."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,  # the number of the request or the job
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            without_secrets,
            structlog.processors.JSONRenderer(default=str),
        ],
        cache_logger_on_first_use=False,
    )


def without_secrets(_: Any, __: str, event: MutableMapping[str, Any]) -> MutableMapping[str, Any]:
    """Return an event with what looks like a secret taken out of its values: by their names, and by their look."""
    return {name: _TAKEN_OUT if _SECRET_NAMES.fullmatch(name) else _cleared(value) for name, value in event.items()}


def _cleared(value: Any) -> Any:
    if isinstance(value, dict):
        return without_secrets(None, "", value)
    if isinstance(value, list | tuple):
        return [_cleared(one) for one in value]
    if isinstance(value, int | float | bool) or value is None:
        return value
    text = str(value)
    for secret in _SECRETS:
        text = secret.sub(rf"\1{_TAKEN_OUT}", text)
    return text
