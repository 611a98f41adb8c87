"""Filing: how folders and files are named from the description, safely for Linux, macOS and Windows alike.

A filing pattern is text with field names in braces, `/` between folders: `{album artist}/{year} {title}`. What follows
a name after a colon is a format as Python has it: `{track_number:02}` has at least two digits, `{title:.40}` at most 40
characters. A field that is empty leaves nothing behind, not even the punctuation and spaces around it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping

from inkwell_groove.core.errors import Refused

MAX_NAME_BYTES = 255  # ext4, APFS and NTFS all hold 255; bytes of UTF-8 are the strictest count
_FIELD = re.compile(r"\{([^{}]*)\}")
_FORBIDDEN = re.compile(r'[<>:"|?*\x00-\x1f\x7f]')
_SPEC = re.compile(r"[<>^]?0?\d{1,3}|\.\d{1,3}")  # a width, or the most characters
_SEPARATORS = re.compile(r"[/\\]")
# Windows keeps these names for devices, with any suffix (Microsoft: Naming Files, Paths, and Namespaces; from memory).
_DEVICES = {"con", "prn", "aux", "nul", "conin$", "conout$"} | {
    f"{port}{n}" for port in ("com", "lpt") for n in "0123456789¹²³"
}
DEFAULT_FOLDER = "{album artist}/{year} {title}"
DEFAULT_FILE = "{number} {track title}"


def safe_name(text: str, *, suffix: str = "", fallback: str = "untitled", keep_percent: bool = False) -> str:
    """One folder or file name that every system takes: at most 255 bytes, suffix included, never empty or a device.

    A percent sign becomes a full-width one (U+FF05) unless it is kept: the manifest of a bag has to spell it %25
    (RFC 8493, 2.1.3), which common tools that check bags, `sha256sum` among them, take for the name itself.
    """
    name = unicodedata.normalize("NFC", text)
    if not keep_percent:
        name = name.replace("%", "\N{FULLWIDTH PERCENT SIGN}")
    name = "".join(char for char in name if unicodedata.category(char) not in ("Cs", "Cn", "Co"))
    name = _SEPARATORS.sub("-", name)
    name = name.replace('"', "'").replace(":", " -") if ": " in name else name.replace('"', "'").replace(":", "-")
    name = _FORBIDDEN.sub("", name)
    name = _trim(" ".join(name.split()), MAX_NAME_BYTES - len(suffix.encode()))
    if not name:
        name = fallback
    if name.split(".")[0].rstrip().casefold() in _DEVICES:
        name = _trim(f"_{name}", MAX_NAME_BYTES - len(suffix.encode()))
    return name + suffix


def _trim(name: str, max_bytes: int) -> str:
    """Cut at a character, with no leading or trailing space or dot: Windows drops those, Linux hides the others."""
    name = name.strip(" .")
    data = name.encode()
    if len(data) > max_bytes:
        name = data[:max_bytes].decode("utf-8", "ignore").rstrip(" .")
    return name


def fill(pattern: str, values: Mapping[str, str]) -> list[str]:
    """The pattern's parts between slashes, fields filled, not yet made safe. Raises Refused for an unknown field."""
    parts = []
    for part in pattern.split("/"):
        pieces = _FIELD.split(part)
        text = ""
        for index, piece in enumerate(pieces):
            if index % 2 == 0:
                if "{" in piece or "}" in piece:
                    raise Refused(
                        "a brace has no partner", where=f"filing pattern '{pattern}'", remedy="Write fields as {title}"
                    )
                # What stands between fields goes with them: "{year} {title}" without a year is just the title.
                text += piece if text or piece.strip() else ""
            else:
                text += _value(piece, values, pattern)
        parts.append(text.strip(" -–"))
    return parts


def _value(piece: str, values: Mapping[str, str], pattern: str) -> str:
    name, colon, spec = piece.partition(":")
    name = name.strip()
    if name not in values and name.replace("_", " ") in values:
        name = name.replace("_", " ")
    if name not in values:
        raise Refused(
            f"there is no field '{name}'",
            where=f"filing pattern '{pattern}'",
            remedy=f"The fields are {', '.join(values)}",
        )
    value = values[name]
    if not colon or not value:
        return value
    if not _SPEC.fullmatch(spec):
        raise Refused(
            f"'{spec}' is no format",
            where=f"filing pattern '{pattern}'",
            remedy="Write {number:02} or {title:.40}",
        )
    return format(int(value) if value.isascii() and value.isdigit() and "." not in spec else value, spec)


def folder_path(pattern: str, values: Mapping[str, str]) -> list[str]:
    """The safe folder names, outermost first; a part that comes out empty is left away."""
    names = [safe_name(part) for part in fill(pattern, values) if part]
    return names or ["untitled"]


def file_names(
    pattern: str, values: Iterable[Mapping[str, str]], suffix: str, *, taken: Iterable[str] = ()
) -> list[str]:
    """A safe file name for each, all different even where case and accents do not count; later ones get (2), (3) ..."""
    used = {_identity(name) for name in taken}
    names = []
    for one in values:
        text = " ".join(part for part in fill(pattern, one) if part)
        name = safe_name(text, suffix=suffix)
        count = 2
        while _identity(name) in used:
            mark = f" ({count}){suffix}"
            name = safe_name(_trim(safe_name(text), MAX_NAME_BYTES - len(mark.encode())), suffix=mark)
            count += 1
        used.add(_identity(name))
        names.append(name)
    return names


def _identity(name: str) -> str:
    """What two names share when macOS or Windows take them for the same file."""
    return unicodedata.normalize("NFC", unicodedata.normalize("NFKD", name).casefold())
