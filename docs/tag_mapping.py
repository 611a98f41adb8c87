"""Writes the table of docs/tag-mapping.md from the code: `python docs/tag_mapping.py`."""

from __future__ import annotations

from pathlib import Path

from inkwell_groove.core.files.fields import FIELDS, FREEFORM

COLUMNS = ("field", "on the screen", "Vorbis comment", "ID3v2.4", "ID3v2.3", "MP4 atom", "RIFF INFO", "several")


def _row(number: int) -> dict[str, str]:
    field = FIELDS[number]
    older = "TYER + TDAT" if field.name == "date" else field.id3v23 or field.id3
    return dict(
        zip(
            COLUMNS,
            (
                field.name,
                field.label,
                field.vorbis,
                field.id3,
                older,
                field.mp4,
                field.info or "–",
                "yes" if field.many else "–",
            ),
            strict=True,
        )
    )


TABLE = [_row(number) for number in range(len(FIELDS))]


def table() -> str:
    """The table in Markdown."""
    lines = [f"| {' | '.join(COLUMNS)} |", f"|{'---|' * len(COLUMNS)}"]
    lines += [f"| {' | '.join(row[name].replace(FREEFORM, '---- ') for name in COLUMNS)} |" for row in TABLE]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    page = Path(__file__).with_name("tag-mapping.md")
    head, _, rest = page.read_text().partition("<!-- table -->\n")
    _, _, tail = rest.partition("<!-- end of table -->\n")
    page.write_text(f"{head}<!-- table -->\n{table()}<!-- end of table -->\n{tail}")
