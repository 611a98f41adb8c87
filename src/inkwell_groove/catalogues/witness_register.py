"""The witness register over HTTP. It may be down, slow or wrong; then nothing is believed, and the answer says why."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

import httpx
from pydantic import ValidationError

from inkwell_groove.catalogues import connection
from inkwell_groove.core.disc.record import TrackRead
from inkwell_groove.core.disc.witnesses import Known, Register

_MOST_BYTES = 1 << 20


class Witnesses(Protocol):
    """Where other people's reads are asked for, and ours are told."""

    def look_up(self, digest: str) -> Register: ...

    def submit(self, digest: str, *, reader: str, tracks: Iterable[TrackRead]) -> str: ...


class WitnessRegister:
    """The register at an address. `timeout_s` is for the whole of an answer, each try; there are two."""

    def __init__(self, address: str, *, timeout_s: float = 5.0) -> None:
        self._address = address.rstrip("/")
        self._timeout_s = timeout_s

    def look_up(self, digest: str) -> Register:
        """What the register knows of a disc. Never raises: `trouble` says what went wrong."""
        for attempt in (1, 2):
            try:
                with connection.client(self._timeout_s) as client:
                    answer = self._get(client, digest)
                return Register(name=self._address, known=Known.model_validate_json(answer))
            except httpx.TimeoutException:
                trouble = f"it did not answer within {self._timeout_s:g} s"
            except httpx.HTTPStatusError as cause:
                trouble = f"it answered with status {cause.response.status_code}"
                if cause.response.status_code < 500:
                    break
            except httpx.HTTPError as cause:
                trouble = f"it cannot be reached ({type(cause).__name__})"
            except ValidationError as cause:
                first = cause.errors()[0]
                trouble = f"its answer cannot be true: {str(first['msg']).removeprefix('Value error, ')}"
                break
            except ValueError as cause:
                trouble = str(cause)
                break
            if attempt == 2:
                break
        return Register(name=self._address, trouble=trouble)

    def submit(self, digest: str, *, reader: str, tracks: Iterable[TrackRead]) -> str:
        """Tells the register of a reading: its firm tracks only. Returns what went wrong, empty where nothing did."""
        body = {
            "reader": reader,
            "tracks": {
                str(one.number): {"sum": one.witness_sum, "whole": one.whole_sum}
                for one in tracks
                if one.witness_sum is not None and one.verdict not in ("damaged", "read once")
            },
        }
        if not body["tracks"]:
            return "no track was read firmly enough to be told"
        try:
            answer = httpx.post(f"{self._address}/v1/discs/{digest}/reads", json=body, timeout=self._timeout_s)
            answer.raise_for_status()
        except httpx.HTTPError as cause:
            return f"the register did not take it ({type(cause).__name__})"
        return ""

    def _get(self, client: httpx.Client, digest: str) -> bytes:
        with client.stream("GET", f"{self._address}/v1/discs/{digest}") as answer:
            answer.raise_for_status()
            data = b""
            for part in answer.iter_bytes():
                data += part
                if len(data) > _MOST_BYTES:
                    raise ValueError("its answer is too long to be one")
            return data
