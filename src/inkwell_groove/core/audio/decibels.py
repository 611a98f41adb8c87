"""Levels in decibels."""

from __future__ import annotations

import numpy as np


def dbfs(value: float) -> float | None:
    """20 log10 of a full-scale value; none for digital silence, which has no level."""
    return 20.0 * float(np.log10(value)) if value > 0 else None
