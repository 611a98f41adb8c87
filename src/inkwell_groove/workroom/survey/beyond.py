"""What the survey tells from other rows than those of files: proof of packages, channels of what is held twice."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.survey.finding import Finding
from inkwell_groove.store.models import BundleFile, Docket, Package, SoundRelation, now
from inkwell_groove.workroom.files.sheet import SOUND_ID

DAMAGED, NEVER, LONG_AGO, SWAPPED = "package damaged", "never verified", "verified long ago", "channels swapped"
BEYOND = (DAMAGED, NEVER, LONG_AGO, SWAPPED)


def beyond_files(session: Session, fixity_days: int) -> Iterator[Finding]:
    yield from _packages(session, fixity_days)
    yield from _swapped(session)


def _packages(session: Session, fixity_days: int) -> Iterator[Finding]:
    """Of each docket's newest package, what is not proven any more."""
    marked = select(Package, Docket.shelfmark).join(Docket, Docket.id == Package.docket_id).order_by(Package.id)
    newest = {shelfmark: package for package, shelfmark in session.execute(marked)}
    for shelfmark, package in newest.items():
        place, about = f"sealed/{shelfmark}", f"package {package.id}"
        if package.fixity and (found := package.fixity.get("findings")):
            yield Finding(
                check=DAMAGED,
                about=about,
                place=place,
                files=(),
                words=f"{shelfmark}: {len(found)} files are not as they were sealed",
                evidence="see Fixity: what a second copy still has is put back from there",
            )
        if package.verified_at is None:
            yield Finding(
                check=NEVER,
                about=about,
                place=place,
                files=(),
                words=f"{shelfmark} was never verified since it was sealed",
                evidence=f"sealed {package.sealed_at:%Y-%m-%d}",
            )
        elif package.verified_at < now() - timedelta(days=fixity_days):
            yield Finding(
                check=LONG_AGO,
                about=about,
                place=place,
                files=(),
                words=f"{shelfmark} was verified over {fixity_days} days ago",
                evidence=f"{package.verified_at:%Y-%m-%d}",
            )


def _swapped(session: Session) -> Iterator[Finding]:
    """Recordings of which another copy has left and right the other way round: one of the two is wrong."""
    swapped = select(SoundRelation.first, SoundRelation.second).where(
        func.json_value(SoundRelation.document, "$.swapped") == "1", SoundRelation.kind != "another recording"
    )
    pairs = session.execute(swapped).all()
    if not pairs:
        return
    sound_id = func.json_value(BundleFile.facts, f"$.{SOUND_ID}")
    wanted = {one for pair in pairs for one in pair}
    files: dict[str, list[tuple[int, str]]] = {}
    for key, path, sound in session.execute(
        select(BundleFile.id, BundleFile.path, sound_id).where(BundleFile.kind == "audio", sound_id.in_(wanted))
    ):
        files.setdefault(sound, []).append((key, path))
    for first, second in pairs:
        held = [*files.get(first, []), *files.get(second, [])]
        if held:
            yield Finding(
                check=SWAPPED,
                about=f"{first}|{second}",
                files=tuple(key for key, _ in held),
                words=f"“{held[0][1]}” has left and right the other way round than another copy",
                evidence="; ".join(path for _, path in held[1:4]) or "the other copy is sealed",
            )
