"""Sources: looking up, candidates, the chosen pressing, reconciling, art, and the whole shelf at once."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.web.access import KEEPER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.sources.reconciling import Take
from inkwell_groove.workroom.sources.views import (
    ArtView,
    LookUpView,
    ReconcileView,
    ShelfLookUpView,
    SourcesView,
)
from inkwell_groove.workroom.views import ArtworkView

router = Router("catalogues")


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewLookUp(Strict):
    """By what to ask: one line of text, or all that is known of the docket."""

    text: str = Field(default="", max_length=300)
    anew: bool = Field(default=False, description="Whether sources are asked again for what they answered lately.")


class Choice(Strict):
    key: str = Field(max_length=500)
    lay_lengths: bool = True


class Pairs(Strict):
    pairs: list[tuple[str | None, int | None]] = Field(max_length=400)


class Taking(Strict):
    values: list[Take] = Field(max_length=2_000)
    learn: bool = Field(default=False, description="Whether it was chosen by hand, and is to be learnt from.")


class RuleChange(Strict):
    field: str
    source: str = ""
    fixed: bool
    seen: str | None = Field(
        default=None, description="The source that is preferred as far as is known, empty for none."
    )


class ArtChoice(Strict):
    address: str = Field(max_length=500)


class ShelfChoice(Strict):
    docket_ids: list[int] = Field(min_length=1, max_length=500)


class NewShelfLookUp(Strict):
    anew: bool = False


@router.get("/dockets/{docket_id}/catalogues", operation_id="docketCatalogues")
def docket_sources(room: Room, docket_id: int) -> SourcesView:
    return room.choosing.view(docket_id)


@router.post("/dockets/{docket_id}/look-up", operation_id="lookUp", status_code=202)
def look_up(room: Room, who: Who, docket_id: int, new: NewLookUp) -> LookUpView:
    return room.look_ups.look_up(docket_id, text=new.text, anew=new.anew, who=who)


@router.delete("/dockets/{docket_id}/look-up", operation_id="stopLookUp", status_code=204)
def stop_look_up(room: Room, docket_id: int) -> None:
    room.look_ups.cancel(docket_id)


@router.put("/dockets/{docket_id}/pressing", operation_id="choosePressing")
def choose_pressing(room: Room, who: Who, docket_id: int, choice: Choice) -> SourcesView:
    return room.choosing.choose(docket_id, choice.key, lay=choice.lay_lengths, who=who)


@router.delete("/dockets/{docket_id}/pressing", operation_id="removePressing")
def forget_pressing(room: Room, who: Who, docket_id: int) -> SourcesView:
    return room.choosing.forget(docket_id, who=who)


@router.put("/dockets/{docket_id}/pressing/pairs", operation_id="pairTracks")
def pair_tracks(room: Room, who: Who, docket_id: int, pairs: Pairs) -> SourcesView:
    return room.choosing.set_pairs(docket_id, pairs.pairs, who=who)


@router.get("/dockets/{docket_id}/reconcile", operation_id="reconcile")
def reconcile(room: Room, docket_id: int) -> ReconcileView:
    return room.reconciling.view(docket_id)


@router.post("/dockets/{docket_id}/reconcile", operation_id="applyValues")
def take_values(room: Room, who: Who, docket_id: int, taking: Taking) -> ReconcileView:
    return room.reconciling.take(docket_id, taking.values, learn=taking.learn, who=who)


@router.post("/dockets/{docket_id}/reconcile/undo", operation_id="undoValues")
def take_values_back(room: Room, who: Who, docket_id: int) -> ReconcileView:
    return room.reconciling.take_back(docket_id, who=who)


@router.put("/catalogue-rules", operation_id="setCatalogueRule", openapi_extra=KEEPER, status_code=204)
def set_source_rule(room: Room, who: Who, change: RuleChange) -> None:
    room.reconciling.set_rule(change.field, change.source, fixed=change.fixed, who=who, seen=change.seen)


@router.get("/dockets/{docket_id}/catalogue-pictures", operation_id="cataloguePictures")
def source_art(room: Room, docket_id: int) -> list[ArtView]:
    return room.source_art.offers(docket_id)


@router.get("/dockets/{docket_id}/catalogue-pictures/picture", operation_id="cataloguePicture", response_class=Response)
def source_picture(room: Room, docket_id: int, address: Annotated[str, Query(max_length=500)]) -> Response:
    data, mime = room.source_art.fetch(docket_id, address)
    return Response(data, media_type=mime, headers={"Cache-Control": "private, max-age=3600"})


@router.post("/dockets/{docket_id}/catalogue-pictures", operation_id="addCataloguePicture", status_code=201)
def take_source_art(room: Room, who: Who, docket_id: int, choice: ArtChoice) -> ArtworkView:
    return room.source_art.take(docket_id, choice.address, who=who)


@router.post("/dockets/{docket_id}/own-entry", operation_id="keepOwnEntry", status_code=204)
def keep_own_entry(room: Room, who: Who, docket_id: int) -> None:
    room.own.keep(docket_id, who=who)


@router.get("/shelf-look-up", operation_id="shelfLookUp")
def shelf_look_up(room: Room) -> ShelfLookUpView:
    return room.shelf_look_ups.view()


@router.post("/shelf-look-up", operation_id="lookUpShelf", status_code=202)
def look_up_shelf(room: Room, who: Who, new: NewShelfLookUp) -> ShelfLookUpView:
    return room.shelf_look_ups.begin(anew=new.anew, who=who)


@router.post("/shelf-look-up/choose", operation_id="chooseForShelf")
def choose_for_shelf(room: Room, who: Who, choice: ShelfChoice) -> ShelfLookUpView:
    return room.shelf_look_ups.choose(choice.docket_ids, who=who)


@router.delete("/shelf-look-up", operation_id="stopShelfLookUp")
def stop_shelf_look_up(room: Room) -> ShelfLookUpView:
    return room.shelf_look_ups.stop()
