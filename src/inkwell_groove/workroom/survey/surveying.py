"""Making the survey, as a job: of everything at first, of what changed since from then on.

What is to be looked at goes to the job in lines, what it found comes back in lines. A release is looked at as a whole,
so when one of its files changes all of them are looked at again; spellings are compared over the whole collection,
from a table that says which file has which name.
"""

from __future__ import annotations

import hashlib
import json
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import Text, cast, delete, func, insert, or_, select, true
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.files.derived import DISC_FOLDER
from inkwell_groove.core.survey.duplicates import CHECK as SAME_SOUND
from inkwell_groove.core.survey.duplicates import same_sound
from inkwell_groove.core.survey.finding import Finding, Record
from inkwell_groove.core.survey.names import CHECK as SPELLINGS
from inkwell_groove.core.survey.names import KIND_OF, STRAYS, Use, spellings
from inkwell_groove.store.database import after_commit
from inkwell_groove.store.models import (
    NAME_LENGTH,
    Bundle,
    BundleFile,
    Job,
    NameUse,
    SurveyFinding,
    SurveyRun,
    now,
)
from inkwell_groove.workroom.authorities.pointing import settled_names, strays
from inkwell_groove.workroom.files.bundles import root_of
from inkwell_groove.workroom.files.orders import forget, read_lines
from inkwell_groove.workroom.files.rules import house_rules
from inkwell_groove.workroom.jobs.arguments import Survey
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, under_way
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.survey.beyond import BEYOND, beyond_files
from inkwell_groove.workroom.views import JobView

SURVEY = "survey"
_READY = "ready"
# A transaction that was open while the last survey began may have changed rows at a time that had passed.
_OVERLAP = timedelta(minutes=5)
_CHUNK = 5_000
_FEW = 200  # so many places are asked for one by one; more are found by going through all


class Surveying(Part):
    """Asks for surveys and keeps what they find. `fixity_days`: packages are to be verified so often."""

    fixity_days = 90

    def kind(self) -> AnyKind:
        function = "inkwell_groove.workroom.jobs.survey:survey_files"
        return JobKind(SURVEY, function, Survey, self._finish, self._fail, lane=Lane.BULK)

    def ask(self, *, who: str, anew: bool = False) -> JobView:
        """Looks at what changed since the last survey, or at everything, `anew` or where the house's rules are others.

        Raises Conflict while a survey is being made.
        """
        with self._database.begin() as session:
            if under_way(session, SURVEY):
                raise Conflict("the survey is being made", where="the survey", remedy="Wait until it has ended")
            return JobView.of(self._begin(session, last_run(session), who=who, anew=anew))

    def follow(self, session: Session, who: str) -> None:
        """Has what a step of work changed looked at again, if the collection was surveyed before."""
        last = last_run(session)
        if last is not None and not under_way(session, SURVEY):
            self._begin(session, last, who=who)

    def by_other_rules(self, who: str) -> None:
        """Has everything looked at again, if it ever was, because the house wants something else now."""
        with self._database.begin() as session:
            self.follow(session, who)

    def _begin(self, session: Session, last: SurveyRun | None, *, who: str, anew: bool = False) -> Job:
        house = house_rules(session)
        digest = hashlib.sha256(house.model_dump_json().encode()).hexdigest()
        since = None if anew or last is None or last.house != digest else last.seen_until - _OVERLAP
        run = SurveyRun(house=digest, seen_until=session.scalar(select(func.now(6))), ended_at=None, files=0, by=who)
        session.add(run)
        session.flush()
        folder = self._media.root / "surveys" / str(run.id)
        folder.mkdir(parents=True, exist_ok=True)
        places = None if since is None else _changed_places(session, since)
        run.files = _write_order(session, folder, places)
        arguments = Survey(
            run_id=run.id,
            house=house.model_dump(mode="json"),
            places=None if places is None else sorted(places),
            roots={
                str(one.id): self._media.name_of(root_of(self._media, one)) for one in session.scalars(select(Bundle))
            },
            in_place=[str(key) for key in session.scalars(select(Bundle.id).where(Bundle.in_place))],
        )
        return self.jobs.ask(session, SURVEY, docket_id=None, subject="the collection", arguments=arguments)

    def _finish(self, session: Session, job: Job, arguments: Survey, _: dict[str, Any]) -> None:
        run = session.get_one(SurveyRun, arguments.run_id)
        folder = self._media.root / "surveys" / str(run.id)
        places = arguments.places
        if places is None:
            session.execute(delete(SurveyFinding))
            session.execute(delete(NameUse))
        else:
            for chunk in _chunks(places):
                session.execute(delete(SurveyFinding).where(SurveyFinding.place.in_(chunk)))
        names = [json.loads(line) for line in read_lines(folder / "names")]
        # Files that went since then took their names with them; findings of them go with the next survey.
        here: set[int] = set()
        for chunk in _chunks([key for key, _ in names]):
            here |= set(session.scalars(select(BundleFile.id).where(BundleFile.id.in_(chunk))))
        found = (Finding.model_validate_json(line) for line in read_lines(folder / "found"))
        keep_findings(session, (one for one in found if here.issuperset(one.files)))
        _keep_names(session, [(key, held) for key, held in names if key in here], anew=places is None)
        session.execute(delete(SurveyFinding).where(SurveyFinding.name == SAME_SOUND))
        keep_findings(session, _same_sounds(session))
        session.execute(delete(SurveyFinding).where(SurveyFinding.name.in_(BEYOND)))
        keep_findings(session, beyond_files(session, self.fixity_days))
        run.ended_at = now()
        after_commit(session, lambda: forget(folder))

    def _fail(self, session: Session, job: Job, arguments: Survey, failure: dict[str, Any]) -> None:
        """The run is forgotten, so that the next one looks at the same again."""
        run = session.get(SurveyRun, arguments.run_id)
        if run is not None:
            folder = self._media.root / "surveys" / str(run.id)
            after_commit(session, lambda: forget(folder))
            session.delete(run)


def _keep_names(session: Session, names: Sequence[tuple[int, dict[str, list[str]]]], *, anew: bool) -> None:
    if not anew:
        for chunk in _chunks([key for key, _ in names]):
            session.execute(delete(NameUse).where(NameUse.file_id.in_(chunk)))
    rows = [
        {"file_id": key, "field": field, "value": value}
        for key, held in names
        for field, values in held.items()
        for value in values
        if len(value) <= NAME_LENGTH
    ]
    for chunk in _chunks(rows):
        session.execute(insert(NameUse), chunk)
    session.execute(delete(SurveyFinding).where(SurveyFinding.name.in_((SPELLINGS, STRAYS))))
    keep_findings(session, _misspelt(session))
    keep_findings(session, strays(session))


def last_run(session: Session) -> SurveyRun | None:
    """The last survey that ended."""
    return session.scalars(
        select(SurveyRun).where(SurveyRun.ended_at.is_not(None)).order_by(SurveyRun.id.desc()).limit(1)
    ).first()


def place_of(bundle_id: int, path: str) -> str:
    """The folder of a file's release, as the findings name it."""
    return DISC_FOLDER.sub("", f"{bundle_id}/{path}".rpartition("/")[0])


def _changed_places(session: Session, since: datetime) -> set[str]:
    changed = session.execute(
        select(BundleFile.bundle_id, BundleFile.path).where(BundleFile.changed_at > since).distinct()
    )
    places = {place_of(*row) for row in changed}
    # A folder that came in, or was looked at again, may have lost files, of which no row is left to tell.
    for bundle_id in session.scalars(select(Bundle.id).where(Bundle.changed_at > since, Bundle.state == _READY)):
        paths = session.scalars(select(BundleFile.path).where(BundleFile.bundle_id == bundle_id))
        places |= {place_of(bundle_id, path) for path in paths}
        kept = select(SurveyFinding.place).where(SurveyFinding.place.like(f"{bundle_id}/%")).distinct()
        places |= set(session.scalars(kept))
    return places


def _write_order(session: Session, folder: Path, places: set[str] | None) -> int:
    """Lines for the job: files, and pictures beside them. JSON is handed on as the database has it, unread."""
    count = 0
    with (folder / "order").open("w", encoding="utf-8") as out:
        for key, bundle_id, path, kind, sha256, fields, facts, problem in _rows(session, places):
            head = json.dumps({"key": key, "path": f"{bundle_id}/{path}", "kind": kind, "sha256": sha256})[:-1]
            out.write(f'{head}, "fields": {fields}, "facts": {facts}, "problem": {problem or "null"}}}\n')
            count += kind != "picture"
    return count


def _rows(session: Session, places: set[str] | None) -> Iterator[Any]:
    query = (
        select(
            BundleFile.id,
            BundleFile.bundle_id,
            BundleFile.path,
            BundleFile.kind,
            BundleFile.sha256,
            cast(BundleFile.fields, Text),
            cast(BundleFile.facts, Text),
            cast(BundleFile.problem, Text),
        )
        .where(BundleFile.kind.in_(("audio", "unreadable", "picture")))
        .execution_options(yield_per=_CHUNK)
    )
    if places is None:
        yield from session.execute(query)
        return
    if len(places) > _FEW:
        yield from (row for row in session.execute(query) if place_of(row[1], row[2]) in places)
        return
    by_bundle: dict[int, list[str]] = defaultdict(list)
    for place in places:
        bundle, _, folder = place.partition("/")
        by_bundle[int(bundle)].append(folder)
    for bundle_id, folders in by_bundle.items():
        # A release's folder begins the paths of its discs' folders too.
        below = [BundleFile.path.startswith(folder, autoescape=True) for folder in folders if folder]
        inside = query.where(BundleFile.bundle_id == bundle_id, or_(*below) if "" not in folders else true())
        yield from (row for row in session.execute(inside) if place_of(row[1], row[2]) in places)


def keep_findings(session: Session, found: Iterable[Finding]) -> None:
    rows: list[dict[str, Any]] = []
    for one in found:
        about = hashlib.sha256(f"{one.check}|{one.about}".encode()).hexdigest()
        document = one.model_dump(mode="json", exclude_defaults=True)
        rows.append({"name": one.check, "place": one.place[:1_000], "about": about, "document": document})
        if len(rows) == _CHUNK:
            session.execute(insert(SurveyFinding), rows)
            rows = []
    if rows:
        session.execute(insert(SurveyFinding), rows)


def _misspelt(session: Session) -> Iterator[Finding]:
    """Counted by the database: only of what is misspelt is asked where it stands."""
    counted = session.execute(select(NameUse.field, NameUse.value, func.count()).group_by(NameUse.field, NameUse.value))
    known = settled_names(session)
    found = [
        one for one in spellings([Use(*row) for row in counted]) if (KIND_OF.get(one.field, ""), one.value) not in known
    ]
    by_field: dict[str, list[str]] = defaultdict(list)
    for one in found:
        by_field[one.field].append(one.value)
    files: dict[tuple[str, str], set[int]] = defaultdict(set)
    for field, values in by_field.items():
        for chunk in _chunks(values):
            uses = select(NameUse.value, NameUse.file_id).where(NameUse.field == field, NameUse.value.in_(chunk))
            for value, key in session.execute(uses):
                files[field, value].add(key)
    for one in found:
        yield one.finding(sorted(files[one.field, one.value]))


def _same_sounds(session: Session) -> Iterator[Finding]:
    """Every sound that more than one file holds."""
    sound = (BundleFile.kind == "audio", BundleFile.audio_digest != "")
    held_twice = (
        select(BundleFile.audio_digest).where(*sound).group_by(BundleFile.audio_digest).having(func.count() > 1)
    )
    digests = list(session.scalars(held_twice))
    groups: dict[str, list[Record]] = defaultdict(list)
    for chunk in _chunks(digests):
        rows = select(
            BundleFile.audio_digest, BundleFile.id, BundleFile.bundle_id, BundleFile.path, BundleFile.fields
        ).where(*sound, BundleFile.audio_digest.in_(chunk))
        for digest, key, bundle_id, path, fields in session.execute(rows):
            groups[digest].append(Record(key, f"{bundle_id}/{path}", fields))
    for files in groups.values():
        yield same_sound(files)


def _chunks(rows: Sequence[Any]) -> Iterator[Sequence[Any]]:
    for at in range(0, len(rows), _CHUNK):
        yield rows[at : at + _CHUNK]
