"""Files and folders of the store that no row knows of."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

from sqlalchemy import select

from inkwell_groove.store.journal import NAME
from inkwell_groove.store.models import (
    Bundle,
    DiscRead,
    FileStep,
    HeldFile,
    Job,
    Package,
    Recording,
    SurveyRun,
    Take,
    Upload,
)
from inkwell_groove.workroom.doctor.inconsistency import Examined, Inconsistency
from inkwell_groove.workroom.files.bundles import root_of
from inkwell_groove.workroom.jobs.kind import RUNNING, WAITING
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME

_OF_A_STEP = re.compile(r"\..*\.part(\..*)?|\.(moving|filing|replaced)-.*")
_BY_HAND = "Look into it, and delete it by hand if nobody needs it"


# A job with one of these arguments moves a file in among the takes before its row is written.
_MAKES_TAKES = {"upload_id", "recording_id", "parcel", "sha256s", "toc"}


def _left_over(kind: str, path: Path, what: str, delete: Callable[[], object]) -> Inconsistency:
    """Return an inconsistency that is safe to delete."""
    return Inconsistency(kind, str(path), what, "It can be deleted", delete)


def takes(examined: Examined) -> Iterator[Inconsistency]:
    known = set(examined.session.scalars(select(Take.sha256)))
    files = sorted(examined.media.takes())
    if not any(_MAKES_TAKES & arguments.keys() for arguments in examined.jobs):
        for path in files:
            if path.name not in known:
                yield Inconsistency("take without a docket", str(path), "a recording that no docket has", _BY_HAND)
    here = {path.name for path in files}
    for path in examined.media.root.glob("derived/*"):
        if path.name not in known | here:
            yield _left_over(
                "derived of no take",
                path,
                "what was derived from a take that is no more",
                partial(shutil.rmtree, path, ignore_errors=True),
            )


def uploads(examined: Examined) -> Iterator[Inconsistency]:
    known = set(examined.session.scalars(select(Upload.id)))
    # What was made of one while it came in, and what it became, lie beside it under its number.
    for path in sorted((examined.media.root / "uploads").iterdir()):
        number = path.name.partition(".")[0]
        if number.isdecimal() and int(number) not in known:
            yield _left_over(
                "upload without a row",
                path,
                "an upload that was taken in or discarded",
                partial(examined.media.forget_upload, int(number)),
            )


def recordings(examined: Examined) -> Iterator[Inconsistency]:
    known = set(examined.session.scalars(select(Recording.id)))
    for number, path in examined.numbered("recordings"):
        if number in known:
            continue
        if (path / SOUND_NAME).exists():
            yield Inconsistency("sound that no row knows", str(path), "a recording that is no take", _BY_HAND)
        else:
            yield _left_over(
                "left of a recording",
                path,
                "what is left of a recording that became a take",
                partial(examined.media.forget_recording, number),
            )


def numbered_folders(examined: Examined) -> Iterator[Inconsistency]:
    for model, folder, what in (
        (DiscRead, "discs", "a reading of a disc"),
        (Bundle, "bundles", "files that were brought in"),
        (FileStep, "steps", "the journal of a step on files"),
    ):
        known = set(examined.session.scalars(select(model.id)))
        for number, path in examined.numbered(folder):
            if number not in known:
                if model is FileStep and not (path / NAME).exists():
                    # Killed before it was committed: a step alters nothing before its journal says so.
                    words = "a step that was never asked for"
                    yield _left_over("step never asked for", path, words, partial(shutil.rmtree, path))
                    continue
                yield Inconsistency(f"{folder[:-1]} without a row", str(path), f"{what} that no row knows", _BY_HAND)


def surveys(examined: Examined) -> Iterator[Inconsistency]:
    ended = set(examined.session.scalars(select(SurveyRun.id).where(SurveyRun.ended_at.is_not(None))))
    known = set(examined.session.scalars(select(SurveyRun.id)))
    for number, path in examined.numbered("surveys"):
        if number not in known or number in ended:
            yield _left_over(
                "survey that has ended",
                path,
                "what a survey worked with, whose findings are kept",
                partial(shutil.rmtree, path, ignore_errors=True),
            )


def incoming(examined: Examined) -> Iterator[Inconsistency]:
    wanted = {str(one.get(name, "")) for one in examined.jobs for name in ("source", "parcel")}
    for path in (examined.media.root / "bundles").glob("incoming *"):
        if not any(path.name == Path(name).name or path.name == f"{Path(name).name} discs" for name in wanted):
            delete: Any = partial(shutil.rmtree, ignore_errors=True) if path.is_dir() else Path.unlink
            yield _left_over(
                "archive that nobody waits for",
                path,
                "an archive that was taken in, or whose sending broke off",
                partial(delete, path),
            )


def ended_orders(examined: Examined) -> Iterator[Inconsistency]:
    """What jobs worked with whose end is in the rows: their orders, and what they found."""
    root = examined.media.root
    orders = [*(root / "holding").glob("job *"), *(root / "surveys").glob("listening *")]
    orders += (root / "surveys").glob("comparing *")
    for path in sorted(orders):
        if not examined.is_worked_on("folder", examined.media.name_of(path)):
            delete = partial(shutil.rmtree, path, ignore_errors=True)
            yield _left_over("order of a job that ended", path, "what a job worked with, which has ended", delete)
    known = set(examined.session.scalars(select(Job.id).where(Job.state.in_((WAITING, RUNNING)))))
    for job_id, path in examined.numbered("pieces"):
        if job_id not in known:
            delete = partial(shutil.rmtree, path, ignore_errors=True)
            yield _left_over("pieces of a job that ended", path, "what the pieces of a job found", delete)
    for path in sorted((root / "bundles").glob("*.found")):
        number = path.name.removesuffix(".found")
        if number.isdecimal() and not examined.is_worked_on("bundle_id", int(number)):
            what = "what was found in files that were brought in, which the rows have"
            yield _left_over("order of a job that ended", path, what, path.unlink)


def held(examined: Examined) -> Iterator[Inconsistency]:
    known = set(examined.session.scalars(select(HeldFile.place)))
    place = examined.media.root / "holding"
    for path in sorted(place.glob("*/*")):
        if not path.parent.name.startswith("job ") and path.relative_to(place).as_posix() not in known:
            yield Inconsistency(
                "file set aside by nobody", str(path), "a file in the holding folder without a row", _BY_HAND
            )


def packages(examined: Examined) -> Iterator[Inconsistency]:
    """Packages that no docket has. Walks all that was sealed."""
    known = set(examined.session.scalars(select(Package.folder)))
    roots = examined.media.places.folders("packages")
    for root, path in ((one, path) for one in roots for path in sorted(one.rglob("bagit.txt"))):
        folder = path.parent.relative_to(root).as_posix()
        if not any(folder == one or folder.startswith(f"{one}/") for one in known):
            worked_on = any(folder.startswith(str(one.get("package", "\0"))) for one in examined.jobs)
            if not worked_on:
                yield Inconsistency("package without a row", str(path.parent), "a package that no docket has", _BY_HAND)


def half_written(examined: Examined) -> Iterator[Inconsistency]:
    """Hidden files that a step leaves while it works, where no step is under way. Walks every folder of files."""
    if any("step_id" in arguments for arguments in examined.jobs):
        return
    for bundle in examined.session.scalars(select(Bundle)):
        root = root_of(examined.media, bundle)
        for path in sorted(root.rglob(".*")) if root.is_dir() else ():
            if _OF_A_STEP.fullmatch(path.name):
                yield Inconsistency("left by a step", str(path), "a file that a step was working with", _BY_HAND)


QUICK = (takes, uploads, recordings, numbered_folders, surveys, incoming, ended_orders, held)
WALKING = (packages, half_written)
