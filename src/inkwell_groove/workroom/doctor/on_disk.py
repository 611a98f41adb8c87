"""Files and folders of the store that no row knows of."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

from sqlalchemy import select

from inkwell_groove.store.models import (
    Bundle,
    DiscRead,
    FileStep,
    HeldFile,
    Package,
    Recording,
    SurveyRun,
    Take,
    Upload,
)
from inkwell_groove.workroom.doctor.findings import Finding, Patient
from inkwell_groove.workroom.transfer.recorder import SOUND_NAME

_BY_HAND = "Look into it, and delete it by hand if nobody needs it"


# A job with one of these arguments moves a file in among the takes before its row is written.
_MAKES_TAKES = {"upload_id", "recording_id", "parcel", "sha256s", "toc"}


def takes(patient: Patient) -> Iterator[Finding]:
    known = set(patient.session.scalars(select(Take.sha256)))
    files = sorted(patient.media.root.glob("takes/??/*"))
    if not any(_MAKES_TAKES & arguments.keys() for arguments in patient.jobs):
        for path in files:
            if path.name not in known:
                yield Finding("take without a docket", str(path), "a recording that no docket has", _BY_HAND)
    here = {path.name for path in files}
    for path in patient.media.root.glob("derived/*"):
        if path.name not in known | here:
            yield Finding(
                "derived of no take",
                str(path),
                "what was derived from a take that is no more",
                "It can be deleted",
                partial(shutil.rmtree, path, ignore_errors=True),
            )


def uploads(patient: Patient) -> Iterator[Finding]:
    known = set(patient.session.scalars(select(Upload.id)))
    for number, path in patient.numbered("uploads"):
        if number not in known:
            yield Finding(
                "upload without a row",
                str(path),
                "an upload that was taken in or discarded",
                "It can be deleted",
                partial(patient.media.forget_upload, number),
            )


def recordings(patient: Patient) -> Iterator[Finding]:
    known = set(patient.session.scalars(select(Recording.id)))
    for number, path in patient.numbered("recordings"):
        if number in known:
            continue
        if (path / SOUND_NAME).exists():
            yield Finding("sound that no row knows", str(path), "a recording that is no take", _BY_HAND)
        else:
            yield Finding(
                "left of a recording",
                str(path),
                "what is left of a recording that became a take",
                "It can be deleted",
                partial(patient.media.forget_recording, number),
            )


def numbered_folders(patient: Patient) -> Iterator[Finding]:
    for model, folder, what in (
        (DiscRead, "discs", "a reading of a disc"),
        (Bundle, "bundles", "files that were brought in"),
        (FileStep, "steps", "the journal of a step on files"),
    ):
        known = set(patient.session.scalars(select(model.id)))
        for number, path in patient.numbered(folder):
            if number not in known:
                yield Finding(f"{folder[:-1]} without a row", str(path), f"{what} that no row knows", _BY_HAND)


def surveys(patient: Patient) -> Iterator[Finding]:
    ended = set(patient.session.scalars(select(SurveyRun.id).where(SurveyRun.ended_at.is_not(None))))
    known = set(patient.session.scalars(select(SurveyRun.id)))
    for number, path in patient.numbered("surveys"):
        if number not in known or number in ended:
            yield Finding(
                "survey that has ended",
                str(path),
                "what a survey worked with, whose findings are kept",
                "It can be deleted",
                partial(shutil.rmtree, path, ignore_errors=True),
            )


def incoming(patient: Patient) -> Iterator[Finding]:
    wanted = {str(one.get(name, "")) for one in patient.jobs for name in ("source", "parcel")}
    for path in (patient.media.root / "bundles").glob("incoming *"):
        if not any(path.name == Path(name).name or path.name == f"{Path(name).name} discs" for name in wanted):
            delete: Any = partial(shutil.rmtree, ignore_errors=True) if path.is_dir() else Path.unlink
            yield Finding(
                "archive that nobody waits for",
                str(path),
                "an archive that was taken in, or whose sending broke off",
                "It can be deleted",
                partial(delete, path),
            )


def held(patient: Patient) -> Iterator[Finding]:
    known = set(patient.session.scalars(select(HeldFile.place)))
    place = patient.media.root / "holding"
    for path in sorted(place.glob("*/*")):
        if not path.parent.name.startswith("job ") and path.relative_to(place).as_posix() not in known:
            yield Finding("file set aside by nobody", str(path), "a file in the holding folder without a row", _BY_HAND)


def packages(patient: Patient) -> Iterator[Finding]:
    root = patient.media.root / "sealed"
    known = set(patient.session.scalars(select(Package.folder)))
    for path in sorted(root.rglob("bagit.txt")):
        folder = path.parent.relative_to(root).as_posix()
        if not any(folder == one or folder.startswith(f"{one}/") for one in known):
            worked_on = any(folder.startswith(str(one.get("package", "\0"))) for one in patient.jobs)
            if not worked_on:
                yield Finding("package without a row", str(path.parent), "a package that no docket has", _BY_HAND)


def half_written(patient: Patient) -> Iterator[Finding]:
    """Hidden files that a step leaves while it works, where no step is under way."""
    if any("step_id" in arguments for arguments in patient.jobs):
        return
    bundles = patient.session.execute(select(Bundle.id, Bundle.in_place, Bundle.origin))
    for bundle_id, in_place, origin in bundles:
        root = Path(origin) if in_place else patient.media.bundle(bundle_id)
        for pattern in (".*.part", ".*.part.*", ".moving-*", ".filing-*", ".replaced-*"):
            for path in sorted(root.rglob(pattern)) if root.is_dir() else ():
                yield Finding("left by a step", str(path), "a file that a step was working with", _BY_HAND)


ALL = (takes, uploads, recordings, numbered_folders, surveys, incoming, held, packages, half_written)
