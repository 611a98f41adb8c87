"""`groove fingerprint` and `groove match`: what two recordings have in common."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from inkwell_groove.cli.reporting import InputFile, JsonFlag, ReportFile, answer, refusals


def fingerprint(path: InputFile, as_json: JsonFlag = False, report: ReportFile = None) -> None:
    """The fingerprint of a recording: 32 bits for every 11.6 ms, as hexadecimal text."""
    from inkwell_groove.core.audio.soundfiles import FileReader
    from inkwell_groove.core.fingerprint import prints

    with refusals(), FileReader(path) as reader:
        found = prints.fingerprint(reader)
        told = {
            "file": path.name,
            "duration_s": reader.format.duration_s,
            "hop_s": prints.HOP_S,
            "prints": len(found),
            "fingerprint": "".join(f"{int(one):08x}" for one in found),
        }

        def show(console: Console) -> None:
            console.print(f"{len(found)} prints, one for every {1000 * prints.HOP_S:.1f} ms")
            console.print(" ".join(f"{int(one):08x}" for one in found[:8]) + " …")

        answer(told, as_json=as_json, report_file=report, show=show)


def match(
    first: Annotated[Path, typer.Argument(help="A recording.")],
    second: Annotated[Path, typer.Argument(help="Another one.")],
    as_json: JsonFlag = False,
    report: ReportFile = None,
) -> None:
    """Whether two files hold the same recording: in how many bits they differ, where the second lies, and its speed."""
    from inkwell_groove.core.audio.soundfiles import FileReader
    from inkwell_groove.core.fingerprint import prints
    from inkwell_groove.core.fingerprint.likeness import compare

    with refusals(), FileReader(first) as one, FileReader(second) as other:
        found = compare(prints.fingerprint(one), lambda speed: prints.fingerprint(other, speed_ratio=speed))

        def show(console: Console) -> None:
            console.print(found.verdict)
            if found.verdict != "different":
                console.print(
                    f"{found.bit_error_rate:.1%} of the bits differ over {found.matched_s:.1f} s "
                    f"({found.matched_share:.0%}), beginning at {found.offset_s:.2f} s, speed {found.speed_ratio:.4f}"
                )

        answer(found, as_json=as_json, report_file=report, show=show)
