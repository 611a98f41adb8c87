"""Files that others made: bundles, the sheet, rules, steps."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from inkwell_groove.core.artwork import MAX_BYTES
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.art import ArtRule, Crop
from inkwell_groove.core.files.derived import Derived
from inkwell_groove.core.files.naming import Naming
from inkwell_groove.core.files.pictures import mime_of
from inkwell_groove.core.files.spreadsheet import MOST_BYTES as MOST_BYTES_OF_SPREADSHEET
from inkwell_groove.core.wording.rules import WordingRule
from inkwell_groove.web.access import EXPORT, KEEPER, READER
from inkwell_groove.web.dependencies import RAW_BODY, On, Room, Who
from inkwell_groove.web.paging import BeforeId, Limit, link_below
from inkwell_groove.web.receiving import received
from inkwell_groove.web.routing import Router
from inkwell_groove.web.sound import sound_response
from inkwell_groove.workroom.files.steps import Id3
from inkwell_groove.workroom.files.views import (
    ArtCheckView,
    BundleView,
    CellChange,
    FieldView,
    FolderView,
    ProposedView,
    SavedNaming,
    SavedRule,
    SheetView,
    StepView,
    SummaryView,
)

router = Router("files")
Bundles = Annotated[list[int], Query(min_length=1, max_length=1_000)]
_TYPES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewBundle(_Body):
    folder: str = Field(max_length=1_000)
    in_place: bool = False


class Files(_Body):
    file_ids: list[int] = Field(min_length=1, max_length=200_000)


class Changes(_Body):
    changes: list[CellChange] = Field(max_length=500_000)


class Discard(Files):
    fields: list[str] | None = None


class Reword(Files):
    rules: list[WordingRule] = Field(min_length=1, max_length=100)


class Name(Files):
    naming: Naming


class ReadNames(Files):
    pattern: str = Field(min_length=1, max_length=500)
    fields: list[str] | None = None


class Number(Files):
    start: int = Field(default=1, ge=0, le=100_000)
    per_folder: bool = True
    totals: bool = False


class Derive(Files):
    what: Derived


class Write(_Body):
    bundle_ids: list[int] = Field(min_length=1)
    id3: Id3 = "as it is"
    keep_id3v1: bool = True


class Example(BaseModel):
    what: str
    path: str


class OtherTag(BaseModel):
    key: str
    value: str


class RuleOrder(_Body):
    ids: list[int]


@router.get("/files/folders", operation_id="foldersOfFiles")
def folders(room: Room) -> list[FolderView]:
    """What can be brought in."""
    return room.bundles.folders()


@router.get("/bundles/{bundle_id}", operation_id="bundle")
def bundle(room: Room, bundle_id: int) -> BundleView:
    return room.bundles.one(bundle_id)


@router.get("/bundles", operation_id="bundles")
def bundles(room: Room) -> list[BundleView]:
    return room.bundles.all()


@router.post("/bundles", operation_id="importFolder", status_code=202)
def bring_in(room: Room, who: Who, new: NewBundle) -> BundleView:
    return room.bundles.bring_in(new.folder, in_place=new.in_place, who=who)


@router.post("/bundles/zip", operation_id="importZip", openapi_extra=RAW_BODY, status_code=202)
async def bring_in_zip(
    room: Room, who: Who, request: Request, name: Annotated[str, Query(max_length=500)]
) -> BundleView:
    """The archive's bytes are the request's body."""
    async with received(request, room, name) as path:
        return await run_in_threadpool(room.bundles.bring_in_zip, path, name, who=who)


@router.post("/bundles/{bundle_id}/rescan", operation_id="rescanBundle", status_code=202)
def look_again(room: Room, bundle_id: int) -> BundleView:
    """Looks at a folder that is edited in place once more."""
    return room.bundles.look_again(bundle_id)


@router.post("/bundles/{bundle_id}/file-back", operation_id="fileBack", status_code=202)
def file_back(room: Room, who: Who, bundle_id: int) -> StepView:
    """What was altered goes where it came from; what lay there is kept, and comes back when the step is undone."""
    return room.filing_back.file_back(bundle_id, who=who)


@router.get("/sheet", operation_id="sheet", response_model=SheetView)
def sheet(room: Room, bundle: Bundles) -> Response:
    return _as_it_is(room.sheets.sheet(bundle))


@router.get("/sheet/fields", operation_id="sheetFields")
def fields(room: Room) -> list[FieldView]:
    """The columns of a sheet."""
    return room.sheets.fields()


@router.get("/sheet/summary", operation_id="sheetSummary")
def summary(room: Room, bundle: Bundles) -> SummaryView:
    return room.sheets.summary(bundle)


@router.patch("/sheet", operation_id="changeSheet")
def change(room: Room, wanted: Changes) -> SummaryView:
    """Keeps changed cells. No file is written."""
    return room.sheets.change(wanted.changes)


@router.post("/sheet/discard", operation_id="discardChanges", status_code=204)
def discard(room: Room, wanted: Discard) -> None:
    room.sheets.discard(wanted.file_ids, wanted.fields)


@router.post("/sheet/reword", operation_id="previewWording", openapi_extra=READER, response_model=ProposedView)
def reword(room: Room, wanted: Reword) -> Response:
    return _as_it_is(room.proposing.reword(wanted.file_ids, wanted.rules))


@router.post("/sheet/name", operation_id="previewNaming", openapi_extra=READER, response_model=ProposedView)
def name(room: Room, wanted: Name) -> Response:
    return _as_it_is(room.proposing.name(wanted.file_ids, wanted.naming))


@router.post("/sheet/read-names", operation_id="previewReadNames", openapi_extra=READER, response_model=ProposedView)
def read_names(room: Room, wanted: ReadNames) -> Response:
    return _as_it_is(room.proposing.read_names(wanted.file_ids, wanted.pattern, wanted.fields))


@router.post("/sheet/number", operation_id="previewNumbers", openapi_extra=READER, response_model=ProposedView)
def number(room: Room, wanted: Number) -> Response:
    return _as_it_is(
        room.proposing.number(wanted.file_ids, start=wanted.start, per_folder=wanted.per_folder, totals=wanted.totals)
    )


@router.post("/sheet/derive", operation_id="previewDerived", openapi_extra=READER, response_model=ProposedView)
def derive(room: Room, wanted: Derive) -> Response:
    return _as_it_is(room.proposing.derive(wanted.file_ids, wanted.what))


@router.get("/sheet/spreadsheet", operation_id="spreadsheet", response_class=Response, openapi_extra=EXPORT)
def spreadsheet(
    room: Room, bundle: Bundles, form: Literal["csv", "xlsx"], column: Annotated[list[str], Query(min_length=1)]
) -> Response:
    data = room.proposing.spreadsheet(bundle, column, form)
    return Response(
        data, media_type=_TYPES[form], headers={"Content-Disposition": f'attachment; filename="files.{form}"'}
    )


@router.post("/sheet/spreadsheet", operation_id="readSpreadsheet", openapi_extra={**READER, **RAW_BODY})
async def read_spreadsheet(room: Room, request: Request, bundle: Bundles) -> ProposedView:
    """The spreadsheet's bytes are the request's body. What it would change; nothing is changed."""
    data = await _body(request, MOST_BYTES_OF_SPREADSHEET, "the spreadsheet")
    return await run_in_threadpool(room.proposing.read_spreadsheet, bundle, data)


@router.post("/sheet/write", operation_id="writeSheet", status_code=202)
def write(room: Room, who: Who, wanted: Write) -> StepView:
    return room.steps.write(wanted.bundle_ids, id3=wanted.id3, keep_id3v1=wanted.keep_id3v1, who=who)


@router.get("/file-steps", operation_id="fileSteps")
def steps(
    room: Room, request: Request, response: Response, before_id: BeforeId = None, limit: Limit = 200
) -> list[StepView]:
    """Return steps, the newest first."""
    found = room.steps.all(before_id=before_id, limit=limit)
    link_below(request, response, found, limit)
    return found


@router.get("/file-steps/{step_id}", operation_id="fileStep")
def step(room: Room, step_id: int) -> StepView:
    return room.steps.one(step_id)


@router.post("/file-steps/{step_id}/undo", operation_id="undoStep", status_code=202)
def take_back(room: Room, who: Who, step_id: int) -> StepView:
    return room.steps.take_back(step_id, who=who)


@router.post("/files/pictures", operation_id="embedPicture", openapi_extra=RAW_BODY, status_code=202)
async def embed(
    room: Room, who: Who, request: Request, file: Annotated[list[int], Query(min_length=1)], role: str = "front"
) -> StepView:
    """The picture's bytes are the request's body."""
    data = await _body(request, MAX_BYTES, "the picture")
    return await run_in_threadpool(room.steps.set_pictures, file, data, role, who=who)


@router.post("/files/pictures/remove", operation_id="removePictures", status_code=202)
def take_out(room: Room, who: Who, wanted: Files) -> StepView:
    return room.steps.take_out_pictures(wanted.file_ids, who=who)


@router.get("/files/{file_id}/pictures/{number}", operation_id="filePicture", response_class=Response)
def picture(room: Room, file_id: int, number: int) -> Response:
    data, mime = room.sheets.picture(file_id, number)
    kind = mime if mime in ("image/jpeg", "image/png", "image/webp", "image/gif") else "application/octet-stream"
    return Response(data, media_type=kind)


@router.post("/files/{file_id}/split", operation_id="splitFile", status_code=202)
def take_apart(room: Room, who: Who, file_id: int) -> BundleView:
    """A single-file album into a folder of tracks, by its cue sheet."""
    return room.bundles.take_apart(file_id, who=who)


@router.get("/files/{file_id}/sound", operation_id="fileSound", response_class=FileResponse)
def sound(room: Room, file_id: int) -> FileResponse:
    return sound_response(room.sheets.sound(file_id), room.media)


@router.get("/files/{file_id}/others", operation_id="otherTags")
def others(room: Room, file_id: int) -> list[OtherTag]:
    """Tags that are no fields of the sheet; they stay as they are."""
    return [OtherTag(key=key, value=value) for key, value in room.sheets.others(file_id)]


@router.get("/wording-rules", operation_id="wordingRules")
def wording_rules(room: Room) -> list[SavedRule]:
    return room.rules.wording()


@router.put("/wording-rules", operation_id="saveWordingRule")
def save_wording_rule(room: Room, who: Who, rule: WordingRule, on: On = None) -> SavedRule:
    """Under its name; one of that name is replaced."""
    return room.rules.save_wording(rule, who=who, on=on)


@router.put("/wording-rules/order", operation_id="orderWordingRules")
def order_wording_rules(room: Room, wanted: RuleOrder) -> list[SavedRule]:
    return room.rules.order_wording(wanted.ids)


@router.get("/filing-patterns", operation_id="filingPatterns")
def filing_patterns(room: Room) -> list[SavedNaming]:
    return room.rules.naming()


@router.put("/filing-patterns", operation_id="saveFilingPattern")
def save_filing_pattern(room: Room, who: Who, naming: Naming, on: On = None) -> SavedNaming:
    """Under its name; one of that name is replaced."""
    return room.rules.save_naming(naming, who=who, on=on)


@router.post("/filing-patterns/examples", operation_id="patternExamples", openapi_extra=READER)
def pattern_examples(room: Room, naming: Naming) -> list[Example]:
    """What a pattern makes of three releases, while it is being written."""
    return [Example(what=what, path=path) for what, path in room.rules.examples(naming)]


@router.delete("/house-documents/{document_id}", operation_id="deleteRule", status_code=204)
def forget_rule(room: Room, who: Who, document_id: int) -> None:
    room.rules.forget(document_id, who=who)


class DeclaredArt(BaseModel):
    model_config = ConfigDict(extra="forbid")

    rule: ArtRule
    seen: ArtRule | None = Field(default=None, description="The rule that was changed; what others changed is kept.")


@router.get("/art-rule", operation_id="artRule")
def art_rule(room: Room) -> ArtRule:
    return room.rules.art()


@router.put("/art-rule", operation_id="saveArtRule", openapi_extra=KEEPER)
def declare_art_rule(room: Room, who: Who, new: DeclaredArt) -> ArtRule:
    return room.rules.declare_art(new.rule, who=who, seen=new.seen)


@router.get("/art-rule/check", operation_id="checkArt")
def check_art(room: Room, bundle: Annotated[list[int] | None, Query()] = None) -> ArtCheckView:
    """What breaks the rule: in some bundles, or in the whole collection."""
    return room.rules.check_art(bundle)


@router.post("/pictures/find-crop", operation_id="findCrop", openapi_extra={**READER, **RAW_BODY})
async def find_picture_crop(room: Room, request: Request, square: bool = True) -> Crop:
    """Where the sleeve lies within a scan, whose bytes are the request's body. Nothing is kept."""
    data = await _body(request, MAX_BYTES, "the picture")
    return await run_in_threadpool(room.decoding.find_crop, data, square=square)


@router.post(
    "/pictures/crop", operation_id="cropPicture", openapi_extra={**READER, **RAW_BODY}, response_class=Response
)
async def crop_picture(room: Room, request: Request, crop: Annotated[Crop, Query()]) -> Response:
    """A part of a picture, set straight; the picture's bytes are the request's body. Nothing is kept."""
    data = await _body(request, MAX_BYTES, "the picture")
    made = await run_in_threadpool(room.decoding.cropped, data, crop)
    return Response(made, media_type=mime_of(made))


@router.post("/art-rule/apply", operation_id="applyArtRule", status_code=202)
def carry_out_art(room: Room, who: Who, wanted: Files) -> StepView:
    return room.steps.carry_out_art(wanted.file_ids, room.rules.art(), who=who)


def _as_it_is(view: BaseModel) -> Response:
    """Written out unchecked: it is made of our own rows, of which there may be ten thousand."""
    return Response(view.model_dump_json(warnings=False), media_type="application/json")


async def _body(request: Request, most_bytes: int, what: str) -> bytes:
    data = bytearray()
    async for chunk in request.stream():
        if len(data) <= most_bytes:  # the rest is read and dropped, so that the refusal arrives
            data += chunk
    if len(data) > most_bytes:
        raise Refused(f"it has over {most_bytes // 1_000_000} MB", where=what, remedy="Make it smaller")
    return bytes(data)
