"""The server: serves until told to stop; on loopback, unless the settings say otherwise. `inkwell serve` calls it."""

from __future__ import annotations

import os
import signal
import sys
from contextlib import AbstractContextManager

import structlog
import uvicorn

from inkwell_groove import logs
from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.store.database import DatabaseAway
from inkwell_groove.store.disk import FreeBytes, free_bytes_of_disk
from inkwell_groove.store.exclusive import InUse, exclusive_use, shared_use
from inkwell_groove.store.files import keep_private
from inkwell_groove.store.migrate import check_current
from inkwell_groove.store.places import check_there
from inkwell_groove.store.settings import Settings, settings_or_exit
from inkwell_groove.web.app import make_app


def main(*, clock: Clock = WALL, free_bytes: FreeBytes = free_bytes_of_disk) -> None:
    logs.configure()
    given = settings_or_exit()
    keep_private(given.media_root)
    # Once it has closed, the server raises the signal that ended it again: Python then leaves in order, and takes the
    # sockets and semaphores of the job workers with it.
    signal.signal(signal.SIGTERM, lambda number, frame: sys.exit(0))
    # Browsers keep their event stream open for ever; a stop must not wait for them.
    try:
        check_there(given.places)
        check_current(given.database_url)
        with _use_of(given):
            uvicorn.run(
                make_app(given, clock=clock, free_bytes=free_bytes),
                host=given.host,
                port=given.port,
                log_level="warning",
                timeout_graceful_shutdown=3,
                # Longer than clients and proxies keep a connection: whoever closes first must not be the server, or a
                # request that is on its way then is lost.
                timeout_keep_alive=75,
                proxy_headers=bool(given.proxies),
                forwarded_allow_ips=given.proxies,
                ssl_certfile=given.tls_certificate,
                ssl_keyfile=given.tls_key,
            )
    except (InUse, DatabaseAway, Refused, Conflict) as refusal:
        sys.exit(f"{refusal.where}: {refusal.what}. {refusal.remedy}.")


def _use_of(given: Settings) -> AbstractContextManager[None]:
    """Return what keeps out servers that must not work with the same data."""
    if given.is_alone:
        return exclusive_use(given.media_root, given.database_url, on_loss=_stop)
    return shared_use(given.media_root, given.database_url, given.node_name, on_loss=_stop)


def _stop(refusal: InUse) -> None:
    """Stop this server: another one works with its data."""
    structlog.get_logger().error(refusal.what, where=refusal.where, remedy="this server stops")
    os.kill(os.getpid(), signal.SIGTERM)
