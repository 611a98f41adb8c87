"""Rows whose files are gone, or are not what the rows say."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select

from inkwell_groove.core.fixity import Pace, sha256_of
from inkwell_groove.store.bucket import Unreachable
from inkwell_groove.store.media_bucket import take_folder
from inkwell_groove.store.models import (
    Artwork,
    Bundle,
    DiscRead,
    FileStep,
    HeldFile,
    Package,
    Recording,
    StoredObject,
    Take,
    Upload,
)
from inkwell_groove.workroom.doctor.inconsistency import Examined, Inconsistency
from inkwell_groove.workroom.duplicates.holding import HELD
from inkwell_groove.workroom.files.bundles import READY, root_of
from inkwell_groove.workroom.files.steps import GOING_BACK, UNDER_WAY, UNDOABLE

_FROM_COPY = "Put it back from a copy of the store"


def takes(examined: Examined) -> Iterator[Inconsistency]:
    seen, stored = set(), _stored_takes(examined)
    for sha256, name, size_bytes in examined.session.execute(select(Take.sha256, Take.name, Take.size_bytes)):
        if sha256 in seen:
            continue
        seen.add(sha256)
        path = examined.media.take_here(sha256)
        if not path.is_file():
            if sha256 in stored:
                continue
            yield Inconsistency("take without its file", str(path), f"the recording {name} is gone", _FROM_COPY)
        elif path.stat().st_size != size_bytes:
            found = f"{path.stat().st_size} bytes instead of {size_bytes}"
            yield Inconsistency("take of another length", str(path), f"the recording {name} has {found}", _FROM_COPY)


def damaged_takes(examined: Examined) -> Iterator[Inconsistency]:
    """Read every take once, in object storage too: takes as long as reading the whole store."""
    for sha256 in sorted(_stored_takes(examined)):
        yield from _damaged_in_storage(examined, sha256)
    for sha256 in sorted(set(examined.session.scalars(select(Take.sha256)))):
        path = examined.media.take_here(sha256)
        if path.is_file() and sha256_of(path) != sha256:
            yield Inconsistency("take that was altered", str(path), "its content is not what was taken in", _FROM_COPY)


def _stored_takes(examined: Examined) -> set[str]:
    """Return the digests of the takes that are in object storage, by what the rows say."""
    stored = examined.session.scalars(select(StoredObject.take_sha256))
    return {sha256 for sha256 in stored if sha256 is not None}


def _damaged_in_storage(examined: Examined, sha256: str) -> Iterator[Inconsistency]:
    remedy = "Set INKWELL_MEDIA_BUCKET and INKWELL_S3_… as the server has them, and look at the storage"
    bucket, folder = examined.media.bucket, take_folder(sha256)
    if bucket is None:
        yield Inconsistency("take in object storage", folder, "this machine is not told where that is", remedy)
        return
    try:
        found = list(bucket.takes.check(folder, {sha256: sha256}, Pace()))
    except Unreachable as refusal:
        yield Inconsistency("take in object storage", str(refusal.where), refusal.what, remedy)
        return
    where = f"{bucket.takes.name}/{folder}"
    for one in found:
        if one.state != "sound":
            yield Inconsistency("take in object storage", where, one.words, _FROM_COPY)


def pictures(examined: Examined) -> Iterator[Inconsistency]:
    for sha256 in sorted(set(examined.session.scalars(select(Artwork.sha256)))):
        if not examined.media.picture(sha256).is_file():
            yield Inconsistency(
                "artwork without its file", str(examined.media.picture(sha256)), "a picture is gone", _FROM_COPY
            )


def packages(examined: Examined) -> Iterator[Inconsistency]:
    stored = set(examined.session.scalars(select(StoredObject.package_id).where(StoredObject.package_id.is_not(None))))
    for package_id, folder in examined.session.execute(select(Package.id, Package.folder)):
        if not examined.media.package_here(folder).is_dir() and package_id not in stored:
            yield Inconsistency(
                "package without its folder",
                str(examined.media.package_here(folder)),
                "a package is gone",
                "Put it back from the second copy, on the page Fixity",
            )


def held(examined: Examined) -> Iterator[Inconsistency]:
    for place, path in examined.session.execute(select(HeldFile.place, HeldFile.path).where(HeldFile.state == HELD)):
        if not (examined.media.root / "holding" / place).is_file():
            yield Inconsistency("held file that is gone", path, "a file that was set aside is gone", _FROM_COPY)


def bundles(examined: Examined) -> Iterator[Inconsistency]:
    ready = select(Bundle).where(Bundle.state == READY)
    for bundle in examined.session.scalars(ready):
        root = root_of(examined.media, bundle)
        if not root.is_dir():
            remedy = "Put the folder back, or connect its disk" if bundle.in_place else _FROM_COPY
            yield Inconsistency(
                "folder of files that is gone", str(root), f"the files of {bundle.name} are gone", remedy
            )


def disc_reads(examined: Examined) -> Iterator[Inconsistency]:
    for number in examined.session.scalars(select(DiscRead.id).where(DiscRead.record.is_not(None))):
        if not examined.media.disc_read(number).is_dir():
            path = str(examined.media.disc_read(number))
            yield Inconsistency(
                "reading without its folder", path, "what was read of a disc is gone", "Read the disc again"
            )


def uploads(examined: Examined) -> Iterator[Inconsistency]:
    for number, name in examined.session.execute(select(Upload.id, Upload.name)):
        # The job that takes it in has moved it among the takes by the time it ends.
        if not examined.media.upload(number).is_file() and not examined.is_worked_on("upload_id", number):
            yield Inconsistency(
                "upload without its file", name, "what was sent of it is gone", "Discard it and send it again"
            )


def recordings(examined: Examined) -> Iterator[Inconsistency]:
    begun = select(Recording.id).where(Recording.state != "armed")
    if examined.node is not None:
        begun = begun.where(Recording.node == examined.node)  # another server may have them on its own disk
    for number in examined.session.scalars(begun):
        if not examined.media.recording(number).is_dir() and not examined.is_worked_on("recording_id", number):
            path = str(examined.media.recording(number))
            yield Inconsistency("recording without its folder", path, "the sound of a recording is gone", _FROM_COPY)


def steps(examined: Examined) -> Iterator[Inconsistency]:
    needs_it = FileStep.state.in_((UNDER_WAY, GOING_BACK, *UNDOABLE)), FileStep.has_journal
    for number, what in examined.session.execute(select(FileStep.id, FileStep.what).where(*needs_it)):
        if not examined.media.step(number).is_dir():
            yield Inconsistency("step without its journal", what, "the journal that undoes it is gone", _FROM_COPY)


QUICK = (takes, pictures, packages, held, bundles, disc_reads, uploads, recordings, steps)
THOROUGH = (damaged_takes,)
