"""Sealing, and what was sealed."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import quote

from fastapi.responses import PlainTextResponse, StreamingResponse
from pydantic import BaseModel, Field

from inkwell_groove.core.copies.order import FORMS, CopyForm, CopyKind
from inkwell_groove.core.copies.players import Target
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.web.access import EXPORT, KEEPER
from inkwell_groove.web.dependencies import On, Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.web.zipping import zip_stream
from inkwell_groove.workroom.packages.burning import BurnView
from inkwell_groove.workroom.packages.profiles import ProfileView
from inkwell_groove.workroom.packages.sealing import SealAsked
from inkwell_groove.workroom.packages.sending import FitView, TargetView
from inkwell_groove.workroom.views import JobView

router = Router("sealing")
# A report has styles of its own and nothing that runs.
_PAPER_POLICY = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox"


class ManyDockets(BaseModel):
    docket_ids: list[int] = Field(min_length=1)


class NewProfile(BaseModel):
    name: str
    profile: Profile
    seen: Profile | None = Field(default=None, description="The profile that was changed; what others changed is kept.")


class ProfileChoice(BaseModel):
    docket_ids: list[int] = Field(min_length=1)
    name: str


@router.post("/dockets/{docket_id}/seal", operation_id="seal", status_code=202)
def seal(room: Room, who: Who, docket_id: int, anew: bool = False) -> JobView:
    """Parts of the newest package that are as they are wanted are taken over and proven again, unless `anew`."""
    return room.sealing.seal(docket_id, who=who, anew=anew)


@router.post("/seal-many", operation_id="sealMany", status_code=202)
def seal_many(room: Room, who: Who, dockets: ManyDockets) -> list[SealAsked]:
    return room.sealing.seal_many(dockets.docket_ids, who=who)


@router.get("/profiles", operation_id="profiles")
def profiles(room: Room) -> list[ProfileView]:
    return room.profiles.all()


@router.get("/copy-forms", operation_id="copyForms")
def copy_forms() -> dict[CopyKind, CopyForm]:
    """What each format of access copies can be asked for."""
    return FORMS


@router.put("/profiles", operation_id="saveProfile", openapi_extra=KEEPER)
def save_profile(room: Room, who: Who, new: NewProfile) -> ProfileView:
    return room.profiles.save(new.name, new.profile, who=who, seen=new.seen)


@router.delete("/profiles/{profile_id}", operation_id="deleteProfile", openapi_extra=KEEPER, status_code=204)
def forget_profile(room: Room, who: Who, profile_id: int) -> None:
    room.profiles.forget(profile_id, who=who)


@router.put("/dockets-profile", operation_id="setProfile", status_code=204)
def choose_profile(room: Room, who: Who, choice: ProfileChoice) -> None:
    """Gives one docket or many a profile."""
    room.profiles.choose(choice.docket_ids, choice.name, who=who)


@router.get("/packages/{package_id}/papers/{name:path}", operation_id="packagePaper", response_class=PlainTextResponse)
def package_paper(room: Room, package_id: int, name: str) -> PlainTextResponse:
    """One of a package's papers: report, cue sheet, playlist, log, description, checksums."""
    text, media_type = room.sealing.paper(package_id, name)
    return PlainTextResponse(text, media_type=media_type, headers={"Content-Security-Policy": _PAPER_POLICY})


@router.get(
    "/packages/{package_id}/package.zip",
    operation_id="packageZip",
    response_class=StreamingResponse,
    openapi_extra=EXPORT,
)
def package_zip(room: Room, package_id: int, part: str = "") -> StreamingResponse:
    """All files of a package, or of one of its parts, stored without compression: sound does not shrink."""
    if part:
        folder, name = room.sealing.part(package_id, part)
        inside = name
    else:
        folder, shown = room.sealing.package(package_id)
        inside, name = "/".join(shown), shown[-1]
    return _zipped(folder, inside, name, f"package-{package_id}.zip")


@router.get("/packages/{package_id}/discs", operation_id="discsToBurn")
def discs_to_burn(room: Room, package_id: int) -> list[BurnView]:
    return room.burning.discs(package_id)


@router.post("/packages/{package_id}/discs/{name}", operation_id="makeImage", status_code=202)
def make_image(room: Room, who: Who, package_id: int, name: str) -> JobView:
    return room.burning.make(package_id, name, who=who)


@router.get(
    "/packages/{package_id}/discs/{name}/image.zip",
    operation_id="imageZip",
    response_class=StreamingResponse,
    openapi_extra=EXPORT,
)
def image_zip(room: Room, package_id: int, name: str) -> StreamingResponse:
    """An image for burning: the sound and its cue sheet."""
    folder, shown = room.burning.image(package_id, name)
    return _zipped(folder, shown, shown, f"image-{package_id}.zip")


@router.get("/targets", operation_id="targets")
def targets(room: Room) -> list[TargetView]:
    return room.sending.targets()


@router.put("/targets", operation_id="saveTarget", openapi_extra=KEEPER)
def save_target(room: Room, who: Who, target: Target, on: On = None) -> TargetView:
    """Under its name; one of that name is replaced."""
    return room.sending.save(target, who=who, on=on)


@router.get("/packages/{package_id}/fit", operation_id="fitOfPart")
def fit(room: Room, package_id: int, part: str, target: str) -> FitView:
    """What a target cannot show of a part, before it is carried there."""
    return room.sending.fit(package_id, part, target)


@router.post("/packages/{package_id}/carry", operation_id="carryPart", status_code=202)
def carry(room: Room, who: Who, package_id: int, part: str, target: str) -> JobView:
    return room.sending.send(package_id, part, target, who=who)


def _zipped(folder: Path, inside: str, name: str, plain_name: str) -> StreamingResponse:
    disposition = f"attachment; filename=\"{plain_name}\"; filename*=UTF-8''{quote(f'{name}.zip')}"
    return StreamingResponse(
        zip_stream(folder, inside), media_type="application/zip", headers={"Content-Disposition": disposition}
    )
