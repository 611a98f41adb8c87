"""What is to be sealed, as plain data: enough to make every file, from the takes alone."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.artwork import ArtworkFacts
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.copies.loudness import AlbumLoudness
from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.disc.record import DiscRecord
from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.core.sealing.profile import Profile


class SideOrder(BaseModel):
    """One side: its take, and the plan that says what is cut from it. `descriptions` follow the plan's tracks."""

    model_config = ConfigDict(frozen=True)

    name: str = Field(description="As in 'Side A'.")
    take_path: str
    take_name: str
    take_format: SoundFormat
    plan: Plan
    scan_path: str = Field(default="", description="Where the side's scan for clicks is kept; scanned anew without.")
    learnt_path: str = Field(default="", description="Where is kept what the plan's steps learnt of the whole side.")
    transfer: tuple[tuple[str, str], ...] = Field(
        default=(), description="How the take was recorded here: names and what is said; empty for a file brought."
    )
    descriptions: tuple[TrackDescription, ...]
    readings: tuple[DiscRecord, ...] = Field(default=(), description="Of a compact disc: how it was read.")


class CoverOrder(BaseModel):
    model_config = ConfigDict(frozen=True)

    path: str
    facts: ArtworkFacts


class PictureOrder(CoverOrder):
    """Any picture but the front cover."""

    role: str


class SealOrder(BaseModel):
    """A docket ready to be sealed."""

    model_config = ConfigDict(frozen=True)

    shelfmark: str
    release: Release
    sides: tuple[SideOrder, ...]
    cover: CoverOrder | None = None
    pictures: tuple[PictureOrder, ...] = Field(default=(), description="All others, in one file and beside.")
    art: ArtRule | None = Field(default=None, description="The house's rule; None to embed the cover whole.")
    profile: Profile = Field(default=Profile(untouched="none", loudness_tags=False), description="What is written.")
    folder_pattern: str
    file_pattern: str
    sealed_at: str
    sealed_by: str

    def with_paths(self, path_of: Callable[[str], str]) -> SealOrder:
        """Return the order with the places of this machine for the names that it was written with."""

        def found(name: str) -> str:
            return path_of(name) if name else ""

        sides = tuple(
            one.model_copy(
                update={name: found(getattr(one, name)) for name in ("take_path", "scan_path", "learnt_path")}
            )
            for one in self.sides
        )
        cover = self.cover.model_copy(update={"path": found(self.cover.path)}) if self.cover else None
        pictures = tuple(one.model_copy(update={"path": found(one.path)}) for one in self.pictures)
        return self.model_copy(update={"sides": sides, "cover": cover, "pictures": pictures})


class SealedTrack(BaseModel):
    """One track as written and proven."""

    model_config = ConfigDict(frozen=True)

    number: int
    title: str
    artist: str = ""
    file: str
    side: str
    start_sample: int
    end_sample: int
    gap_sample: int = Field(description="Where the kept gap after the music begins; equals end_sample without one.")
    rate_hz: int
    file_rate_hz: int = Field(default=0, description="Of the file; 0 in packages sealed before it could differ.")
    speed_ratio: float = Field(default=1.0, description="By how much faster than the take it is.")
    bits: int
    md5: str = Field(description="STREAMINFO's MD5, which the decoded samples were found to have.")
    compared_samples: int
    verdict: str

    def seconds(self, from_sample: int, to_sample: int) -> float:
        """How long what lies between two samples of the take lasts in the file."""
        return (to_sample - from_sample) / self.rate_hz / self.speed_ratio


class SealedFile(BaseModel):
    """One file as it lies on the disk."""

    model_config = ConfigDict(frozen=True)

    name: str
    size_bytes: int
    sha256: str


class SealedPart(BaseModel):
    """What a package holds beside its masters: `folder` below its data, and what there is to say of it.

    `faults` names each of its files that is not proven, or says why there are none: a part never stops the masters.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    folder: str
    told: tuple[str, ...] = ()
    faults: tuple[str, ...] = ()


class SealedAlbum(BaseModel):
    """What sealing wrote. `folders` lead to the files."""

    model_config = ConfigDict(frozen=True)

    folders: tuple[str, ...]
    tracks: tuple[SealedTrack, ...]
    files: tuple[SealedFile, ...]
    word_length_notes: tuple[str, ...] = ()
    restored: dict[str, tuple[str, ...]] = Field(default={}, description="What was done to each side, by its name.")
    loudness: AlbumLoudness | None = Field(default=None, description="Of the masters, where it was measured.")
    parts: tuple[SealedPart, ...] = ()
    package: tuple[SealedFile, ...] = Field(
        default=(), description="Every file of the bag by its path in it; none in packages that are no bags."
    )
    keys: dict[str, str] = Field(
        default={}, description="What each part is made from, as a digest, by its folder below the data."
    )
    kept: tuple[str, ...] = Field(default=(), description="The parts that were taken over from an earlier package.")
