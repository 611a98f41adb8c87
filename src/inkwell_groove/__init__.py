"""Inkwell Groove: from a carrier on the shelf to a sealed set of verified lossless files.

Storeys, imports running downwards only: web, workroom, store, core. `cli` and `demo` stand beside them on core.
"""

__version__ = "0.1.0"
