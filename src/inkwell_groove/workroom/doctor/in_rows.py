"""Rows whose files are gone, or are not what the rows say."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from sqlalchemy import select

from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.models import Artwork, Bundle, DiscRead, FileStep, HeldFile, Package, Recording, Take, Upload
from inkwell_groove.workroom.doctor.findings import Finding, Patient
from inkwell_groove.workroom.duplicates.holding import HELD
from inkwell_groove.workroom.files.bundles import READY
from inkwell_groove.workroom.files.steps import BACK_IN_PART, GOING_BACK, IN_PART, UNDER_WAY, WRITTEN

_FROM_COPY = "Put it back from a copy of the store"


def takes(patient: Patient) -> Iterator[Finding]:
    seen = set()
    for sha256, name, size_bytes in patient.session.execute(select(Take.sha256, Take.name, Take.size_bytes)):
        if sha256 in seen:
            continue
        seen.add(sha256)
        path = patient.media.take(sha256)
        if not path.is_file():
            yield Finding("take without its file", str(path), f"the recording {name} is gone", _FROM_COPY)
        elif path.stat().st_size != size_bytes:
            found = f"{path.stat().st_size} bytes instead of {size_bytes}"
            yield Finding("take of another length", str(path), f"the recording {name} has {found}", _FROM_COPY)


def damaged_takes(patient: Patient) -> Iterator[Finding]:
    """Read every take once: takes as long as reading the whole store."""
    for sha256 in sorted(set(patient.session.scalars(select(Take.sha256)))):
        path = patient.media.take(sha256)
        if path.is_file() and sha256_of(path) != sha256:
            yield Finding("take that was altered", str(path), "its content is not what was taken in", _FROM_COPY)


def pictures(patient: Patient) -> Iterator[Finding]:
    for sha256 in sorted(set(patient.session.scalars(select(Artwork.sha256)))):
        if not patient.media.picture(sha256).is_file():
            yield Finding(
                "artwork without its file", str(patient.media.picture(sha256)), "a picture is gone", _FROM_COPY
            )


def packages(patient: Patient) -> Iterator[Finding]:
    for folder in patient.session.scalars(select(Package.folder)):
        if not patient.media.package(folder).is_dir():
            yield Finding(
                "package without its folder",
                str(patient.media.package(folder)),
                "a package is gone",
                "Put it back from the second copy, on the page Fixity",
            )


def held(patient: Patient) -> Iterator[Finding]:
    for place, path in patient.session.execute(select(HeldFile.place, HeldFile.path).where(HeldFile.state == HELD)):
        if not (patient.media.root / "holding" / place).is_file():
            yield Finding("held file that is gone", path, "a file that was set aside is gone", _FROM_COPY)


def bundles(patient: Patient) -> Iterator[Finding]:
    ready = select(Bundle).where(Bundle.state == READY)
    for bundle in patient.session.scalars(ready):
        root = Path(bundle.origin) if bundle.in_place else patient.media.bundle(bundle.id)
        if not root.is_dir():
            remedy = "Put the folder back, or connect its disk" if bundle.in_place else _FROM_COPY
            yield Finding("folder of files that is gone", str(root), f"the files of {bundle.name} are gone", remedy)


def disc_reads(patient: Patient) -> Iterator[Finding]:
    for number in patient.session.scalars(select(DiscRead.id).where(DiscRead.record.is_not(None))):
        if not patient.media.disc_read(number).is_dir():
            path = str(patient.media.disc_read(number))
            yield Finding("reading without its folder", path, "what was read of a disc is gone", "Read the disc again")


def uploads(patient: Patient) -> Iterator[Finding]:
    for number, name in patient.session.execute(select(Upload.id, Upload.name)):
        if not patient.media.upload(number).is_file():
            yield Finding(
                "upload without its file", name, "what was sent of it is gone", "Discard it and send it again"
            )


def recordings(patient: Patient) -> Iterator[Finding]:
    for number in patient.session.scalars(select(Recording.id).where(Recording.state != "armed")):
        if not patient.media.recording(number).is_dir():
            path = str(patient.media.recording(number))
            yield Finding("recording without its folder", path, "the sound of a recording is gone", _FROM_COPY)


def steps(patient: Patient) -> Iterator[Finding]:
    undoable = (UNDER_WAY, GOING_BACK, WRITTEN, IN_PART, BACK_IN_PART)
    for number, what in patient.session.execute(select(FileStep.id, FileStep.what).where(FileStep.state.in_(undoable))):
        if not patient.media.step(number).is_dir():
            yield Finding("step without its journal", what, "the journal that undoes it is gone", _FROM_COPY)


QUICK = (takes, pictures, packages, held, bundles, disc_reads, uploads, recordings, steps)
THOROUGH = (damaged_takes,)
