"""Writing what the sheet holds, as a job that is one step in the ledger; and taking such a step back, whenever."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Literal

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from inkwell_groove.core.audio.flacfile import checked
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.files.fields import BY_NAME, accept
from inkwell_groove.core.files.moving import going_along, plan_moves
from inkwell_groove.core.files.pictures import KIND_OF
from inkwell_groove.core.files.silence import KEPT_S
from inkwell_groove.store.models import Bundle, BundleFile, FileStep, Job, NamedLock
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.files.bundles import BESIDE, beside_anew, root_of
from inkwell_groove.workroom.files.orders import FILING, Order, PictureAsked, Result, read_lines, write_lines
from inkwell_groove.workroom.files.sheet import CHECKSUM, HEARD, PATH, SILENCE, SOUND_ID, files_of, safe_path
from inkwell_groove.workroom.files.views import StepView
from inkwell_groove.workroom.jobs.arguments import OfStep, UndoStep
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, under_way
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import Going, Gone, Way

WRITE, TAKE_BACK = "write files", "take back files"
FILE_BACK, PUT_BACK = "file back", "put back files"  # done in `filing_back`
SET_ASIDE, BRING_BACK = "set files aside", "bring files back"  # done in `duplicates.holding`
UNDER_WAY, WRITTEN, IN_PART = "under way", "written", "written in part"
GOING_BACK, BACK, BACK_IN_PART = "being taken back", "taken back", "taken back in part"
UNDOABLE = (WRITTEN, IN_PART, BACK_IN_PART)
_MOST_TOLD = 200
Id3 = Literal["as it is", "2.3", "2.4"]


class Steps(Part):
    """Steps of work on many files. `settled` is called as one ends, in its transaction, with who asked for it, and
    `went_back` as one was taken back, with whether all of it was.
    """

    settled: Callable[[Session, str], None] = staticmethod(lambda session, who: None)
    went_back: Callable[[Session, Going, bool], None] = staticmethod(lambda session, going, whole: None)

    def kinds(self) -> list[AnyKind]:
        jobs = "inkwell_groove.workroom.jobs"
        write, undo = f"{jobs}.files:write_files", f"{jobs}.files_undo:take_back_files"
        return [
            JobKind(WRITE, write, OfStep, self._finish, self._fail),
            JobKind(TAKE_BACK, undo, UndoStep, self._finish_back, self._fail_back, needs_space=False),
        ]

    def write(self, bundle_ids: Sequence[int], *, id3: Id3 = "as it is", keep_id3v1: bool = True, who: str) -> StepView:
        """Writes all that is changed and not written. Raises Conflict where nothing is, or files are being written."""
        with self._database.begin() as session:
            files = [
                one
                for one in session.scalars(
                    select(BundleFile)
                    .where(BundleFile.bundle_id.in_(bundle_ids), BundleFile.kind == "audio")
                    .with_for_update()
                )
                if one.pending
            ]
            if not files:
                raise Conflict("nothing is changed", where="the sheet", remedy="Change something first")
            moves = _moves(session, files)
            orders = [
                Order(
                    file_id=one.id,
                    root=self._root(session, one),
                    path=one.path,
                    sha256=one.sha256,
                    new_path=moves.get(one.id, ""),
                    fields={key: value for key, value in one.pending.items() if key in BY_NAME},
                    take_off_silence=bool(one.pending.get(SILENCE)),
                    id3=id3,
                    keep_id3v1=keep_id3v1,
                )
                for one in files
            ]
            along = self._going_along(session, moves, {one.id for one in files})
            fields = sorted({key for one in files for key in one.pending if key in BY_NAME})
            what = _in_words(
                len(files),
                [BY_NAME[key].label for key in fields],
                len(moves) - len(along),
                sum(one.take_off_silence for one in orders),
                len(along),
            )
            return self._begin(session, [*orders, *along], what, who=who)

    def write_cells(self, cells: Mapping[int, Mapping[str, str]], what: str, *, who: str) -> StepView:
        """Writes some cells at once, whatever else is changed on the sheet and not written; as `write` does.

        Raises Conflict where files are being written, Missing for an unknown file.
        """
        with self._database.begin() as session:
            return self.begin_cells(session, cells, what, who=who)

    def begin_cells(
        self, session: Session, cells: Mapping[int, Mapping[str, str]], what: str, *, who: str, alone: bool = True
    ) -> StepView:
        """The same in the caller's transaction. Where it is not `alone`, what it is part of is taken
        back, and the step with it.
        """
        files = files_of(session, set(cells), lock=True)
        moves = _moves_to(session, files, {key: held[PATH] for key, held in cells.items() if held.get(PATH)})
        orders = [
            Order(
                file_id=key,
                root=self._root(session, files[key]),
                path=files[key].path,
                sha256=files[key].sha256,
                new_path=moves.get(key, ""),
                fields={name: accept(BY_NAME[name], value) for name, value in held.items() if name in BY_NAME},
                take_off_silence=bool(held.get(SILENCE)),
                samples_md5=held.get(CHECKSUM, ""),
            )
            for key, held in cells.items()
        ]
        what = f"{what}, {len(orders)} files"
        orders += self._going_along(session, moves, set(cells))
        return self._begin(session, orders, what, who=who, alone=alone)

    def set_pictures(self, file_ids: Sequence[int], data: bytes, role: str, *, who: str) -> StepView:
        """Embeds a picture in files under a role; their others stay. Raises Refused for what is no picture."""
        self.decoding.picture(data, name="picture")
        sha256 = self._media.keep_picture(data)
        with self._database.begin() as session:
            files = files_of(session, set(file_ids), lock=True, facts=True)
            orders = []
            for one in files.values():
                kept = [
                    PictureAsked(kind=KIND_OF.get(old["role"], 0), sha256=self._keep(session, one, number))
                    for number, old in enumerate(one.facts.get("pictures", []))
                    if old["role"] != role
                ]
                wanted = [PictureAsked(kind=KIND_OF[role], sha256=sha256), *kept]
                orders.append(
                    Order(
                        file_id=one.id,
                        root=self._root(session, one),
                        path=one.path,
                        sha256=one.sha256,
                        pictures=wanted,
                    )
                )
            return self._begin(session, orders, f"{role} put into {len(orders)} files", who=who)

    def take_out_pictures(self, file_ids: Sequence[int], *, who: str) -> StepView:
        """Takes all pictures out of files. They can be had back with the step."""
        with self._database.begin() as session:
            files = [
                one
                for one in files_of(session, set(file_ids), lock=True, facts=True).values()
                if one.facts.get("pictures")
            ]
            if not files:
                raise Conflict("no picture is in these files", where="the sheet", remedy="There is nothing to take out")
            orders = [
                Order(file_id=one.id, root=self._root(session, one), path=one.path, sha256=one.sha256, pictures=[])
                for one in files
            ]
            return self._begin(session, orders, f"pictures taken out of {len(orders)} files", who=who)

    def carry_out_art(self, file_ids: Sequence[int], rule: ArtRule, *, who: str) -> StepView:
        """Has the house's rule for pictures carried out for files."""
        with self._database.begin() as session:
            files = files_of(session, set(file_ids), lock=True, facts=True)
            orders = [
                Order(file_id=one.id, root=self._root(session, one), path=one.path, sha256=one.sha256, art=rule)
                for one in sorted(files.values(), key=lambda file: (file.bundle_id, file.path))
                if one.kind == "audio"
            ]
            if not orders:
                raise Conflict("every file is as the house wants it", where="pictures", remedy="Nothing is to be done")
            return self._begin(session, orders, f"house rule for pictures carried out for {len(orders)} files", who=who)

    def all(self, *, before_id: int | None, limit: int) -> list[StepView]:
        """Return steps, the newest first; `before_id` goes on below a step."""
        query = select(FileStep).order_by(FileStep.id.desc()).limit(limit)
        if before_id is not None:
            query = query.where(FileStep.id < before_id)
        with self._database.begin() as session:
            return [step_view(one) for one in session.scalars(query)]

    def one(self, step_id: int) -> StepView:
        """Return one step. Raises Missing."""
        with self._database.begin() as session:
            step = session.get(FileStep, step_id)
            if step is None:
                raise Missing(f"there is no step {step_id}", remedy="Look at the list of steps")
            return step_view(step)

    def take_back(self, step_id: int, *, who: str) -> StepView:
        """Makes the files of a step what they were, byte for byte.

        Raises Missing, or Conflict where it cannot be taken back or files are being written.
        """
        with self._database.begin() as session:
            self.go_back(session, step_id, Going(who))
            return step_view(session.get_one(FileStep, step_id))

    def way_back(self) -> Way:
        return Way(self._open_among, self.go_back)

    def _open_among(self, session: Session, noted: Mapping[int, Any]) -> set[int]:
        steps = {one.id: one for one in session.scalars(select(FileStep).where(FileStep.id.in_(noted.values())))}
        return {key for key, step_id in noted.items() if step_id in steps and _can_be_taken_back(steps[step_id])}

    def go_back(self, session: Session, step_id: int, going: Going) -> Gone:
        """The same in the caller's transaction."""
        step = session.get(FileStep, step_id, with_for_update=True)
        if step is None:
            raise Missing(f"there is no step {step_id}", remedy="Look at the list of steps")
        if not _can_be_taken_back(step):
            why = f"this step is {step.state}" if step.has_journal else "what would undo this step was deleted"
            raise Conflict(why, where=step.what, remedy="Look at the list of steps")
        nothing_else_runs(session, but=going.ended_job)
        step.state = GOING_BACK
        arguments = UndoStep(step_id=step.id, **going.arguments())
        kind = PUT_BACK if (self._media.step(step.id) / FILING).exists() else TAKE_BACK
        self.jobs.ask(session, kind, docket_id=None, subject=step.what, arguments=arguments)
        ledger.record(session, who=going.who, action=f"taken back: {step.what}", docket_id=None)
        return Gone(by_job=True)

    def _begin(self, session: Session, orders: list[Order], what: str, *, who: str, alone: bool = True) -> StepView:
        nothing_else_runs(session)
        asked = sum(not one.goes_along for one in orders)
        step = FileStep(what=what[:300], state=UNDER_WAY, counts={"files": asked}, told={"told": []}, by=who)
        session.add(step)
        session.flush()
        folder = self._media.step(step.id)
        folder.mkdir(parents=True, exist_ok=True)
        write_lines(folder / "order", orders)
        self.jobs.ask(session, WRITE, docket_id=None, subject=what, arguments=OfStep(step_id=step.id))
        ledger.record(
            session,
            who=who,
            action=what,
            docket_id=None,
            after={"files": asked},
            way_back=WayBack("file step", step.id) if alone else None,
        )
        return step_view(step)

    def _going_along(self, session: Session, moves: Mapping[int, str], asked: set[int]) -> list[Order]:
        """Return the orders for what moves though nobody asked for it by name: it lies beside sound that moves."""
        files = files_of(session, moves.keys() - asked, lock=True)
        return [
            Order(
                file_id=key,
                root=self._root(session, one),
                path=one.path,
                sha256=one.sha256,
                new_path=moves[key],
                goes_along=True,
            )
            for key, one in files.items()
        ]

    def _root(self, session: Session, file: BundleFile) -> str:
        return self._media.name_of(root_of(self._media, session.get_one(Bundle, file.bundle_id)))

    def _keep(self, session: Session, file: BundleFile, number: int) -> str:
        from inkwell_groove.core.files.reading import read_pictures

        return self._media.keep_picture(
            read_pictures(self._media.path_of(self._root(session, file)) / file.path)[number].data
        )

    def _finish(self, session: Session, job: Job, arguments: OfStep, _: dict[str, Any]) -> None:
        self._take_up(session, arguments, "results", UNDER_WAY)

    def _fail(self, session: Session, job: Job, arguments: OfStep, failure: dict[str, Any]) -> None:
        """Record what was written before the job stopped: it can be undone."""
        self._take_up(session, arguments, "results", UNDER_WAY, stopped=failure)

    def _finish_back(self, session: Session, job: Job, arguments: UndoStep, _: dict[str, Any]) -> None:
        self._take_up(session, arguments, "taken back", GOING_BACK)
        step = session.get_one(FileStep, arguments.step_id)
        self.went_back(session, Going.after(job, arguments), step.state == BACK)

    def _fail_back(self, session: Session, job: Job, arguments: UndoStep, failure: dict[str, Any]) -> None:
        self._take_up(session, arguments, "taken back", GOING_BACK, stopped=failure)
        self.went_back(session, Going.after(job, arguments), False)

    def _take_up(
        self, session: Session, arguments: OfStep, name: str, state: str, *, stopped: Mapping[str, Any] | None = None
    ) -> None:
        """Make the rows what the files are now, and the cells that were written unchanged."""
        step = session.get_one(FileStep, arguments.step_id)
        results = [Result.model_validate_json(line) for line in read_lines(self._media.step(step.id) / name)]
        found = {one.file_id: one for one in results if one.file_id > 0}
        asked = [Order.model_validate_json(line) for line in read_lines(self._media.step(step.id) / "order")]
        orders = {one.file_id: one for one in asked}
        # Files that went from the folder since then have no row any more.
        here = set(session.scalars(select(BundleFile.id).where(BundleFile.id.in_(found))))
        found = {key: one for key, one in found.items() if key in here}
        # A list or picture beside them may have no row; what is told of it is told all the same.
        told_of = [*found.values(), *(one for one in results if one.file_id <= 0)]
        files = files_of(session, here, lock=True, facts=True)
        forward = state == UNDER_WAY
        changed = [
            _row(files[key], one, orders.get(key) if forward else None) for key, one in found.items() if one.sha256
        ]
        along = sum(one.kind == "beside" for one in found.values())
        if changed:
            session.execute(update(BundleFile), changed)
        problems = _grouped(
            (one.path, f"{one.problem['what']}. {one.problem['remedy']}") for one in told_of if one.problem
        )
        told = _grouped((one.path, word) for one in told_of for word in one.told)
        left = sum(one.problem is not None for one in told_of)
        if stopped is not None:
            problems.insert(0, f"It stopped: {stopped['what']}")
        for bundle_id in {one.bundle_id for one in files.values()}:
            beside_anew(session, self._media, session.get_one(Bundle, bundle_id))
        whole = not problems
        step.state = (WRITTEN if whole else IN_PART) if forward else (BACK if whole else BACK_IN_PART)
        step.counts = {"files": step.counts["files"], "done": len(changed) - along, "left": left}
        step.told = {"told": (problems + told)[:_MOST_TOLD]}
        session.flush()
        self.settled(session, step.by)


def _grouped(words: Iterable[tuple[str, str]]) -> list[str]:
    """Return sentences about files: one for all files that it applies to, with the first of them by name."""
    by: dict[str, list[str]] = {}
    for path, word in words:
        by.setdefault(word, []).append(path)
    return [
        f"{paths[0]}: {word}" if len(paths) == 1 else f"{len(paths)} files, {paths[0]} among them: {word}"
        for word, paths in by.items()
    ]


def _row(file: BundleFile, one: Result, order: Order | None) -> dict[str, Any]:
    if one.kind == "beside":
        return {"id": file.id, "path": one.path, "sha256": one.sha256, "size_bytes": one.size_bytes}
    facts = {"silent_tail_s": file.facts.get("silent_tail_s", 0.0)} | one.facts
    # What was heard of its sound holds for as long as the sound is the same.
    if one.audio_digest == file.audio_digest:
        facts |= {name: file.facts[name] for name in HEARD if name in file.facts}
        if facts.get(CHECKSUM):
            facts[CHECKSUM] = checked(facts.get("stored_md5"), facts[SOUND_ID])
    pending = dict(file.pending)
    if order is not None and one.problem is None:
        if order.take_off_silence:
            facts["silent_tail_s"] = KEPT_S
            pending.pop(SILENCE, None)
        for key, value in order.fields.items():
            if pending.get(key) == value:
                del pending[key]
        if order.new_path and pending.get(PATH) and one.path != file.path:
            del pending[PATH]
    return {
        "id": file.id,
        "path": one.path,
        "sha256": one.sha256,
        "audio_digest": one.audio_digest,
        "size_bytes": one.size_bytes,
        "fields": one.fields,
        "facts": facts,
        "pending": pending,
    }


def _moves(session: Session, files: Iterable[BundleFile]) -> dict[int, str]:
    """Return new paths by file, no two alike: the sheet may have been changed in two places at once."""
    held = {one.id: one for one in files}
    return _moves_to(session, held, {key: str(one.pending[PATH]) for key, one in held.items() if one.pending.get(PATH)})


def _moves_to(session: Session, files: Mapping[int, BundleFile], wanted: Mapping[int, str]) -> dict[int, str]:
    """Return new paths by file, none of which another file of the bundle has.

    Covers, logs and the like that go along with the sound of their folder are among them.
    """
    out: dict[int, str] = {}
    by_bundle: dict[int, dict[int, str]] = {}
    for key, path in wanted.items():
        by_bundle.setdefault(files[key].bundle_id, {})[key] = safe_path(path, files[key].path)
    for bundle_id, moving in by_bundle.items():
        query = select(BundleFile.id, BundleFile.path, BundleFile.kind).where(BundleFile.bundle_id == bundle_id)
        rows = session.execute(query).all()
        here = {key: path for key, path, _ in rows}
        beside = {path: key for key, path, kind in rows if kind in BESIDE}
        staying = [path for key, path, kind in rows if kind not in BESIDE and key not in moving]
        along = going_along({here[key]: path for key, path in moving.items()}, staying, beside)
        moving |= {beside[old]: new for old, new in along.items() if beside[old] not in moving}
        out |= {move.key: move.new for move in plan_moves(here, moving)}
    return out


def nothing_else_runs(session: Session, *, but: int | None = None) -> None:
    """Raise Conflict if files are being written or moved. Until the transaction ends nobody else can begin to.

    Two steps at once would each alter what the other keeps the way back of, or moves aside. `but` is a job that has
    ended in this transaction.
    """
    session.execute(select(NamedLock).where(NamedLock.name == "files").with_for_update())
    step = select(FileStep).where(FileStep.state.in_((UNDER_WAY, GOING_BACK))).limit(1)
    if session.scalars(step).first() or under_way(session, SET_ASIDE, BRING_BACK, but=but):
        raise Conflict(
            "files are being written", where="the sheet", remedy="Wait until that is done; see the status bar"
        )


def _in_words(files: int, labels: list[str], moves: int, shortened: int, along: int) -> str:
    named = f"{', '.join(labels[:4])}{' and more' if len(labels) > 4 else ''} of " if labels else ""
    parts = [f"{named}{files} file{'s' if files != 1 else ''} written"]
    parts += [f"{moves} moved or renamed"] if moves else []
    parts += [f"{along} beside them moved along"] if along else []
    parts += [f"silence taken off {shortened}"] if shortened else []
    return ", ".join(parts)


def _can_be_taken_back(step: FileStep) -> bool:
    return step.has_journal and step.state in UNDOABLE


def step_view(step: FileStep) -> StepView:
    """Return a step as the list shows it."""
    return StepView(
        id=step.id,
        what=step.what,
        state=step.state,
        counts=step.counts,
        told=list(step.told["told"]),
        at=step.at,
        by=step.by,
        can_be_taken_back=_can_be_taken_back(step),
    )
