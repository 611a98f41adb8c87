"""The one model of settings: environment variables prefixed INKWELL_, with defaults that work."""

from __future__ import annotations

import os
import re
import socket
import sys
from functools import lru_cache
from ipaddress import ip_address, ip_network
from pathlib import Path
from typing import Any, Literal

from pydantic import Field, SecretStr, ValidationError, field_validator, model_validator
from pydantic_settings import BaseSettings, SettingsConfigDict, SettingsError

from inkwell_groove.store.object_storage import ObjectStorage
from inkwell_groove.store.places import Place

LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})
_A_BUCKET = r"^(s3://[a-z0-9][a-z0-9.-]+(/[^/]+)*)?$"
_PACKAGE = Path(__file__).resolve().parents[1]
_SOURCE_TREE = _PACKAGE.parents[1]
_INSTALLED_FRONTEND = _PACKAGE / "frontend"  # where a wheel has what `frontend/` is built to


def _frontend() -> Path:
    return _INSTALLED_FRONTEND if _INSTALLED_FRONTEND.is_dir() else _SOURCE_TREE / "frontend" / "dist"


def _var() -> Path:
    """Return the source tree's own folder; installed as a package, the account's folder for data (XDG)."""
    if not _INSTALLED_FRONTEND.is_dir():
        return _SOURCE_TREE / "var"
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "inkwell-groove"


def _below_var(*parts: str) -> Any:
    """Return a field's default: a folder below the one that INKWELL_VAR names."""
    return lambda data: Path(data["var"], *parts)


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="INKWELL_", frozen=True)

    var: Path = Field(
        default_factory=_var, description="The folder that holds every other one that no setting of its own names."
    )
    database_url: str = "mysql+pymysql://inkwell@127.0.0.1:3306/inkwell?charset=utf8mb4"
    media_root: Path = Field(
        default_factory=_below_var("media"), description="Takes, packages, and all that is worked with."
    )
    recordings_root: Path | None = Field(
        default=None,
        description="Where this server records, if not in the media store: on a disk of its own it goes on recording "
        "while that is away.",
    )
    frontend_root: Path = Field(default_factory=_frontend, description="The built pages.")
    host: str = Field(default="127.0.0.1", description="Where it listens; anywhere but on loopback, with sign-in.")
    port: int = 8420
    names: str = Field(default="", description="Names by which others reach it, commas between; addresses always do.")
    sign_in: Literal["elsewhere", "always"] = Field(
        default="elsewhere", description="On loopback too, with 'always': where a proxy stands before it."
    )
    proxies: str = Field(
        default="",
        description="Addresses or networks of the proxies before it, commas between: they say whose request it is.",
    )
    tls_certificate: Path | None = Field(default=None, description="PEM file, to be reached as https.")
    tls_key: Path | None = None
    oidc_issuer: str = Field(
        default="", description="Address of an OpenID Connect issuer; empty for no single sign-on."
    )
    oidc_client: str = Field(default="", description="What the issuer calls this application.")
    oidc_secret: SecretStr = Field(default=SecretStr(""), description="What it shows the issuer to prove that it is.")
    oidc_name: str = Field(default="Single sign-on", description="What the button for it says.")
    oidc_role_claim: str = Field(default="groups", description="The claim that says what somebody may do.")
    oidc_roles: str = Field(
        default="", description="Its values and the roles they give: 'staff=archivist, sound-heads=keeper'."
    )
    oidc_timeout_s: float = Field(default=6.0, gt=0, le=60)
    engine: Literal["local", "celery"] = Field(
        default="local", description="Who runs jobs: this server, or workers of this and other machines."
    )
    broker: SecretStr = Field(
        default=SecretStr(""), description="Address of the broker that tells workers of jobs: redis://host:6379/0."
    )
    lease_s: float = Field(
        default=30.0, ge=2, le=3600, description="A job whose worker is not heard of for so long is run by another."
    )
    node: str = Field(
        default="",
        pattern=r"^[A-Za-z0-9-]{0,24}$",
        description="The name of this server among several; empty for that of its machine.",
    )
    node_address: str = Field(
        default="",
        description="Where other servers reach this one: http://cellar:8420. Empty for its own host and port.",
    )
    devices: bool = Field(default=True, description="Whether this server has sources to record from, and drives.")
    workers: int = Field(default=2, ge=1, le=32, description="Jobs that run at the same time.")
    job_memory_bytes: int = Field(default=4 * 1024**3, ge=512 * 1024**2, description="What one job may take.")
    carriers_root: Path = Field(
        default_factory=_below_var("demo", "carriers"), description="What the simulated decks can play."
    )
    discs_root: Path = Field(
        default_factory=_below_var("demo", "discs"), description="Disc images that the simulated drives can read."
    )
    files_root: Path = Field(
        default_factory=_below_var("demo", "files"), description="Folders of files below this one can be brought in."
    )
    places: tuple[Place, ...] = Field(
        default=(),
        description='Other disks for takes and packages: [{"name": "vault", "path": "/mnt/vault"}].',
    )
    second_root: Path | None = Field(default=None, description="Where a second copy of every package is kept.")
    second_bucket: str = Field(
        default="",
        pattern=_A_BUCKET,
        description="Or in which bucket of S3-compatible object storage: s3://bucket/folder.",
    )
    media_bucket: str = Field(
        default="",
        pattern=_A_BUCKET,
        description="In which bucket takes and packages are kept, so that the disks need not hold them all.",
    )
    cache_bytes: int = Field(
        default=200 * 1000**3,
        ge=0,
        description="What is in that bucket and is seldom asked for is taken off the disks when these hold more.",
    )
    s3_endpoint: str = Field(default="", description="Address of the object storage: https://storage.example.")
    s3_region: str = Field(default="us-east-1", description="Its region; storage outside a cloud has one for all.")
    s3_key_id: str = Field(default="", description="The key that may read and write the bucket.")
    s3_secret: SecretStr = Field(default=SecretStr(""), description="The secret of that key.")
    targets_root: Path | None = Field(default=None, description="Below it lie the folders that players read.")
    fixity_days: int = Field(default=90, ge=0, description="Packages are verified so often; 0 for never unasked.")
    fixity_bytes_per_s: float = Field(default=80e6, ge=0, description="How fast, so that others can work; 0: freely.")
    fixity_at_once: int = Field(
        default=2, ge=1, le=1_000, description="So many packages of an audit are read at a time, each at that pace."
    )
    witness_register: str = Field(default="", description="Address of the witness register; empty to ask none.")
    witness_timeout_s: float = Field(default=5.0, gt=0, le=60)
    meridian: str = Field(default="", description="Address of Meridian Discography; empty to ask it nothing.")
    union_shelf: str = Field(default="", description="Address of the Union Shelf Catalogue.")
    tern: str = Field(default="", description="Address of the Tern Sound Index.")
    source_timeout_s: float = Field(default=6.0, gt=0, le=60, description="For each try at a source.")
    device_speed: float = Field(default=1.0, gt=0, description="How much faster than real time simulated devices run.")
    reserve_bytes: int = Field(
        default=256 * 1024**2, ge=0, description="A recording stops while this much is left on the disk."
    )
    recording_bytes: int = Field(
        default=2 * 1024**3,
        ge=0,
        description="Room on the disk that is kept for recordings: all else is refused while no more is free.",
    )
    max_upload_bytes: int = Field(default=64 * 1024**3, description="The largest recording that is taken in.")
    archivist: str = Field(default="archivist", description="Who the ledger says did it, where nobody signs in.")

    @field_validator("host")
    @classmethod
    def _is_an_address(cls, host: str) -> str:
        """Raise ValueError for a name: it may stand for several addresses, or for none when the machine starts."""
        if host in LOOPBACK:
            return host
        try:
            ip_address(host)
        except ValueError:
            raise ValueError(
                f"{host} is not an address. Give one of this machine's addresses, or 0.0.0.0 for all, and the names "
                "by which others reach it in INKWELL_NAMES"
            ) from None
        return host

    @field_validator("proxies")
    @classmethod
    def _are_addresses(cls, proxies: str) -> str:
        """Return the list without spaces. Raises ValueError for what is neither an address nor a network."""
        found = [one.strip() for one in proxies.split(",") if one.strip()]
        for one in found:
            try:
                ip_network(one)
            except ValueError:
                raise ValueError(
                    f"{one} is neither an address nor a network. Write 192.0.2.7 or 192.0.2.0/24"
                ) from None
        return ",".join(found)

    @model_validator(mode="after")
    def _has_certificate_and_key(self) -> Settings:
        """Raise ValueError for one without the other, or if there is no such file."""
        given = {"INKWELL_TLS_CERTIFICATE": self.tls_certificate, "INKWELL_TLS_KEY": self.tls_key}
        named = {name: path for name, path in given.items() if path is not None}
        if len(named) == 1:
            raise ValueError(f"{next(iter(named))} is set, and its companion is not. Set {' and '.join(given)}")
        for name, path in named.items():
            if not path.is_file():
                raise ValueError(f"{name}: there is no file {path}. Give the path of a PEM file")
        return self

    @model_validator(mode="after")
    def _keeps_passwords_secret(self) -> Settings:
        """Raise ValueError if others could reach it without encryption."""
        if self.host not in LOOPBACK and self.tls_certificate is None and not self.proxies:
            raise ValueError(
                f"INKWELL_HOST={self.host}: passwords would travel in the clear. Set INKWELL_TLS_CERTIFICATE and "
                "INKWELL_TLS_KEY, or name the proxy that others reach this through in INKWELL_PROXIES"
            )
        return self

    @model_validator(mode="after")
    def _has_broker(self) -> Settings:
        """Raise ValueError for workers that nobody could tell of a job."""
        if self.engine == "celery" and not self.broker.get_secret_value():
            raise ValueError("INKWELL_ENGINE=celery needs INKWELL_BROKER, the address of a broker: redis://host:6379/0")
        return self

    @model_validator(mode="after")
    def _name_places_once(self) -> Settings:
        """Raise ValueError for a place whose name is another's, or one of the roots'."""
        names = ["media", "files", "discs", "second", "targets", *(one.name for one in self.places)]
        if twice := {name for name in names if names.count(name) > 1}:
            raise ValueError(f"INKWELL_PLACES: the name {', '.join(sorted(twice))} is taken")
        return self

    @model_validator(mode="after")
    def _has_one_place_for_copies(self) -> Settings:
        """Raise ValueError for two places of second copies, a bucket that cannot be reached, or one for both."""
        if self.second_root and self.second_bucket:
            raise ValueError("second copies go to INKWELL_SECOND_ROOT or to INKWELL_SECOND_BUCKET, not to both")
        for name in ("second_bucket", "media_bucket"):
            if getattr(self, name) and self.object_storage is None:
                needs = "INKWELL_S3_ENDPOINT, INKWELL_S3_KEY_ID and INKWELL_S3_SECRET"
                raise ValueError(f"INKWELL_{name.upper()} needs {needs}")
        if self.media_bucket and self.media_bucket == self.second_bucket:
            raise ValueError("INKWELL_MEDIA_BUCKET and INKWELL_SECOND_BUCKET are one: a second copy lies elsewhere")
        return self

    @property
    def object_storage(self) -> ObjectStorage | None:
        """Return how object storage is reached; None where that is not said."""
        secret = self.s3_secret.get_secret_value()
        if not (self.s3_endpoint and self.s3_key_id and secret):
            return None
        return ObjectStorage(self.s3_endpoint.rstrip("/"), self.s3_key_id, secret, self.s3_region)

    @property
    def second_place(self) -> str:
        """Return where second copies are kept, for people; empty where none are."""
        return self.second_bucket or str(self.second_root or "")

    @property
    def is_alone(self) -> bool:
        """Return whether one server works with these data, and runs all jobs itself."""
        return self.engine == "local"

    @property
    def node_name(self) -> str:
        return self.node or re.sub(r"[^A-Za-z0-9-]", "-", socket.gethostname())[:24]

    @property
    def reached_at(self) -> str:
        """Return the address at which other servers reach this one."""
        scheme = "http" if self.tls_certificate is None else "https"
        return self.node_address.rstrip("/") or f"{scheme}://{self.host}:{self.port}"

    @property
    def other_roots(self) -> dict[str, Path]:
        """Folders outside the media store that rows speak of, by the name they have there."""
        known = {
            "files": self.files_root,
            "discs": self.discs_root,
            "second": self.second_root,
            "targets": self.targets_root,
        }
        known |= {place.name: place.path for place in self.places}
        return {name: folder for name, folder in known.items() if folder is not None}

    @property
    def needs_sign_in(self) -> bool:
        return self.sign_in == "always" or self.host not in LOOPBACK

    @property
    def has_single_sign_on(self) -> bool:
        return bool(self.oidc_issuer and self.oidc_client)

    @property
    def known_names(self) -> frozenset[str]:
        """Names the server answers to, besides those of loopback."""
        return frozenset(name.strip().casefold() for name in self.names.split(",") if name.strip())


@lru_cache
def settings() -> Settings:
    return Settings()


def settings_or_exit() -> Settings:
    """Return the settings; end this process with a sentence on each that cannot be meant."""
    try:
        return settings()
    except SettingsError as cause:
        sys.exit(f"A setting is not written as it must be: {cause}.")
    except ValidationError as cause:
        wrong = []
        for error in cause.errors():
            if error["type"] == "default_factory_not_called":
                continue  # nothing is wrong with a folder that follows from another setting
            name = f"INKWELL_{str(error['loc'][0]).upper()}: " if error["loc"] else ""
            wrong.append(name + str(error["msg"]).removeprefix("Value error, "))
        sys.exit("\n".join(wrong))


if __name__ == "__main__":
    settings_or_exit()
