"""FLAC metadata as RFC 9639 lays it out: what a file says of itself, STREAMINFO's MD5 above all."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO, Literal

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.bytesource import ByteSource
from inkwell_groove.core.errors import NotSound, Truncated

BLOCK_NAMES = {
    0: "STREAMINFO",
    1: "PADDING",
    2: "APPLICATION",
    3: "SEEKTABLE",
    4: "VORBIS_COMMENT",
    5: "CUESHEET",
    6: "PICTURE",
}


class StreamInfo(BaseModel):
    """RFC 9639 section 8.2. `samples` 0 means unknown; an `md5` of zeros means not computed."""

    model_config = ConfigDict(frozen=True)

    min_block_samples: int
    max_block_samples: int
    rate_hz: int
    channels: int
    bits: int
    samples: int
    md5: bytes
    block_names: tuple[str, ...]
    audio_offset: int

    @property
    def has_md5(self) -> bool:
        return any(self.md5)


def metadata_blocks(source: ByteSource) -> Iterator[tuple[int, int]]:
    """The kind and length of each metadata block, with `source` at its data (RFC 9639 section 8).

    Begins where `source` stands and leaves it where the frames begin. Raises NotSound without the FLAC mark, Truncated
    where a head breaks off.
    """
    if source.take(4, "the FLAC mark") != b"fLaC":
        raise NotSound("this is not a FLAC file", where=source.name, remedy="Give a FLAC file")
    is_last = False
    while not is_last:
        head = source.take(4, "a metadata block's head")
        is_last, kind, length = bool(head[0] & 0x80), head[0] & 0x7F, int.from_bytes(head[1:], "big")
        end = source.position + length
        yield kind, length
        source.seek(end)


def read_streaminfo(stream: BinaryIO, *, size: int, name: str) -> StreamInfo:
    """Walks the metadata blocks.

    Raises NotSound without the FLAC mark or STREAMINFO, Truncated where a block breaks off.
    """
    source = ByteSource(stream, size=size, name=name)
    source.seek(0)
    info: bytes | None = None
    names: list[str] = []
    for kind, length in metadata_blocks(source):
        names.append(BLOCK_NAMES.get(kind, f"reserved {kind}"))
        if kind == 0 and len(names) == 1:
            if length != 34:
                raise NotSound(
                    f"STREAMINFO has {length} bytes, 34 are required", where=name, remedy="Make the file again"
                )
            info = source.take(length, "STREAMINFO")
        elif length > source.left:
            source.take(length, f"the {names[-1]} block")
    if info is None:
        raise NotSound("the first metadata block is not STREAMINFO", where=name, remedy="Make the file again")
    packed = int.from_bytes(info[10:18], "big")
    return StreamInfo(
        min_block_samples=int.from_bytes(info[0:2], "big"),
        max_block_samples=int.from_bytes(info[2:4], "big"),
        rate_hz=packed >> 44,
        channels=(packed >> 41 & 0x7) + 1,
        bits=(packed >> 36 & 0x1F) + 1,
        samples=packed & 0xFFFFFFFFF,
        md5=info[18:34],
        block_names=tuple(names),
        audio_offset=source.position,
    )


def checked(stated: str | None, samples: str) -> Literal["none", "right", "wrong"]:
    """Whether the MD5 that a file states is that of its samples, both in hexadecimal; "none" where it states none."""
    return "none" if not stated else "right" if stated == samples else "wrong"


def stated_md5(path: Path) -> str | None:
    """The MD5 that a FLAC file says its samples have; none for another file, or where its encoder stored none."""
    with path.open("rb") as stream:
        try:
            info = read_streaminfo(stream, size=path.stat().st_size, name=path.name)
        except (NotSound, Truncated):
            return None
    return info.md5.hex() if info.has_md5 else None
