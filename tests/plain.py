"""How tests connect: over plain HTTP, without reading all certificates of the system for each client."""

from __future__ import annotations

import ssl

PLAIN = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
