"""HTTP connections to sources outside."""

from __future__ import annotations

import ssl
from functools import lru_cache

import httpx


def client(timeout_s: float) -> httpx.Client:
    """Return a client that trusts the certificates of the system. Whoever asks closes it."""
    return httpx.Client(timeout=timeout_s, verify=_trusted())


@lru_cache(maxsize=1)
def _trusted() -> ssl.SSLContext:
    """Return what every client trusts. Reading the certificates takes 30 ms, and a look-up makes a client a source."""
    return httpx.create_ssl_context()
