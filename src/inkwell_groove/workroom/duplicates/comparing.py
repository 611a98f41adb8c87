"""Comparing every sound with every other, as a job: what was compared once need not be again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from itertools import combinations
from typing import Any

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from inkwell_groove.core.duplicates.relation import RULES
from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.search.words import words
from inkwell_groove.core.survey.fields import says_nothing
from inkwell_groove.store.database import after_commit
from inkwell_groove.store.models import Job, SoundRelation, now
from inkwell_groove.workroom.duplicates.sounds import Sound, all_sounds
from inkwell_groove.workroom.files.orders import CompareOrder, CompareResult, KnownPair, forget, read_lines, write_lines
from inkwell_groove.workroom.jobs.arguments import InFolder
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, under_way
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import JobView

COMPARE = "compare sounds"
_MOST_OF_A_TITLE = 8  # recordings of one title by one artist that are all compared with each other
_NEARLY = 0.08  # share by which lengths may differ to be compared for their title alone
_CHUNK = 2_000


class Comparing(Part):
    """Asks for the comparison and keeps what it found."""

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.duplicates:compare_sounds"
        return JobKind(COMPARE, function, InFolder, self._finish, self._fail, lane=Lane.BULK)

    def ask(self, *, who: str) -> JobView:
        """Compares what was heard and not compared yet. Raises Conflict where nothing was heard, or it is under way."""
        with self._database.begin() as session:
            if under_way(session, COMPARE):
                raise Conflict("sounds are being compared", where="duplicates", remedy="Wait until that has ended")
            sounds: dict[str, Sound] = {}
            for one in all_sounds(session, self._media):
                sounds.setdefault(one.id, one)
            if len(sounds) < 2:
                raise Conflict("too little was listened to yet", where="duplicates", remedy="Listen to the files first")
            # Of a sound that is no more there is nothing to say.
            gone = {key for pair in session.execute(select(SoundRelation.first, SoundRelation.second)) for key in pair}
            for chunk in _chunks(sorted(gone - sounds.keys())):
                session.execute(
                    delete(SoundRelation).where(SoundRelation.first.in_(chunk) | SoundRelation.second.in_(chunk))
                )
            told_by = func.json_value(SoundRelation.document, "$.rules")
            session.execute(delete(SoundRelation).where(func.coalesce(told_by, 0) != RULES))
            orders = [CompareOrder(sound_id=one.id, path=self._media.name_of(one.path)) for one in sounds.values()]
            pairs = session.execute(select(SoundRelation.first, SoundRelation.second))
            known = [KnownPair(first=first, second=second) for first, second in pairs]
            titled = [KnownPair(first=first, second=second) for first, second in same_titles(sounds.values())]

            def arguments(job_id: int) -> InFolder:
                folder = self._media.root / "surveys" / f"comparing {job_id}"
                folder.mkdir(parents=True, exist_ok=True)
                write_lines(folder / "order", orders)
                write_lines(folder / "known", known)
                write_lines(folder / "titled", titled)
                return InFolder(folder=self._media.name_of(folder))

            subject = f"{len(sounds)} sounds"
            return JobView.of(self.jobs.ask(session, COMPARE, docket_id=None, subject=subject, arguments=arguments))

    def _finish(self, session: Session, job: Job, arguments: InFolder, _: dict[str, Any]) -> None:
        self._keep(session, arguments)

    def _fail(self, session: Session, job: Job, arguments: InFolder, _: dict[str, Any]) -> None:
        """Keep what was compared before the job stopped."""
        self._keep(session, arguments)

    def _keep(self, session: Session, arguments: InFolder) -> None:
        folder = self._media.path_of(arguments.folder)
        found = [CompareResult.model_validate_json(line) for line in read_lines(folder / "found")]
        here = {tuple(pair) for pair in session.execute(select(SoundRelation.first, SoundRelation.second))}
        rows = [
            {
                "first": one.first,
                "second": one.second,
                "kind": one.relation.kind,
                "at": now(),
                "document": one.relation.model_dump(mode="json"),
            }
            for one in {(one.first, one.second): one for one in found}.values()
            if (one.first, one.second) not in here
        ]
        for chunk in _chunks(rows):
            session.execute(insert(SoundRelation), list(chunk))
        after_commit(session, lambda: forget(folder))


def compared(session: Session) -> int:
    """Return how many pairs have been compared."""
    return session.scalar(select(func.count()).select_from(SoundRelation)) or 0


def same_titles(sounds: Iterable[Sound]) -> list[tuple[str, str]]:
    """Yield pairs of sounds of one title and artist, by their tags, that are nearly equally long."""
    named: dict[tuple[str, str], list[Sound]] = defaultdict(list)
    for one in sounds:
        if not says_nothing(one.title) and (title := " ".join(words(one.title))):
            named[title, " ".join(words(one.artist))].append(one)
    return [
        (first.id, second.id) if first.id < second.id else (second.id, first.id)
        for group in named.values()
        if len(group) <= _MOST_OF_A_TITLE
        for first, second in combinations(group, 2)
        if abs(first.seconds - second.seconds) <= _NEARLY * max(first.seconds, second.seconds)
    ]


def _chunks(rows: list[Any]) -> Iterable[list[Any]]:
    for at in range(0, len(rows), _CHUNK):
        yield rows[at : at + _CHUNK]
