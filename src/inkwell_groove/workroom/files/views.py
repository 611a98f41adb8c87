"""What is shown of bundles, their files and the steps of work on them."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.files.naming import Naming
from inkwell_groove.core.files.reading import PictureFacts
from inkwell_groove.core.wording.rules import WordingRule


class View(BaseModel):
    model_config = ConfigDict(frozen=True, from_attributes=True)


class FolderView(View):
    """A folder that can be brought in."""

    name: str = Field(description="Below the configured root.")
    files: int
    brought_in: bool


class FieldView(View):
    name: str
    label: str
    group: str
    many: bool
    long: bool
    hint: str


class ProblemView(View):
    what: str
    where: str
    remedy: str


class BundleView(View):
    id: int
    name: str
    origin: str
    in_place: bool
    can_be_filed_back: bool = Field(description="Whether it was copied from a folder that is there.")
    state: Literal["coming in", "ready", "failed"]
    told: list[str]
    made_at: datetime
    files: int
    audio: int
    unreadable: int
    pending: int
    altered: int = Field(description="Files that are no longer as they came.")


class RowView(View):
    """One file on the sheet. `pending` are fields changed and not written yet; "path" is among them where it moves."""

    id: int
    bundle_id: int
    path: str
    kind: str
    format: str
    duration_s: float
    rate_hz: int
    bits: int
    bitrate_kbps: int
    tagged_as: str
    silent_tail_s: float
    size_bytes: int
    audio_digest: str
    fields: dict[str, str]
    pending: dict[str, str]
    pictures: list[PictureFacts]
    carries: list[str]
    others: int
    problem: ProblemView | None


class SheetView(View):
    fields: list[FieldView]
    rows: list[RowView]


class CellChange(BaseModel):
    """One cell as it is to be. The value that is stored already takes the change away."""

    model_config = ConfigDict(extra="forbid")

    file_id: int
    field: str
    value: str = Field(max_length=100_000)
    seen: str | None = Field(
        default=None, max_length=100_000, description="The value that was changed; left out, whatever stands there is."
    )


class Proposed(View):
    """One cell that would change. `told` says why it is otherwise than one might expect."""

    file_id: int
    path: str
    field: str
    before: str
    after: str
    told: str = ""


class ProposedView(View):
    changes: list[Proposed]
    told: list[str] = []


class SummaryView(View):
    """What Write would do."""

    files: int
    cells: int
    moves: int
    shortened: int
    by_field: dict[str, int]


class StepView(View):
    id: int
    what: str
    state: Literal["under way", "written", "written in part", "being taken back", "taken back", "taken back in part"]
    counts: dict[str, Any]
    told: list[str]
    at: datetime
    by: str
    can_be_taken_back: bool


class SavedDocument(View):
    """Something that is kept under a name. `version` is to be given back by whoever replaces it."""

    id: int
    version: str


class SavedRule(SavedDocument):
    position: int
    rule: WordingRule


class SavedNaming(SavedDocument):
    position: int
    naming: Naming


class SavedSearch(SavedDocument):
    """A search of the collection: what it looks for, as it is asked."""

    name: str
    wanted: dict[str, Any]


class ArtCheckView(View):
    """What breaks the house's rule: files by finding, and each file's findings."""

    rule: ArtRule
    counts: dict[str, int]
    files: dict[int, list[str]]
