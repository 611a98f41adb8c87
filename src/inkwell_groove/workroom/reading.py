"""From rows to views: what a docket looks like as a whole. One query path, used by the shelf and by every stage."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from inkwell_groove.core import filing
from inkwell_groove.core.artwork import advise
from inkwell_groove.core.description import TRACK_FIELDS, Release, TrackDescription, missing_fields
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.planning.disc import track_number
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.core.sealing.album import PAPERS, filing_values, track_filing_values
from inkwell_groove.core.sealing.order import SealedAlbum
from inkwell_groove.store.files import size_if_there
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import (
    Carrier,
    DescribedValue,
    Docket,
    LookUp,
    PlanVersion,
    Recording,
    Side,
    SourceChoice,
    Upload,
)
from inkwell_groove.workroom import evidence
from inkwell_groove.workroom.packages.profiles import profile_of
from inkwell_groove.workroom.views import (
    ArtworkView,
    CarrierView,
    DocketLine,
    DocketView,
    Evidence,
    FixityView,
    PackageView,
    PlanView,
    SideView,
    TakeView,
    TrackLine,
    UploadView,
    artwork_facts,
)

DISC_FORMAT = "CD"
WHOLE = (
    selectinload(Docket.carriers).selectinload(Carrier.sides).selectinload(Side.takes),
    selectinload(Docket.carriers).selectinload(Carrier.sides).selectinload(Side.chosen_take),
    selectinload(Docket.carriers).selectinload(Carrier.sides).selectinload(Side.plan_version),
    selectinload(Docket.carriers).selectinload(Carrier.sides).selectinload(Side.disc_reads),
    selectinload(Docket.fields),
    selectinload(Docket.artwork),
    selectinload(Docket.packages),
    # Not what was found, which may be long: only what came of it.
    selectinload(Docket.look_up).load_only(LookUp.state, LookUp.outcome),
    selectinload(Docket.source_choice).load_only(SourceChoice.chosen_by),
)


def _cuts(plan: Plan) -> dict[str, object]:
    """What of a plan shows in sealed files: not how sure the finder was, nor what is left at nothing."""
    parts = plan.model_dump(include={"take_sha256", "take_samples", "gaps"})
    if plan.disc is not None:
        parts["disc"] = plan.disc.model_dump(mode="json")
    parts["tracks"] = [track.model_dump(include={"key", "start_sample", "end_sample"}) for track in plan.tracks]
    margins = plan.model_dump(include={"lead_samples", "tail_samples", "fade_samples"})
    if not plan.restoration.at_rest:
        parts["restoration"] = plan.restoration.model_dump(mode="json")
    return {**parts, **{name: value for name, value in margins.items() if value}}


def docket_row(session: Session, docket_id: int, *, lock: bool = False) -> Docket:
    """The docket with all that hangs from it. Raises Missing."""
    query = select(Docket).where(Docket.id == docket_id).options(*WHOLE)
    docket = session.scalars(query.with_for_update(of=Docket) if lock else query).first()
    if docket is None:
        raise Missing(f"there is no docket {docket_id}", remedy="Go back to the shelf")
    return docket


def side_row(session: Session, side_id: int, *, lock: bool = False) -> Side:
    """A side. Raises Missing. `lock` keeps two edits from being based on the same version."""
    side = session.get(Side, side_id, with_for_update={"of": Side} if lock else None)
    if side is None:
        raise Missing(f"there is no side {side_id}", remedy="Go back to the docket")
    return side


def sides_of(docket: Docket) -> list[Side]:
    return [side for carrier in docket.carriers for side in carrier.sides]


def side_label(side: Side) -> str:
    many = len(side.carrier.docket.carriers) > 1
    if side.carrier.format == DISC_FORMAT:
        return f"Disc {side.carrier.number}" if many else "Disc"
    return f"Carrier {side.carrier.number}, side {side.letter}" if many else f"Side {side.letter}"


def is_disc(side: Side) -> bool:
    return side.carrier.format == DISC_FORMAT


def not_of_disc(side: Side, what: str) -> None:
    """Raises Refused for a compact disc: what is done with recordings of a record or tape is not done with it."""
    if is_disc(side):
        raise Refused(
            f"a compact disc is read as it is: {what}", where=side_label(side), remedy="See what can be done under Disc"
        )


def plan_of(side: Side) -> Plan | None:
    return Plan.model_validate(side.plan_version.document) if side.plan_version else None


def plan_view(side: Side, newer: PlanVersion | None) -> PlanView | None:
    """The current version, with what undo and redo would do: redo goes to `newer`."""
    version = side.plan_version
    if version is None:
        return None
    return PlanView(
        version=version.id,
        plan=Plan.model_validate(version.document),
        undo=version.action if version.parent_id is not None else None,
        redo=newer.action if newer else None,
    )


def newest_child(session: Session, version_id: int) -> PlanVersion | None:
    """The newest version made from this one: what redo goes to."""
    return session.scalars(
        select(PlanVersion).where(PlanVersion.parent_id == version_id).order_by(PlanVersion.id.desc()).limit(1)
    ).first()


def newer_versions(session: Session, docket: Docket) -> dict[int, PlanVersion]:
    """The newest child of each side's current version, by that version's id."""
    current = [side.plan_version_id for side in sides_of(docket) if side.plan_version_id is not None]
    children = session.scalars(select(PlanVersion).where(PlanVersion.parent_id.in_(current)).order_by(PlanVersion.id))
    return {child.parent_id: child for child in children if child.parent_id is not None}  # the last one wins


def description_of(line: TrackLine) -> TrackDescription:
    return TrackDescription(number=line.number, disc=line.disc, **line.fields)


def release_of(fields: Iterable[DescribedValue]) -> Release:
    return Release(**{one.field: one.value for one in fields if not one.track_key})


class WholeDocket:
    """A docket's rows read once, and everything that follows from them.

    `newer` tells what can be redone; whoever does not show that leaves it out and saves a query a docket.
    """

    def __init__(self, docket: Docket, newer: Mapping[int, PlanVersion] | None = None) -> None:
        self.docket = docket
        self._newer = newer or {}
        self._discs = {side.id for side in sides_of(docket) if side.carrier.format == DISC_FORMAT}
        self.release = release_of(docket.fields)
        self.sides = [self._side(side) for side in sides_of(docket)]
        self._number()
        self.pictures = [ArtworkView.of(one, advise(artwork_facts(one))) for one in docket.artwork]
        self.lines = [line for side in self.sides for line in side.tracks]
        self.descriptions = [description_of(line) for line in self.lines]
        self.missing = missing_fields(self.release, self.descriptions)
        self.basis = self._basis()
        takes = [take for side in self.sides for take in side.takes if take.id == side.chosen_take_id]
        self.standing = evidence.standing(
            has_takes=bool(takes),
            has_tracks=bool(self.lines),
            all_lossless=all(take.format.lossless for take in takes),
            missing=self.missing,
            sealed_basis=docket.packages[-1].basis if docket.packages else None,
            basis=self.basis,
        )

    def front(self) -> ArtworkView | None:
        return next((one for one in self.pictures if one.role == "front"), None)

    def evidence(self, uploads: list[UploadView], recordings: Sequence[str] = ()) -> list[Evidence]:
        proven = len(self.docket.packages[-1].album["tracks"]) if self.docket.packages else 0
        discs = [side for side in sides_of(self.docket) if side.carrier.format == DISC_FORMAT]
        of_disc = {side.id for side in discs}
        records = [side for side in self.sides if side.id not in of_disc]
        return [
            evidence.intake([one.format for one in self.docket.carriers], self.sides, uploads),
            *([evidence.disc([(side_label(side), side.disc_reads) for side in discs])] if discs else []),
            *(
                [evidence.transfer(records, recordings), evidence.tracks(records), evidence.repair(records)]
                if records
                else []
            ),
            evidence.sources(self.docket.look_up, chosen=self.docket.source_choice is not None),
            evidence.describe(self.missing, any(one.value for one in self.docket.fields), has_tracks=bool(self.lines)),
            evidence.artwork(self.pictures),
            evidence.seal(self.standing, proven),
        ]

    def line(self) -> DocketLine:
        front = self.front()
        chosen = [t for side in self.sides for t in side.takes if t.id == side.chosen_take_id]
        return DocketLine(
            id=self.docket.id,
            shelfmark=self.docket.shelfmark,
            title=self.release.title,
            album_artist=self.release.album_artist,
            format=self.release.format or self.docket.carriers[0].format,
            standing=self.standing,
            evidence=self.evidence([]),
            duration_s=sum(take.format.duration_s for take in chosen),
            cover_id=front.id if front else None,
            changed_at=self.docket.changed_at,
        )

    def view(self, uploads: list[UploadView], recordings: Sequence[str] = ()) -> DocketView:
        docket = self.docket
        by_id = {side.id: side for side in self.sides}
        return DocketView(
            id=docket.id,
            shelfmark=docket.shelfmark,
            standing=self.standing,
            release=self.release,
            origins={one.field: one.origin for one in docket.fields if not one.track_key},
            carriers=[
                CarrierView(
                    id=carrier.id,
                    number=carrier.number,
                    format=carrier.format,
                    speed=carrier.speed,
                    equalisation=carrier.equalisation,
                    condition=carrier.condition,
                    playing_order=carrier.playing_order,
                    tape_type=carrier.tape_type,
                    noise_reduction=carrier.noise_reduction,
                    sides=[by_id[side.id] for side in carrier.sides],
                )
                for carrier in docket.carriers
            ],
            uploads=uploads,
            artwork=self.pictures,
            packages=[
                PackageView(
                    id=package.id,
                    folder=package.folder,
                    album=SealedAlbum.model_validate(package.album),
                    sealed_at=package.sealed_at,
                    sealed_by=package.sealed_by,
                    is_current=package is docket.packages[-1] and self.standing == "sealed",
                    fixity=FixityView.of(package),
                )
                for package in docket.packages
            ],
            evidence=self.evidence(uploads, recordings),
            folder_pattern=docket.folder_pattern,
            file_pattern=docket.file_pattern,
            profile=profile_of(docket)[0],
            names=self._names(),
            missing=self.missing,
            created_at=docket.created_at,
            changed_at=docket.changed_at,
        )

    def _side(self, side: Side) -> SideView:
        plan = plan_view(side, self._newer.get(side.plan_version_id or 0))
        take = side.chosen_take
        fields = {(one.track_key, one.field): one for one in self.docket.fields if one.track_key}
        lines = []
        for span in plan.plan.tracks if plan and take else ():
            own = {spec.name: fields[span.key, spec.name] for spec in TRACK_FIELDS if (span.key, spec.name) in fields}
            lines.append(
                TrackLine(
                    key=span.key,
                    number=track_number(span.key) if plan and plan.plan.disc else 1,
                    disc=side.carrier.number if len(self._discs) > 1 and side.id in self._discs else 0,
                    side_id=side.id,
                    title=own["title"].value if "title" in own else "",
                    artist=own["artist"].value if "artist" in own else "",
                    fields={name: one.value for name, one in own.items()},
                    origins={name: one.origin for name, one in own.items()},
                    start_sample=span.start_sample,
                    end_sample=span.end_sample,
                    rate_hz=take.rate_hz if take else 1,
                    confidence=span.confidence,
                )
            )
        return SideView(
            id=side.id,
            letter=side.letter,
            name=side_label(side),
            expected_s=side.expected_s,
            takes=[TakeView.of(one) for one in side.takes],
            chosen_take_id=side.chosen_take_id,
            plan=plan,
            tracks=lines,
        )

    def _number(self) -> None:
        number = 0
        numbered = []
        for side in self.sides:
            lines = []
            if side.plan is not None and side.plan.plan.disc is not None:
                numbered.append(side)  # a disc has its own numbers
                continue
            for line in side.tracks:
                number += 1
                lines.append(line.model_copy(update={"number": number}))
            numbered.append(side.model_copy(update={"tracks": lines}))
        self.sides = numbered

    def _names(self) -> list[str]:
        values = filing_values(self.docket.shelfmark, self.release)
        tracks = []
        for side in self.sides:
            if side.plan is not None and side.plan.plan.disc is not None and side.plan.plan.disc.gaps == "one file":
                disc = {"number": "", "track title": self.release.title, "artist": self.release.album_artist}
                tracks.append({**values, **disc})
            else:
                tracks += [track_filing_values(values, self.release, description_of(line)) for line in side.tracks]
        try:
            folder = "/".join(filing.folder_path(self.docket.folder_pattern, values))
            suffix = profile_of(self.docket)[1].masters.suffix
            names = filing.file_names(self.docket.file_pattern, tracks, suffix, taken=PAPERS)
        except Refused:
            return []  # a pattern is refused when it is set; this is for one that a later release no longer knows
        return [f"{folder}/{name}" for name in names]

    def _basis(self) -> str:
        """A digest of everything of the docket that sealing depends on; the house's rules are not the docket's."""
        front = next((one for one in self.docket.artwork if one.role == "front"), None)
        parts = {
            "shelfmark": self.docket.shelfmark,
            "release": self.release.model_dump(exclude_defaults=True),
            "tracks": [one.model_dump(exclude_defaults=True) for one in self.descriptions],
            "plans": [_cuts(side.plan.plan) if side.plan else None for side in self.sides],
            "cover": front.sha256 if front else None,
            "pictures": sorted(one.sha256 for one in self.docket.artwork if one.role not in ("front", "set aside")),
            "patterns": [self.docket.folder_pattern, self.docket.file_pattern],
            "profile": profile_of(self.docket)[1].model_dump(mode="json"),
        }
        return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def uploads_of(session: Session, media: MediaStore, docket_id: int) -> list[UploadView]:
    rows = session.scalars(select(Upload).where(Upload.docket_id == docket_id).order_by(Upload.id))
    return [UploadView.of(row, received_bytes(media, row.id)) for row in rows]


def recording_states(session: Session, docket_id: int) -> list[str]:
    """The states of a docket's recordings that are no takes yet."""
    begun = select(Recording.state).where(Recording.docket_id == docket_id, Recording.state != "armed")
    return list(session.scalars(begun))


def received_bytes(media: MediaStore, upload_id: int) -> int:
    return size_if_there(media.upload(upload_id))
