"""What a master says of itself: in FLAC all of it, in WAV and AIFF what their tags hold; read back as written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from inkwell_groove.core import tagging
from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.files.fields import FIELDS, SEPARATOR
from inkwell_groove.core.files.pictures import FRONT, Embedded
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.core.sealing.covers import Covers

Fields = Mapping[str, Sequence[str]]
_BY_TAG = {field.vorbis: field for field in FIELDS}


def write_description(path: Path, fields: Fields, covers: Covers) -> tuple[str, ...]:
    """Tags and cover, by the names of Vorbis comments; in words, what the format could not hold."""
    if path.suffix == ".flac":
        tagging.write_tags(path, fields, cover=covers.embedded, facts=covers.facts)
        return ()
    change = Change(fields=_as_fields(fields), pictures=_pictures(covers))
    _, ready = write(path, change)
    left = sorted(name for name in fields if name not in _BY_TAG)
    return (*ready.told, *([f"no place for {', '.join(left)}"] if left else []))


def prove_description(path: Path, fields: Fields, covers: Covers, told: Sequence[str]) -> None:
    """Raises ProofFailed where they do not read back as written. `told` is what could not be written."""
    if path.suffix == ".flac":
        found = tagging.read_tags(path)
        wrong = sorted(found.fields) != sorted((name, value) for name, values in fields.items() for value in values)
        pictures = [data for _, _, data in found.pictures]
    else:
        there = read_file(path).fields
        wanted = _as_fields(fields)
        held = wanted if not told else {name: value for name, value in wanted.items() if name in there}
        wrong = any(there.get(name) != value for name, value in held.items())
        pictures = [one.data for one in read_pictures(path)]
    if wrong:
        raise ProofFailed("its tags do not read back as written", where=path.name, remedy="Seal again")
    if covers.embedded is not None and pictures != [covers.embedded]:
        raise ProofFailed("its cover does not read back as written", where=path.name, remedy="Seal again")


def _as_fields(fields: Fields) -> dict[str, str]:
    return {_BY_TAG[name].name: SEPARATOR.join(values) for name, values in fields.items() if name in _BY_TAG}


def _pictures(covers: Covers) -> tuple[Embedded, ...]:
    if covers.embedded is None or covers.facts is None:
        return ()
    return (Embedded(FRONT, covers.facts.mime, covers.embedded),)
