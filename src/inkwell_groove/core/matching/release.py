"""A release as a source describes it: what every source has in common, and where each value was found."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

ArtRole = Literal["front", "back", "disc", "insert"]


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True)


class Credit(Frozen):
    """Somebody who took part: as credited, as filed, and with what."""

    name: str
    role: Literal["artist", "composer", "conductor", "performer"] = "artist"
    sort_name: str = ""
    instrument: str = ""


class ReleaseTrack(Frozen):
    """One track. `position` is what the source calls it: 'A1', '2-03'."""

    position: str
    title: str
    duration_s: float | None = Field(default=None, gt=0, description="None where the source does not say.")
    credits: tuple[Credit, ...] = ()
    work: str = ""
    movement: str = ""
    isrc: str = ""
    original_date: str = Field(default="", description="When it was first released, if that was elsewhere.")
    bonus: bool = Field(default=False, description="Said to be on this pressing only.")


class Medium(Frozen):
    """One record, cassette or disc, or one side of it where the source divides by sides."""

    format: str
    side: str = ""
    tracks: tuple[ReleaseTrack, ...] = Field(min_length=1)


class ArtOffer(Frozen):
    """A picture that a source has, not fetched yet."""

    address: str
    role: ArtRole
    width_px: int = Field(gt=0)
    height_px: int = Field(gt=0)
    size_bytes: int = Field(gt=0)

    @property
    def is_square(self) -> bool:
        return abs(self.width_px - self.height_px) <= 0.02 * max(self.width_px, self.height_px)


class SourceRelease(Frozen):
    """One pressing, as one source knows it. Empty where it does not say."""

    source: str
    id: str
    address: str
    title: str
    credits: tuple[Credit, ...] = ()
    labels: tuple[str, ...] = ()
    catalogue_numbers: tuple[str, ...] = ()
    barcode: str = ""
    country: str = ""
    date: str = Field(default="", description="Of this pressing, as exactly as it is known.")
    original_date: str = ""
    language: str = ""
    genres: tuple[str, ...] = ()
    compilation: bool = False
    live: bool = False
    matrix: str = Field(default="", description="What is scratched into the run-out.")
    notes: str = ""
    media: tuple[Medium, ...] = Field(min_length=1)
    art: tuple[ArtOffer, ...] = ()
    toc_digests: tuple[str, ...] = Field(default=(), description="Of its compact discs, where the source keeps them.")
    links: tuple[str, ...] = Field(default=(), description="Addresses of the same pressing in other sources.")

    @property
    def tracks(self) -> tuple[ReleaseTrack, ...]:
        return tuple(track for medium in self.media for track in medium.tracks)

    @property
    def artist(self) -> str:
        """Its artists as they are credited, one after the other."""
        return ", ".join(one.name for one in self.credits if one.role == "artist")

    @property
    def formats(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(medium.format for medium in self.media))
