"""A package's description for other catalogues: as JSON, and as Dublin Core (ISO 15836-1; DCMI terms, 2020)."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any
from xml.etree import ElementTree as ET

from inkwell_groove import __version__
from inkwell_groove.core.sealing.order import SealedTrack, SealOrder

_DC, _TERMS = "http://purl.org/dc/elements/1.1/", "http://purl.org/dc/terms/"
_XSI = "http://www.w3.org/2001/XMLSchema-instance"


def as_json(order: SealOrder, tracks: Sequence[SealedTrack]) -> str:
    """Everything that is said of the release and its tracks, and what each side was taken from."""
    files = {(track.side, track.number): track for track in tracks}
    sides: list[dict[str, Any]] = []
    for side in order.sides:
        lines = []
        for one in side.descriptions:
            sealed = files.get((side.name, one.number))
            lines.append(
                {
                    **one.model_dump(exclude_defaults=True),
                    "number": one.number,
                    **({"file": sealed.file, "md5_of_samples": sealed.md5} if sealed else {}),
                }
            )
        take = {"name": side.take_name, "sha256": side.plan.take_sha256, **side.take_format.model_dump(mode="json")}
        sides.append({"name": side.name, "take": take, "chain": dict(side.transfer), "tracks": lines})
    told = {
        "shelfmark": order.shelfmark,
        "release": order.release.model_dump(exclude_defaults=True),
        "sides": sides,
        "sealed_at": order.sealed_at,
        "sealed_by": order.sealed_by,
        "application": f"Inkwell Groove {__version__}",
    }
    return json.dumps(told, ensure_ascii=False, indent=2) + "\n"


def as_dublin_core(order: SealOrder, tracks: Sequence[SealedTrack]) -> str:
    """The release as one resource, its tracks as parts of it."""
    for prefix, space in (("dc", _DC), ("dcterms", _TERMS), ("xsi", _XSI)):
        ET.register_namespace(prefix, space)
    release = order.release
    root = ET.Element("metadata")
    pairs = [
        ("title", release.title),
        ("creator", release.album_artist),
        ("publisher", release.label),
        ("date", release.year),
        ("identifier", order.shelfmark),
        ("identifier", release.catalogue_number),
        ("type", "Sound"),
        ("format", "audio/flac"),
        ("source", f"{release.format}, {order.shelfmark}" if release.format else order.shelfmark),
    ]
    for name, value in pairs:
        if value:
            ET.SubElement(root, f"{{{_DC}}}{name}").text = value
    for track in tracks:
        ET.SubElement(root, f"{{{_TERMS}}}hasPart").text = " ".join(
            part for part in (f"{track.number:02}", track.title, f"({track.artist})" if track.artist else "") if part
        )
    ET.SubElement(root, f"{{{_TERMS}}}created").text = order.sealed_at
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="unicode") + "\n"
