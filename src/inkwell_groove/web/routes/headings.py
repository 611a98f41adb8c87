"""People, labels and works: their names, and merging variants into one heading."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query

from inkwell_groove.core.survey.names import Kind
from inkwell_groove.web.access import READER
from inkwell_groove.web.dependencies import Place, Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.authorities.headings import Merge, MergePreview, MergeView
from inkwell_groove.workroom.authorities.names import NamesView

router = Router("headings")


@router.get("/headings", operation_id="headings")
def names(room: Room, kind: Kind, text: Annotated[str, Query(max_length=300)] = "", start: Place = 0) -> NamesView:
    """Every name of a kind, where it stands and what it points to; what the survey would merge; what was merged."""
    return room.names.of_kind(kind, text=text, start=start)


@router.post("/headings/preview", operation_id="previewMerge", openapi_extra=READER)
def preview(room: Room, merge: Merge) -> MergePreview:
    return room.headings.preview(merge)


@router.post("/headings/merge", operation_id="mergeNames", status_code=202)
def merge(room: Room, who: Who, merge: Merge) -> MergeView:
    """One step, which can be taken back."""
    return room.headings.merge(merge, who=who)


@router.post("/headings/merges/{merge_id}/undo", operation_id="undoMerge", status_code=202)
def take_back(room: Room, who: Who, merge_id: int) -> MergeView:
    return room.headings.take_back(merge_id, who=who)
