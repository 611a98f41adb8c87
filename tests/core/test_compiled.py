"""Nobody waits for the compiler in front of a side."""

from __future__ import annotations

from pathlib import Path

import pytest

from inkwell_groove.core import compiled


@pytest.mark.slow
def test_every_kernel_is_compiled_ahead_of_need() -> None:
    compiled.compile_all()
    names = []
    for name, kernel in compiled.kernels():
        function = kernel.py_func
        stem = Path(function.__code__.co_filename).stem
        kept = Path(kernel._cache.cache_path).glob(
            f"{stem}.{function.__qualname__}-{function.__code__.co_firstlineno}.*.nbc"
        )
        assert any(kept), f"{name} was not called"
        names.append(name)
    assert "inkwell_groove.core.restoration.ar.levinson" in names
