"""What the doctor finds, and what it looks at."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job


@dataclass(frozen=True)
class Inconsistency:
    """One thing that is not as it should be. `mend` puts it right; without it a person has to decide."""

    kind: str
    where: str
    what: str
    remedy: str
    mend: Callable[[], object] | None = None


@dataclass(frozen=True)
class Examined:
    """What is examined: the media store, the database in one transaction, and the jobs that have not ended.

    `node` is the name of the server at which it is examined, where there are several.
    """

    session: Session
    media: MediaStore
    jobs: Collection[Mapping[str, Any]]
    node: str | None

    @classmethod
    def of(cls, session: Session, media: MediaStore, node: str | None = None) -> Examined:
        waiting = select(Job.arguments).where(Job.state.in_(("waiting", "running")))
        return cls(session, media, session.scalars(waiting).all(), node)

    def is_worked_on(self, name: str, value: object) -> bool:
        """Return whether a job that has not ended has this argument."""
        return any(arguments.get(name) == value for arguments in self.jobs)

    def numbered(self, folder: str) -> Iterator[tuple[int, Path]]:
        """Yield what lies in a folder of the store under a number."""
        place = self.media.recordings if folder == "recordings" else self.media.root / folder
        for path in sorted(place.iterdir()) if place.is_dir() else ():
            if path.name.isdecimal():
                yield int(path.name), path
