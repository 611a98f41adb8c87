"""Load what job workers and confined work need, in the process from which they are forked: once, not in each."""

from __future__ import annotations

from inkwell_groove.workroom import decoding
from inkwell_groove.workroom.jobs import sides

__all__ = ["decoding"]

sides.warm()
