"""Listening to every file once, as a job: what is heard is kept for as long as the sound stays the same."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import after_commit
from inkwell_groove.store.models import Bundle, BundleFile, Job
from inkwell_groove.workroom.files.bundles import root_of
from inkwell_groove.workroom.files.orders import ListenOrder, ListenResult, forget, read_lines, write_lines
from inkwell_groove.workroom.files.sheet import CHECKSUM, LOUDNESS, SILENT_HEAD, SOUND, SOUND_ID, files_of
from inkwell_groove.workroom.jobs.arguments import Listen
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, finish_nothing, under_way
from inkwell_groove.workroom.jobs.pieces import Piece
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.survey.surveying import Surveying
from inkwell_groove.workroom.views import JobView

LISTEN, LISTEN_PIECE = "listen to files", "listen to some files"
_LOSSLESS = ("FLAC", "WAV", "AIFF")
_MOST_AT_ONCE = 5_000
_FILES_IN_PIECE = 10  # half a minute of work, for files of some minutes


class SoundChecks(Part):
    """Asks for listening, and keeps what was heard."""

    surveying: Surveying

    def kinds(self) -> list[AnyKind]:
        function = "inkwell_groove.workroom.jobs.survey:listen_to_files"
        whole = JobKind(
            LISTEN,
            function,
            Listen,
            self._finish,
            self._fail,
            lane=Lane.BULK,
            join_pieces=False,
            go_on_without_failed=True,
        )
        # What a piece heard is kept with the whole.
        return [whole, JobKind(LISTEN_PIECE, function, Listen, finish_nothing, lane=Lane.BULK)]

    def ask(self, *, who: str) -> JobView:
        """Listens to the files that were not heard yet, at most 5,000 at once.

        Raises Conflict where there is none, or they are being listened to.
        """
        with self._database.begin() as session:
            if under_way(session, LISTEN):
                raise Conflict("files are being listened to", where="the survey", remedy="Wait until that has ended")
            rows = session.execute(_unheard().order_by(BundleFile.id).limit(_MOST_AT_ONCE)).all()
            if not rows:
                raise Conflict("every file was heard", where="the survey", remedy="Nothing is to be done")
            roots = {one.id: root_of(self._media, one) for one in session.scalars(select(Bundle))}
            orders = [
                ListenOrder(
                    file_id=key,
                    path=self._media.name_of(roots[bundle_id] / path),
                    audio_digest=digest,
                    lossless=form in _LOSSLESS,
                )
                for key, bundle_id, path, digest, form in rows
            ]

            def folder_of(job_id: int) -> Path:
                return self._media.root / "surveys" / f"listening {job_id}"

            def arguments(job_id: int) -> Listen:
                write_lines(folder_of(job_id) / "order", orders)
                return Listen(folder=self._media.name_of(folder_of(job_id)), who=who)

            def pieces(job_id: int) -> list[Piece]:
                if len(orders) <= _FILES_IN_PIECE:
                    return []
                folder = self._media.name_of(folder_of(job_id))
                return [
                    Piece(
                        LISTEN_PIECE,
                        Listen(folder=folder, who=who, first=first, files=_FILES_IN_PIECE),
                        f"files {first + 1} to {min(first + _FILES_IN_PIECE, len(orders))} of {len(orders)}",
                        weight=min(_FILES_IN_PIECE, len(orders) - first),
                    )
                    for first in range(0, len(orders), _FILES_IN_PIECE)
                ]

            job = self.jobs.ask(
                session, LISTEN, docket_id=None, subject=f"{len(rows)} files", arguments=arguments, pieces=pieces
            )
            return JobView.of(job)

    def _finish(self, session: Session, job: Job, arguments: Listen, _: dict[str, Any]) -> None:
        self._keep(session, arguments)

    def _fail(self, session: Session, job: Job, arguments: Listen, _: dict[str, Any]) -> None:
        """What was heard before it stopped was heard."""
        self._keep(session, arguments)

    def _keep(self, session: Session, arguments: Listen) -> None:
        folder = self._media.path_of(arguments.folder)
        heard = {
            one.file_id: one
            for path in sorted(folder.glob("heard*"))
            for line in read_lines(path)
            if (one := ListenResult.model_validate_json(line))
        }
        here = set(session.scalars(select(BundleFile.id).where(BundleFile.id.in_(heard))))
        changed = [
            {"id": key, "facts": {**one.facts, **_told(heard[key])}}
            for key, one in files_of(session, here, lock=True, facts=True).items()
            # Altered meanwhile, it has to be heard again.
            if one.audio_digest == heard[key].audio_digest
        ]
        if changed:
            session.execute(update(BundleFile), changed)
        after_commit(session, lambda: forget(folder))
        session.flush()
        self.surveying.follow(session, arguments.who)


def unheard(session: Session) -> int:
    """How many files were not listened to yet."""
    return session.scalar(select(func.count()).select_from(_unheard().subquery())) or 0


def _told(heard: ListenResult) -> dict[str, Any]:
    """Among the facts of a file from now on. Of what is not said to be lossless only by what it is compared."""
    loudness = heard.loudness and heard.loudness.model_dump(mode="json")
    told: dict[str, Any] = {
        SOUND_ID: heard.sound_id,
        CHECKSUM: heard.checksum,
        SILENT_HEAD: heard.silent_head_s,
        LOUDNESS: loudness,
    }
    return {SOUND: heard.sound, **told} if heard.sound else told


def _unheard() -> Any:
    form = func.json_value(BundleFile.facts, "$.format")
    # All of it is told at once, its loudness last since there are files that are listened to.
    lacking = func.json_exists(BundleFile.facts, f"$.{LOUDNESS}") == 0
    return select(BundleFile.id, BundleFile.bundle_id, BundleFile.path, BundleFile.audio_digest, form).where(
        BundleFile.kind == "audio", lacking
    )
