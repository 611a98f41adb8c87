"""How many examples a property test tries.

All of them: `INKWELL_EXAMPLES_SHARE=1 ./inkwell test tests/core`. Each run draws others, except where hypothesis finds
itself in continuous integration and repeats its draws.
"""

from __future__ import annotations

import os

_SHARE = float(os.environ.get("INKWELL_EXAMPLES_SHARE", "0.2"))
_FEWEST = 50


def examples(number: int) -> int:
    """Return settings for this many examples, or for the share of them that this run tries."""
    return max(min(number, _FEWEST), round(number * _SHARE))
