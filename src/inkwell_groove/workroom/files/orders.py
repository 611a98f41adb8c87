"""What a step is asked to do to a file, and what came of it: lines of JSON in the step's folder."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, Field

from inkwell_groove.core.duplicates.relation import Relation
from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.files.reading import FileTags
from inkwell_groove.core.survey.loudness import LoudnessFacts
from inkwell_groove.store.durable import sync_file
from inkwell_groove.store.journal import append_whole


class PictureAsked(BaseModel):
    kind: int
    sha256: str


class Made(BaseModel):
    """A picture of the store to be laid beside files."""

    path: str
    sha256: str


class Order(BaseModel):
    """One file's changes. `pictures` are all it shall have, None to leave them; `art` lets the house's rule decide."""

    file_id: int
    root: str
    path: str
    sha256: str = Field(default="", description="The file as it was looked at; another one is left alone.")
    new_path: str = ""
    fields: dict[str, str] = Field(default_factory=dict)
    pictures: list[PictureAsked] | None = None
    art: ArtRule | None = None
    beside: list[Made] = Field(default_factory=list)
    goes_along: bool = Field(default=False, description="It is no sound, and only moves with the sound it lies by.")
    take_off_silence: bool = False
    samples_md5: str = Field(default="", description="To be stored in a FLAC as the checksum of its samples.")
    id3: Literal["as it is", "2.3", "2.4"] = "as it is"
    keep_id3v1: bool = True


FILING = "filing"  # the name of an order to file back, in a step's folder


class FilingOrder(BaseModel):
    """One file of somebody's folder `root` to be replaced: `old` by what lies at `new` below `source`.

    `old` is empty where there was none, `new` where there is to be none.
    """

    file_id: int
    root: str
    source: str
    old: str
    old_sha256: str
    new: str
    new_sha256: str


class Result(BaseModel):
    """A file as it is after a step, or why it was left."""

    file_id: int = 0
    path: str
    kind: str = "audio"
    sha256: str = ""
    audio_digest: str = ""
    size_bytes: int = 0
    fields: dict[str, str] = Field(default_factory=dict)
    facts: dict[str, Any] = Field(default_factory=dict)
    told: list[str] = Field(default_factory=list)
    problem: dict[str, str] | None = None


class ListenOrder(BaseModel):
    """A file to be listened to."""

    file_id: int
    path: str
    audio_digest: str
    lossless: bool = Field(default=True, description="Whether its format says so.")


class ListenResult(BaseModel):
    """What listening found; `sound` is empty if the file could not be decoded."""

    file_id: int
    audio_digest: str
    sound: dict[str, Any]
    sound_id: str = Field(default="", description="What tells its sound from others; empty where it is not decoded.")
    checksum: Literal["", "right", "wrong", "none"] = Field(
        default="", description="Whether its samples have the MD5 that is stored with them; empty where none could be."
    )
    silent_head_s: float = 0.0
    loudness: LoudnessFacts | None = None


class CompareOrder(BaseModel):
    """A sound to be compared with all others."""

    sound_id: str
    path: str


class KnownPair(BaseModel):
    """Two sounds, the lesser identity first."""

    first: str
    second: str


class CompareResult(KnownPair):
    relation: Relation


class MoveOrder(BaseModel):
    """A file to be moved, if it still is what it was."""

    key: int
    source: str
    target: str
    sha256: str


class MoveResult(BaseModel):
    """A file that was moved, or why not."""

    key: int
    problem: str


def facts_of(tags: FileTags) -> dict[str, Any]:
    """Return what a row keeps of a file beside its fields."""
    return tags.model_dump(mode="json", exclude={"fields"})


def problem_of(error: InkwellError) -> dict[str, str]:
    """Return a refusal as a result keeps it."""
    return {"what": error.what, "where": error.where or "", "remedy": error.remedy or ""}


def fault_of(cause: Exception, path: str) -> Refused:
    """Return the refusal for a file that met a fault of the program."""
    return Refused(
        f"a fault in the program ({type(cause).__name__}: {cause})",
        where=path,
        remedy="Leave this file out and report it; the log has the details",
    )


def heard_file(folder: Path, first: int) -> Path:
    """Return the file of what one piece of a listening heard: each has its own."""
    return folder / (f"heard {first}" if first else "heard")


def forget(folder: Path) -> None:
    """Delete a job's folder of lines, once they are in the database."""
    shutil.rmtree(folder, ignore_errors=True)


def write_lines(path: Path, rows: Iterable[BaseModel]) -> None:
    beside = path.with_name(f".{path.name}.part")
    path.parent.mkdir(parents=True, exist_ok=True)
    beside.write_text("".join(row.model_dump_json() + "\n" for row in rows), "utf-8")
    sync_file(beside)
    beside.replace(path)


def append_lines(path: Path, rows: Iterable[BaseModel]) -> None:
    append_whole(path, "".join(row.model_dump_json() + "\n" for row in rows).encode(), sync=False)


def read_lines(path: Path) -> Iterator[str]:
    """Yield whole lines only: the last may have been on its way when the machine stopped."""
    if path.exists():
        with path.open(encoding="utf-8") as file:
            yield from (line for line in file if line.endswith("\n"))
