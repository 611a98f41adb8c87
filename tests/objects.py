"""Object storage of the tests' own, on loopback: moto's server, which keeps everything in memory.

Tests look at it with boto3.
"""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import boto3
import httpx

from inkwell_groove.store.object_storage import ObjectStorage
from launcher.processes import free_port
from tests.patience import PATIENCE_S, until


class Storage:
    """A running server with one bucket, and what others do to its objects behind the product's back."""

    bucket = "harbour"

    def __init__(self, port: int) -> None:
        self.address = f"http://127.0.0.1:{port}"
        self.how = ObjectStorage(self.address, "a key", "a secret")
        self.settings = {
            "INKWELL_S3_ENDPOINT": self.address,
            "INKWELL_S3_KEY_ID": self.how.key_id,
            "INKWELL_S3_SECRET": self.how.secret,
        }

    def answers(self) -> bool:
        try:
            return httpx.put(f"{self.address}/{self.bucket}").is_success
        except httpx.TransportError:
            return False

    def get(self, key: str) -> bytes:
        return bytes(self._client.get_object(Bucket=self.bucket, Key=key)["Body"].read())

    def put(self, key: str, data: bytes) -> None:
        self._client.put_object(Bucket=self.bucket, Key=key, Body=data)

    def delete(self, key: str) -> None:
        self._client.delete_object(Bucket=self.bucket, Key=key)

    @property
    def _client(self) -> Any:
        keys = {"aws_access_key_id": self.how.key_id, "aws_secret_access_key": self.how.secret}
        return boto3.client("s3", endpoint_url=self.address, region_name=self.how.region, **keys)


@contextmanager
def storage_in(folder: Path) -> Iterator[Storage]:
    port = free_port()
    with (folder / "storage.log").open("ab") as log:
        words = [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(port)]
        process = subprocess.Popen(words, stdout=log, stderr=log)
    try:
        storage = Storage(port)
        until(storage.answers, "the object storage did not start")
        yield storage
    finally:
        process.kill()
        process.wait(PATIENCE_S)
