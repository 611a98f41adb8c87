"""Reports."""

from __future__ import annotations

from fastapi import Response

from inkwell_groove.web.access import EXPORT
from inkwell_groove.web.dependencies import Room
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.reports import ReportView

router = Router("reports")


@router.get("/reports", operation_id="reports")
def reports(room: Room) -> list[ReportView]:
    return room.reports.all()


@router.get("/reports/{name}.csv", operation_id="reportCsv", response_class=Response, openapi_extra=EXPORT)
def as_csv(room: Room, name: str) -> Response:
    headers = {"Content-Disposition": 'attachment; filename="report.csv"'}
    return Response(room.reports.as_csv(name), media_type="text/csv; charset=utf-8", headers=headers)
