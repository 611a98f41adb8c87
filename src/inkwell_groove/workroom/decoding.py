"""What somebody sends with a request and is decoded at once: spreadsheets, pictures and what a docket's ZIP says.

Each has its limits. What is decoded later, archives, recordings, folders of files, is decoded by jobs.
"""

from __future__ import annotations

from pathlib import Path

from inkwell_groove.core.artwork import ArtworkFacts, examine
from inkwell_groove.core.files.art import Crop, cropped, find_crop
from inkwell_groove.core.files.spreadsheet import Sheet, read_sheet
from inkwell_groove.workroom.confined import Confined
from inkwell_groove.workroom.packages.parcel import Parcel, read_parcel

# Measured with the largest that the decoders' own limits let through, and half as much again.
_SHEET_BYTES, _SHEET_S = 1_500_000_000, 30.0
_PICTURE_BYTES, _PICTURE_S = 1_500_000_000, 30.0
_PARCEL_BYTES, _PARCEL_S = 1_500_000_000, 30.0
_SHEET, _PICTURE, _PARCEL = "the spreadsheet", "the picture", "the ZIP"


class Decoding:
    """Decodes in processes of their own. Every method raises Refused and TooOften as `Confined.run` does."""

    def __init__(self) -> None:
        self._confined = Confined()

    def sheet(self, data: bytes) -> Sheet:
        """Return what a CSV or XLSX file holds."""
        return self._confined.run(read_sheet, data, where=_SHEET, memory_bytes=_SHEET_BYTES, seconds=_SHEET_S)

    def parcel(self, path: Path, *, max_bytes: int) -> Parcel:
        """Return what a docket's ZIP says, its list of files checked, nothing unpacked."""
        return self._confined.run(
            read_parcel, path, max_bytes=max_bytes, where=_PARCEL, memory_bytes=_PARCEL_BYTES, seconds=_PARCEL_S
        )

    def picture(self, data: bytes, *, name: str) -> ArtworkFacts:
        """Return the facts of a JPEG or PNG, decoded whole."""
        return self._confined.run(examine, data, name=name, where=name, memory_bytes=_PICTURE_BYTES, seconds=_PICTURE_S)

    def find_crop(self, data: bytes, *, square: bool) -> Crop:
        """Return where the sleeve lies within a scan."""
        return self._confined.run(
            find_crop, data, square=square, where=_PICTURE, memory_bytes=_PICTURE_BYTES, seconds=_PICTURE_S
        )

    def cropped(self, data: bytes, crop: Crop) -> bytes:
        """Return a part of a picture, set straight."""
        return self._confined.run(cropped, data, crop, where=_PICTURE, memory_bytes=_PICTURE_BYTES, seconds=_PICTURE_S)
