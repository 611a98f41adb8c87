"""A picture within a file: its role, its bytes and its size."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from inkwell_groove.core.artwork import opened
from inkwell_groove.core.errors import Refused

FRONT = 3
# ID3v2.4 section 4.14, taken over by FLAC (RFC 9639 table 13): what each number means, in the archive's words.
ROLES = {
    0: "other", 1: "file icon", 2: "other icon", 3: "front", 4: "back", 5: "leaflet", 6: "disc", 7: "lead artist",
    8: "artist", 9: "conductor", 10: "band", 11: "composer", 12: "lyricist", 13: "place", 14: "during recording",
    15: "during performance", 16: "screen capture", 17: "bright fish", 18: "illustration", 19: "band logo",
    20: "publisher logo",
}  # fmt: skip
KIND_OF = {role: kind for kind, role in ROLES.items()}


@dataclass(frozen=True)
class Embedded:
    """One picture. `kind` is its number in ID3v2 and FLAC."""

    kind: int
    mime: str
    data: bytes = field(repr=False)
    words: str = ""

    @property
    def role(self) -> str:
        return ROLES.get(self.kind, "other")

    def size(self) -> tuple[int, int, int]:
        """Width, height, bits a pixel; zeros where it cannot be read, as the FLAC block has it."""
        try:
            with opened(self.data, name=self.role) as image:
                return image.width, image.height, 8 * len(image.getbands())
        except Refused:
            return 0, 0, 0


def size_of(path: Path) -> tuple[int, int] | None:
    """Width and height of a picture's file, by its head alone; none where there is no picture to be read."""
    try:
        with opened(path, name=path.name) as image:
            return image.width, image.height
    except Refused:
        return None


def mime_of(data: bytes) -> str:
    """By its first bytes."""
    if data.startswith(b"\xff\xd8\xff"):
        return "image/jpeg"
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "image/png"
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "image/webp"
    if data[:6] in (b"GIF87a", b"GIF89a"):
        return "image/gif"
    return "application/octet-stream"
