"""The survey's checks, in a worker process."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from inkwell_groove.core.audio.flacfile import checked, stated_md5
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.duplicates.portrait import Heard, portray
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.core.files.pictures import size_of
from inkwell_groove.core.survey.files import unknown_file
from inkwell_groove.core.survey.finding import Finding, House, Record
from inkwell_groove.core.survey.loudness import LoudnessFacts
from inkwell_groove.core.survey.names import FIELDS, split_names
from inkwell_groove.core.survey.sound import sound_facts
from inkwell_groove.core.survey.survey import survey
from inkwell_groove.workroom.files.folders import files_below, kind_of
from inkwell_groove.workroom.files.orders import ListenOrder, ListenResult, append_lines, heard_file, read_lines
from inkwell_groove.workroom.jobs.arguments import Listen, Survey
from inkwell_groove.workroom.jobs.duplicates import keep_portrait
from inkwell_groove.workroom.jobs.kind import Result, Task

_FACTS = ("format", "silent_tail_s", "pictures", "others", "sound", "checksum", "sound_id", "silent_head_s", "loudness")


def survey_files(arguments: Survey, task: Task) -> Result:
    """Look at the files of an order; write what was found, and which names they have, beside it in lines."""
    folder = task.media.root / "surveys" / str(arguments.run_id)
    progress = task.progress
    roots = {key: task.media.path_of(place) for key, place in arguments.roots.items()}
    records, beside, sizes = _read(folder / "order", roots)
    progress(0.1, f"looking at {len(records)} files")
    with (folder / "names").open("w", encoding="utf-8") as out:
        for one in records:
            held = {name: split_names(one[name]) for name in FIELDS if one[name]}
            out.write(json.dumps([one.key, held]) + "\n")

    def seen(files: int) -> None:
        progress(0.1 + 0.8 * files / len(records), f"{files} of {len(records)} files")

    found = 0
    with (folder / "found").open("w", encoding="utf-8") as out:
        for finding in survey(records, beside, House.model_validate(arguments.house), sizes=sizes, seen=seen):
            out.write(finding.model_dump_json(exclude_defaults=True) + "\n")
            found += 1
        for finding in _unknown(records, {key: roots[key] for key in arguments.in_place}, arguments.places):
            out.write(finding.model_dump_json(exclude_defaults=True) + "\n")
            found += 1
    return {"files": len(records), "findings": found}


def listen_to_files(arguments: Listen, task: Task) -> Result:
    """Listen to files from beginning to end; write what was heard into the order's folder.

    A job that was killed goes on after the last of them.
    """
    folder, first = task.media.path_of(arguments.folder), arguments.first
    heard = heard_file(folder, first)
    orders = [ListenOrder.model_validate_json(line) for line in read_lines(folder / "order")][first:]
    orders = orders[: arguments.files]
    done = {ListenResult.model_validate_json(line).file_id for line in read_lines(heard)}
    for number, order in enumerate(orders):
        task.progress(number / len(orders), f"listening to {number + 1} of {len(orders)} files")
        if order.file_id in done:
            continue
        append_lines(heard, [_heard(task, order)])
    return {"files": len(orders)}


def _heard(task: Task, order: ListenOrder) -> ListenResult:
    """What is told of its sound, where it is said to be lossless, and by what it is compared with others."""
    told: dict[str, Any] = {}
    path, sound_id, checksum, head_s = task.media.path_of(order.path), "", "", 0.0
    loudness: LoudnessFacts | None = None
    heard: Heard | None = None
    try:
        if order.lossless:
            with FileReader(path) as reader:
                told = sound_facts(reader).model_dump(mode="json")
        heard = portray(path)
        sound_id = heard.samples_md5 or order.audio_digest
        if path.suffix.lower() == ".flac" and heard.samples_md5 is not None:
            checksum = checked(stated_md5(path), heard.samples_md5)
        head_s = heard.portrait.silent_head_s
        loudness = LoudnessFacts.of(*heard.loudness) if heard.loudness is not None else None
    except InkwellError:
        pass  # that it cannot be read is another check's to say
    if heard is not None:
        keep_portrait(task, sound_id, heard.portrait)
    return ListenResult(
        file_id=order.file_id,
        audio_digest=order.audio_digest,
        sound=told,
        sound_id=sound_id,
        checksum=checksum,
        silent_head_s=head_s,
        loudness=loudness,
    )


def _read(path: Path, roots: Mapping[str, Path]) -> tuple[list[Record], dict[str, str], dict[str, tuple[int, int]]]:
    records, beside, sizes = [], {}, {}
    here = {bundle for bundle, root in roots.items() if root.is_dir()}
    for line in read_lines(path):
        row = json.loads(line)
        bundle, _, inside = row["path"].partition("/")
        if row["kind"] == "picture":
            beside[row["path"]] = row["sha256"]
            if bundle in here and (size := size_of(roots[bundle] / inside)) is not None:
                sizes[row["path"]] = size
            continue
        facts = {name: row["facts"][name] for name in _FACTS if name in row["facts"]}
        # Where the whole folder is away, as on a disk that is not connected, nothing is said of each of its files.
        if bundle in here and not (roots[bundle] / inside).is_file():
            facts["gone"] = True
        problem = row["problem"]["what"] if row["problem"] else ""
        records.append(Record(row["key"], row["path"], row["fields"], facts, problem))
    return records, beside, sizes


def _unknown(records: Sequence[Record], roots: Mapping[str, Path], places: Sequence[str] | None) -> Iterator[Finding]:
    """Sound that lies in folders edited in place and nobody brought in: there, or below the places looked at."""
    known = {one.path for one in records}
    for bundle, root in roots.items():
        if places is None:
            looked_at = [root]
        else:
            # A release's folder may be the folder itself that was brought in: its others are other releases.
            looked_at = [root / place.partition("/")[2] for place in places if place.startswith(f"{bundle}/")]
        for folder in looked_at:
            for path in files_below(folder, []) if folder.is_dir() else ():
                name = f"{bundle}/{path.relative_to(root).as_posix()}"
                if name not in known and kind_of(path) == "audio":
                    known.add(name)
                    yield unknown_file(name)
