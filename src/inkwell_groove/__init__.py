"""Inkwell Groove: from a carrier on the shelf to a sealed set of verified lossless files.

Storeys, imports running downwards only: web, workroom, store, core. `cli` and `demo` stand beside them on core.
"""

import os

# The matrices of restoration are small: more threads only wait for each other, in every process that works, and round
# differently with their number. It is read when NumPy loads its linear algebra, so it is set before anything else.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
