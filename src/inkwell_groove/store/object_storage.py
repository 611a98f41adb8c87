"""How S3-compatible object storage is reached."""

from __future__ import annotations

from dataclasses import dataclass, field

BUCKET = "s3://"  # the beginning of a bucket's name


@dataclass(frozen=True)
class ObjectStorage:
    """An address and a key. The secret is not shown."""

    endpoint: str
    key_id: str
    secret: str = field(repr=False)
    region: str = "us-east-1"  # what storage outside a cloud takes it for
