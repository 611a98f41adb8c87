"""The house's rule for pictures, checked and worked out for one folder of files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.art import ArtRule, cropped, find_crop, fitted
from inkwell_groove.core.files.pictures import FRONT, Embedded, mime_of
from inkwell_groove.core.files.reading import PictureFacts

# Names under which a front cover lies beside files, the likeliest first (common practice).
BESIDE_NAMES = ("cover", "folder", "front", "album", "albumart")
_SQUARE_WITHIN = 0.02


def breaks(rule: ArtRule, embedded: Sequence[PictureFacts], *, beside: bool) -> list[str]:
    """What of the rule a file breaks, in words; empty where all is as the house wants it."""
    found = []
    front = next((one for one in embedded if one.role == "front"), None)
    if rule.embed == "none" and embedded:
        found.append("pictures are embedded")
    if rule.embed != "none":
        if front is None:
            found.append("no front is embedded" if not embedded else "no embedded picture is called the front")
        for one in embedded:
            longest = max(one.width_px, one.height_px)
            if longest > rule.most_px:
                found.append(f"{one.role} has {longest} pixels, {rule.most_px} are allowed")
            if one.size_bytes > rule.most_kb * 1000:
                found.append(f"{one.role} has {one.size_bytes // 1000} kB, {rule.most_kb} are allowed")
    if front is not None and rule.square == "crop border" and not _is_square(front):
        found.append(f"front is not square: {front.width_px} x {front.height_px}")
    if rule.beside and not beside:
        found.append(f"no {rule.beside_name} lies beside it")
    return found


def _is_square(one: PictureFacts) -> bool:
    longest = max(one.width_px, one.height_px)
    return abs(one.width_px - one.height_px) <= _SQUARE_WITHIN * longest


@dataclass(frozen=True)
class Wanted:
    """What a file is to have: its pictures (None to leave them), and what lies beside it (None for nothing new)."""

    pictures: tuple[Embedded, ...] | None
    beside: bytes | None
    told: tuple[str, ...] = ()


def work_out(rule: ArtRule, embedded: Sequence[Embedded], beside: Mapping[str, bytes]) -> Wanted:
    """What the rule makes of a file's pictures and of the pictures lying beside it, by name.

    The front is the largest of what is embedded as front, what lies beside under a usual name, and, where there is
    neither, the only embedded picture. Nothing is scaled up, and what fits is left to the byte.
    """
    fronts = [one.data for one in embedded if one.kind == FRONT]
    fronts += [data for name, data in beside.items() if name.rsplit(".", 1)[0].casefold() in BESIDE_NAMES]
    if not fronts and len(embedded) == 1:
        fronts = [embedded[0].data]
    if not fronts:
        return Wanted(None, None, ("there is no front to be found",))
    front = max(fronts, key=_pixels)
    told: list[str] = []
    if rule.square == "crop border" and not _is_square(PictureFacts.of(Embedded(FRONT, mime_of(front), front))):
        crop = find_crop(front, square=True)
        front = cropped(front, crop)
        told.append(f"front cut to {crop.width} x {crop.height}")
    pictures: tuple[Embedded, ...] = ()
    if rule.embed != "none":
        others = (
            [one for one in embedded if one.kind != FRONT and one.data not in fronts] if rule.embed == "all" else []
        )
        wanted = [Embedded(FRONT, mime_of(front), front), *others]
        pictures = tuple(_fitted(one, rule) for one in wanted)
    same = [(one.kind, one.data) for one in pictures] == [(one.kind, one.data) for one in embedded]
    outside = front if rule.beside and beside.get(rule.beside_name) is None else None
    return Wanted(None if same else pictures, outside, tuple(told))


def _fitted(one: Embedded, rule: ArtRule) -> Embedded:
    data = fitted(one.data, most_px=rule.most_px, most_kb=rule.most_kb, name=one.role)
    return Embedded(one.kind, mime_of(data), data, one.words)


def _pixels(data: bytes) -> int:
    width, height, _ = Embedded(FRONT, "", data).size()
    if not width:
        raise Refused("a picture cannot be read", where="front", remedy="Put a JPEG or PNG in its place")
    return width * height
