"""`inkwell admin settings`: every setting there is, with what it is now and what it means."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import SecretStr

from inkwell_groove.store.places import Place
from inkwell_groove.store.settings import Settings


def settings_listed(given: Settings) -> Iterator[str]:
    """Yield lines that a file of environment variables could have: what each setting means, and its value.

    Those that are what they are by default stand behind a `#`. Secrets are not shown.
    """
    for name, field in Settings.model_fields.items():
        if field.description:
            yield f"# {field.description}"
        mark = "" if name in given.model_fields_set else "#"
        yield f"{mark}INKWELL_{name.upper()}={_written(getattr(given, name))}"
        yield ""


def _written(value: Any) -> str:
    """Return a value as an environment variable has it."""
    if value is None:
        return ""
    if isinstance(value, SecretStr):
        return str(value)  # asterisks, or nothing
    if isinstance(value, tuple):
        return json.dumps([one.model_dump(mode="json") if isinstance(one, Place) else one for one in value])
    if isinstance(value, bool):
        return str(value).lower()
    return str(value) if isinstance(value, Path | str | int | float) else json.dumps(value)
