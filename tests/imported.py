"""Preload what servers and job workers import, in the process from which tests fork them."""

from __future__ import annotations

import anyio._backends._asyncio  # noqa: F401 - otherwise each server imports it at its first request

import inkwell_groove.web.serve
import inkwell_groove.workroom.jobs.house
import inkwell_groove.workroom.worker  # noqa: F401 - importing them is the purpose
from inkwell_groove.catalogues import connection
from inkwell_groove.core import peaks
from inkwell_groove.core.restoration import ear

connection.client(1.0).close()
peaks.warm()
ear.warm()
