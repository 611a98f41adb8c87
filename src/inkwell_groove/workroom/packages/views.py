"""What is shown of packages: how each was found when it was last verified, and where they and their copies lie."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from inkwell_groove.core.fixity import FileFixity
from inkwell_groove.store.places import Kind
from inkwell_groove.workroom.views import View


class PackageFixity(View):
    """One docket's newest package, as it was when it was last verified."""

    package_id: int
    docket_id: int
    shelfmark: str
    title: str
    sealed_at: datetime
    verified_at: datetime | None
    size_bytes: int
    files: int
    state: Literal["sound", "wrong", "never verified", "not a bag"]
    findings: list[FileFixity]
    second_copy: str


class AuditView(View):
    state: Literal["under way", "done", "stopped"]
    asked_at: datetime
    asked_by: str
    packages: int
    checked: int
    ended_at: datetime | None


class PlaceView(View):
    """A disk for takes and packages besides the media root."""

    name: str
    path: str
    kinds: tuple[Kind, ...]
    budget_bytes: int | None
    used_bytes: int | None = Field(description="By takes and packages; not counted where there is no budget.")
    free_bytes: int = Field(description="On its disk, whatever its budget.")


class StorageView(View):
    """The object storage of takes and packages."""

    bucket: str
    cache_bytes: int = Field(description="What is there and lies on the disks too may be so much.")
    stored: int = Field(description="Takes and packages that are there.")
    stored_bytes: int
    waiting: int = Field(description="How many are not there yet.")


class FixityOverview(View):
    """All packages that stand, the longest unverified first; and the audit that is under way, or was the last."""

    packages: list[PackageFixity]
    audit: AuditView | None
    due: int = Field(description="How many are due by the house's interval.")
    every_days: int = Field(description="0 where nothing is checked unasked.")
    second_root: str
    places: list[PlaceView]
    storage: StorageView | None = Field(description="The object storage of takes and packages, where there is one.")
