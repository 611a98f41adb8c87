"""`python -m inkwell_groove.web`: serves on loopback until told to stop."""

from __future__ import annotations

import uvicorn

from inkwell_groove.store.settings import settings
from inkwell_groove.web.app import make_app

if __name__ == "__main__":
    # Browsers keep their event stream open for ever; a stop must not wait for them.
    uvicorn.run(make_app(), host="127.0.0.1", port=settings().port, log_level="warning", timeout_graceful_shutdown=3)
