"""Playlists."""

from __future__ import annotations

from collections.abc import Iterable


def playlist_of(entries: Iterable[tuple[float, str, str, str]]) -> str:
    """An M3U8 playlist of (seconds, artist, title, file): UTF-8, relative names, whole seconds in each #EXTINF."""
    lines = ["#EXTM3U"]
    for seconds, artist, title, file in entries:
        said = " - ".join(part for part in (artist, title) if part)
        lines += [f"#EXTINF:{round(seconds)},{said}", file]
    return "\n".join(lines) + "\n"
