"""Loads what every job worker needs, in the process from which workers are forked: once, not in each of them."""

from __future__ import annotations

from inkwell_groove.workroom.jobs import sides

sides.warm()
