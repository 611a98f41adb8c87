"""Fixity: whether what was sealed is still what it was."""

from __future__ import annotations

from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.packages.views import FixityOverview
from inkwell_groove.workroom.views import JobView

router = Router("fixity")


@router.get("/fixity", operation_id="fixity")
def fixity(room: Room) -> FixityOverview:
    return room.fixity.overview()


@router.post("/fixity/audit", operation_id="beginAudit", status_code=202)
def begin_audit(room: Room, who: Who) -> FixityOverview:
    return room.fixity.begin_audit(who=who)


@router.delete("/fixity/audit", operation_id="stopAudit")
def stop_audit(room: Room, who: Who) -> FixityOverview:
    return room.fixity.stop_audit(who=who)


@router.post("/fixity/storage", operation_id="storeNew", status_code=202)
def store_new(room: Room) -> FixityOverview:
    """Bring what is new to object storage now, rather than within a minute."""
    room.storing.store_new()
    return room.fixity.overview()


@router.post("/packages/{package_id}/check", operation_id="checkPackage", status_code=202)
def check_package(room: Room, package_id: int) -> JobView:
    return room.fixity.check(package_id)


@router.post("/packages/{package_id}/restore", operation_id="restorePackage", status_code=202)
def restore_package(room: Room, who: Who, package_id: int) -> JobView:
    return room.fixity.restore(package_id, who=who)
