"""Where to look for what a request began: the Location of every answer 202 (RFC 9110, section 15.3.3)."""

from __future__ import annotations

import json
from typing import Any

from starlette.responses import Response

from inkwell_groove.workroom.authorities.headings import MergeView
from inkwell_groove.workroom.disc.views import DiscView
from inkwell_groove.workroom.files.views import BundleView, StepView
from inkwell_groove.workroom.packages.sealing import SealAsked
from inkwell_groove.workroom.packages.views import FixityOverview
from inkwell_groove.workroom.sources.views import LookUpView, ShelfLookUpView
from inkwell_groove.workroom.taking_back import TakenBackView
from inkwell_groove.workroom.views import JobView

# By what the answer is: an address whose gaps are values of the answer, or of the request's own address.
_LOOK_AT: dict[object, str] = {
    JobView: "/api/v1/jobs/{id}",
    list[JobView]: "/api/v1/jobs",
    list[SealAsked]: "/api/v1/jobs",
    StepView: "/api/v1/file-steps/{id}",
    BundleView: "/api/v1/bundles/{id}",
    DiscView: "/api/v1/sides/{side_id}/disc",
    FixityOverview: "/api/v1/fixity",
    LookUpView: "/api/v1/dockets/{docket_id}/catalogues",
    ShelfLookUpView: "/api/v1/shelf-look-up",
    MergeView: "/api/v1/headings",
    TakenBackView: "/api/v1/ledger",
}


def location_of(answer: object) -> str:
    """Return the address to look at for an answer of that kind. Raises KeyError for one that nobody gave an address."""
    return _LOOK_AT[answer]


def set_location(response: Response, template: str, path_params: dict[str, Any]) -> None:
    """Say where to look, by what is in the answer and in the address of the request."""
    told = json.loads(bytes(response.body))
    values = {**path_params, **(told if isinstance(told, dict) else {})}
    response.headers["Location"] = template.format(**values)
