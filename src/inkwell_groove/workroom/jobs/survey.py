"""The survey's checks, in a worker process."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.core.soundfiles import FileReader
from inkwell_groove.core.survey.finding import House, Record
from inkwell_groove.core.survey.names import FIELDS, split_names
from inkwell_groove.core.survey.sound import sound_facts
from inkwell_groove.core.survey.survey import survey
from inkwell_groove.workroom.files.orders import ListenOrder, ListenResult, append_lines, read_lines
from inkwell_groove.workroom.jobs.pool import Progress

_FACTS = ("format", "silent_tail_s", "pictures", "others", "sound")


def survey_files(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Looks at the files of an order; what was found, and which names they have, lies beside it, in lines.

    Arguments: media_root, run_id, house, places (not used here).
    """
    folder = Path(arguments["media_root"]) / "surveys" / str(int(arguments["run_id"]))
    records, beside = _read(folder / "order")
    progress(0.1, f"looking at {len(records)} files")
    with (folder / "names").open("w", encoding="utf-8") as out:
        for one in records:
            held = {name: split_names(one[name]) for name in FIELDS if one[name]}
            out.write(json.dumps([one.key, held]) + "\n")

    def seen(files: int) -> None:
        progress(0.1 + 0.8 * files / len(records), f"{files} of {len(records)} files")

    found = 0
    with (folder / "found").open("w", encoding="utf-8") as out:
        for one in survey(records, beside, House.model_validate(arguments["house"]), seen=seen):
            out.write(one.model_dump_json(exclude_defaults=True) + "\n")
            found += 1
    return {"files": len(records), "findings": found}


def listen_to_files(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Hears files from beginning to end. Arguments: folder, in which the order lies and what was heard is written."""
    folder = Path(arguments["folder"])
    orders = [ListenOrder.model_validate_json(line) for line in read_lines(folder / "order")]
    done = {ListenResult.model_validate_json(line).file_id for line in read_lines(folder / "heard")}
    for number, order in enumerate(orders):
        progress(number / len(orders), f"listening to {number + 1} of {len(orders)} files")
        if order.file_id in done:
            continue
        told: dict[str, Any] = {}
        try:
            with FileReader(Path(order.path)) as reader:
                told = sound_facts(reader).model_dump(mode="json")
        except InkwellError:
            pass  # that it cannot be read is another check's to say
        result = ListenResult(file_id=order.file_id, audio_digest=order.audio_digest, sound=told)
        append_lines(folder / "heard", [result])
    return {"files": len(orders)}


def _read(path: Path) -> tuple[list[Record], dict[str, str]]:
    records, beside = [], {}
    for line in read_lines(path):
        row = json.loads(line)
        if row["kind"] == "picture":
            beside[row["path"]] = row["sha256"]
            continue
        facts = {name: row["facts"][name] for name in _FACTS if name in row["facts"]}
        problem = row["problem"]["what"] if row["problem"] else ""
        records.append(Record(row["key"], row["path"], row["fields"], facts, problem))
    return records, beside
