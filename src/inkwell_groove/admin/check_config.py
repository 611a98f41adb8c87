"""Whether the settings lead somewhere: every folder, the database, the broker, the object storage, the certificate."""

from __future__ import annotations

import os
import shutil
import ssl
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import redis

from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.store.bucket import FolderBucket
from inkwell_groove.store.disk import free_bytes_of_disk, in_words
from inkwell_groove.store.migrate import check_current
from inkwell_groove.store.settings import Settings

_PATIENCE_S = 5.0


@dataclass(frozen=True)
class Checked:
    """What was found of one setting, or of some that belong together."""

    name: str
    is_well: bool
    words: str


def check_config(given: Settings) -> Iterator[Checked]:
    """Yield what was found of each setting that leads somewhere."""
    yield from _folders(given)
    yield _tried(
        "INKWELL_DATABASE_URL", lambda: check_current(given.database_url), "it answers, with this version's tables"
    )
    if not given.is_alone:
        yield _tried("INKWELL_BROKER", lambda: _broker(given), "it answers")
    for name in ("second_bucket", "media_bucket"):
        bucket, storage = getattr(given, name), given.object_storage
        if bucket and storage is not None:
            yield _tried(f"INKWELL_{name.upper()}", lambda: FolderBucket(bucket, storage).has("nothing"), "it answers")  # noqa: B023
    if given.tls_certificate is not None:
        yield _tried("INKWELL_TLS_CERTIFICATE", lambda: _certificate(given), "it fits its key")
    for program in ("mariadb-dump", "mariadb"):
        found = shutil.which(program)
        yield Checked(program, found is not None, found or "it is not installed: backups cannot be made or restored")


def _folders(given: Settings) -> Iterator[Checked]:
    written = {
        "INKWELL_MEDIA_ROOT": given.media_root,
        "INKWELL_RECORDINGS_ROOT": given.recordings_root,
        "INKWELL_SECOND_ROOT": given.second_root,
        "INKWELL_TARGETS_ROOT": given.targets_root,
    } | {f"INKWELL_PLACES, {place.name}": place.path for place in given.places}
    made_when_needed = ("INKWELL_MEDIA_ROOT", "INKWELL_TARGETS_ROOT")  # others may be disks that are not connected
    for name, folder in written.items():
        if folder is not None:
            yield _folder(name, folder, may_be_made=name in made_when_needed)
    page = given.frontend_root / "index.html"
    yield Checked("INKWELL_FRONTEND_ROOT", page.is_file(), str(page) if page.is_file() else f"there is no {page}")


def _folder(name: str, folder: Path, *, may_be_made: bool) -> Checked:
    if not folder.is_dir():
        above = next(one for one in folder.absolute().parents if one.is_dir())
        if may_be_made and os.access(above, os.W_OK | os.X_OK):
            return Checked(name, True, f"{folder} will be made when something is written there")
        return Checked(name, False, f"there is no folder {folder}")
    if not os.access(folder, os.R_OK | os.W_OK | os.X_OK):
        return Checked(name, False, f"this account may not write to {folder}")
    return Checked(name, True, f"{folder}, {in_words(free_bytes_of_disk(folder))} free")


def _tried(name: str, do: Callable[[], object], words: str) -> Checked:
    try:
        do()
    except InkwellError as refusal:
        return Checked(name, False, str(refusal))
    return Checked(name, True, words)


def _broker(given: Settings) -> None:
    address = given.broker.get_secret_value()
    try:
        with redis.from_url(address, socket_timeout=_PATIENCE_S, socket_connect_timeout=_PATIENCE_S) as broker:
            broker.ping()
    except (redis.RedisError, ValueError) as cause:
        where = urlsplit(address)
        raise Refused(
            "the broker does not answer", where=f"{where.hostname}:{where.port}", remedy=str(cause)
        ) from cause


def _certificate(given: Settings) -> None:
    assert given.tls_certificate is not None
    try:
        ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(given.tls_certificate, given.tls_key)
    except OSError as cause:
        raise Refused(
            f"the certificate cannot be used ({cause.strerror or cause})",
            where=str(given.tls_certificate),
            remedy="Name a PEM file and its key in INKWELL_TLS_CERTIFICATE and INKWELL_TLS_KEY",
        ) from cause
