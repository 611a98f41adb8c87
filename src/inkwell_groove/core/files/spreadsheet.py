"""The sheet as a spreadsheet, out and in again: CSV (RFC 4180) and XLSX (ECMA-376), keyed by the file's path.

A cell that begins like a formula gets an apostrophe in CSV, as spreadsheets themselves mark text; reading takes off
exactly what writing put there. In XLSX cells are text by type, and characters XML cannot hold are written as _x0007_
(ECMA-376 part 1, 22.9.2.19).
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import openpyxl
from openpyxl.cell import WriteOnlyCell
from openpyxl.styles import Font

from inkwell_groove.core import archives
from inkwell_groove.core.errors import Refused

KEY = "file"
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "'")
MOST_BYTES = 64_000_000  # a sheet of 100,000 files with every column filled has some 30 MB
_MOST_ROWS, _MOST_CELLS = 200_000, 5_000_000
_MOST_LINES = 1_048_576  # of a workbook's sheet (ECMA-376 part 1, 18.3.1.73); most may be empty
_MOST_UNPACKED_BYTES = 320_000_000
_MOST_CHARACTERS = 32_767
_NOT_XML = re.compile(r"[\x00-\x08\x0b\x0c\x0d\x0e-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")
_ESCAPED = re.compile(r"_x([0-9A-Fa-f]{4})_")
_WHERE = "the spreadsheet"
_REMEDY = "Save it as CSV with commas or semicolons, in UTF-8, or as XLSX"


@dataclass
class Sheet:
    """What was read: values by file and column. `told` says what was done with what did not fit."""

    columns: list[str]
    rows: dict[str, dict[str, str]] = field(default_factory=dict)
    told: list[str] = field(default_factory=list)


def to_csv(
    columns: Sequence[str], rows: Iterable[tuple[str, Mapping[str, str]]], *, delimiter: str = ",", key: str = KEY
) -> bytes:
    """With a byte order mark, by which spreadsheets know UTF-8. `key` is what the first column is called."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter, quoting=csv.QUOTE_MINIMAL, lineterminator="\r\n")
    writer.writerow([key, *columns])
    for name_of_row, values in rows:
        writer.writerow([_marked(name_of_row), *(_marked(values.get(name, "")) for name in columns)])
    return b"\xef\xbb\xbf" + out.getvalue().encode("utf-8", "surrogatepass")


def to_xlsx(columns: Sequence[str], rows: Iterable[tuple[str, Mapping[str, str]]]) -> bytes:
    """Every cell is text, so nothing is taken for a number, a date or a formula."""
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("files")
    sheet.freeze_panes = "B2"

    def cell(text: str, *, bold: bool = False) -> Any:
        made = WriteOnlyCell(sheet)
        made.value = _NOT_XML.sub(lambda one: f"_x{ord(one[0]):04X}_", text)[:_MOST_CHARACTERS]
        made.data_type = "s"
        made.number_format = "@"
        if bold:
            made.font = Font(bold=True)
        return made

    sheet.append([cell(name, bold=True) for name in (KEY, *columns)])
    for key, values in rows:
        sheet.append([cell(key), *(cell(values.get(name, "")) for name in columns)])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def from_csv(data: bytes) -> Sheet:
    """Commas, semicolons or tabs, whichever the first line has. Raises Refused for what has no file column."""
    _check_size(data)
    told = []
    encoding = _encoding(data)
    if encoding != "utf-8-sig":
        told.append(f"It is not in UTF-8: it was read as {encoding}. Look at the letters with accents.")

    def lines() -> io.TextIOWrapper:
        """Read from the bytes as they are wanted: as a whole text they would need four times the memory."""
        return io.TextIOWrapper(io.BytesIO(data), encoding, newline="")

    try:
        head = lines().readline(_MOST_CHARACTERS)
        delimiter = max((",", ";", "\t"), key=head.count)
        if delimiter != ",":
            told.append("Semicolons part its columns." if delimiter == ";" else "Tabs part its columns.")
        # A line is taken apart whole, so its cells are counted before.
        if data.count(delimiter.encode()) > _MOST_CELLS:
            raise _too_large(f"over {_MOST_CELLS:,} cells")
        table = _within_limits(csv.reader(lines(), delimiter=delimiter, strict=False))
    except csv.Error as cause:
        raise Refused(f"this is no table ({cause})", where=_WHERE, remedy=_REMEDY) from cause
    return _sheet([[_unmarked(cell) for cell in row] for row in table], told)


def _encoding(data: bytes) -> str:
    """UTF-8 where it is, else what spreadsheets write otherwise. Raises Refused."""
    for name in ("utf-8-sig", "utf-16", "cp1252"):
        if name == "utf-16" and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
            continue
        try:
            data.decode(name)
        except UnicodeDecodeError:
            continue
        return name
    raise Refused("its letters cannot be made out", where=_WHERE, remedy=_REMEDY)


def from_xlsx(data: bytes) -> Sheet:
    """The first sheet. Raises Refused as `from_csv` does; a formula's stored result counts, and is said."""
    _check_size(data)
    with archives.opened(io.BytesIO(data), where=_WHERE, remedy=_REMEDY) as parts:
        archives.parts_of(
            parts, where=_WHERE, most_parts=1_000, most_bytes=_MOST_UNPACKED_BYTES, packed_bytes=len(data)
        )
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        # A workbook may claim 16,384 columns for every line; without its claim, lines are as long as they are.
        sheet.reset_dimensions()
        rows = _within_limits(sheet.iter_rows(values_only=True))
        table = [["" if cell is None else _xml_text(cell) for cell in row] for row in rows]
    except Refused:
        raise
    except Exception as cause:  # openpyxl raises whatever comes of parts that do not fit together
        raise Refused(f"this is no workbook ({cause})", where=_WHERE, remedy=_REMEDY) from cause
    return _sheet(table, [])


def read_sheet(data: bytes) -> Sheet:
    """CSV or XLSX, by its first bytes."""
    return from_xlsx(data) if data[:4] == b"PK\x03\x04" else from_csv(data)


def _check_size(data: bytes) -> None:
    if len(data) > MOST_BYTES:
        raise _too_large(f"{len(data) // 1_000_000} MB")


def _within_limits(rows: Iterable[Sequence[Any]]) -> list[Sequence[Any]]:
    """The rows that have anything in them; reading stops where there are too many lines, rows or cells."""
    kept: list[Sequence[Any]] = []
    cells = 0
    for line, row in enumerate(rows, 1):
        if line > _MOST_LINES:
            raise _too_large(f"over {_MOST_LINES:,} lines")
        if all(cell is None or cell == "" for cell in row):
            continue
        cells += len(row)
        if cells > _MOST_CELLS:
            raise _too_large(f"over {_MOST_CELLS:,} cells")
        if len(kept) > _MOST_ROWS:
            raise _too_large(f"over {_MOST_ROWS:,} rows")
        kept.append(row)
    return kept


def _too_large(what: str) -> Refused:
    return Refused(f"it has {what}", where=_WHERE, remedy="Give it in parts, and leave out what is empty")


def _sheet(table: list[list[str]], told: list[str]) -> Sheet:
    if not table or KEY not in [name.strip().casefold() for name in table[0]]:
        raise Refused(
            f"it has no column '{KEY}'",
            where="the first line of the spreadsheet",
            remedy=f"Leave the column '{KEY}' in it: by that rows are known",
        )
    head = [name.strip() for name in table[0]]
    at = [name.casefold() for name in head].index(KEY)
    sheet = Sheet([name for number, name in enumerate(head) if number != at and name], told=told)
    twice = 0
    for row in table[1:]:
        key = row[at] if at < len(row) else ""
        if not key:
            continue
        if key in sheet.rows:
            twice += 1
            continue
        sheet.rows[key] = {
            name: row[number] for number, name in enumerate(head) if number != at and name and number < len(row)
        }
    if twice:
        sheet.told.append(f"{twice} rows are about a file that another row is about already: the first counts.")
    return sheet


def _marked(text: str) -> str:
    return f"'{text}" if text.startswith(_FORMULA) else text


def _unmarked(text: str) -> str:
    return text[1:] if text[:1] == "'" and text[1:].startswith(_FORMULA) else text


def _xml_text(cell: Any) -> str:
    if isinstance(cell, float) and cell.is_integer():
        cell = int(cell)
    return _ESCAPED.sub(lambda one: chr(int(one[1], 16)), str(cell))
