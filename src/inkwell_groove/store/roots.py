"""Named roots: the folders that paths in rows, orders and journals are relative to.

What is written down says `files:Box 3/01.flac`. An archive can be moved to another folder, and be seen by several
machines at different places: each machine is told in its settings where its `files` lie.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

from inkwell_groove.core.errors import Missing

_NAME = re.compile(r"([a-z]+):(.*)", re.DOTALL)


class Roots:
    """Folders by name."""

    def __init__(self, folders: Mapping[str, Path]) -> None:
        # Both ways to write a root lead to it: a path below it may have been resolved, or not.
        self._folders = {name: folder.absolute() for name, folder in folders.items()}
        self._ways = {way: name for name, folder in self._folders.items() for way in (folder.resolve(), folder)}

    def name_of(self, path: Path) -> str:
        """Return how a path is written down: the innermost root that it lies in, and the way from there.

        One that lies in none of them is written whole: a folder of an earlier setting, which cannot be moved then.
        """
        path = path.absolute()
        for folder in (path, *path.parents):
            if (root := self._ways.get(folder)) is not None:
                inside = path.relative_to(folder).as_posix()
                return f"{root}:{'' if inside == '.' else inside}"
        return str(path)

    def parted(self, path: Path) -> tuple[Path, Path]:
        """Return the folder of the innermost root that a path lies in, and the way from there.

        Raises ValueError for a path in none of them, or a root itself.
        """
        path = path.absolute()
        for folder in path.parents:
            if folder in self._ways:
                return folder, path.relative_to(folder)
        raise ValueError(f"{path} lies in no known root")

    def path_of(self, name: str) -> Path:
        """Return where that lies on this machine. A whole path is returned as it is.

        Raises Missing if this machine is not told where that root is, ValueError for a way that leads out of it.
        """
        match = _NAME.fullmatch(name)
        if match is None:
            return Path(name)
        root, inside = match.groups()
        if PurePosixPath(inside).is_absolute() or ".." in PurePosixPath(inside).parts:
            raise ValueError(f"{name!r} leads out of its root")
        if root not in self._folders:
            raise Missing(
                f"this machine does not know where '{root}' lies",
                where=name,
                remedy=f"Set INKWELL_{root.upper()}_ROOT, then start again",
            )
        return self._folders[root] / inside
