"""The sheet as a spreadsheet, out and in again: CSV (RFC 4180) and XLSX (ECMA-376), keyed by the file's path.

A cell that begins like a formula gets an apostrophe in CSV, as spreadsheets themselves mark text; reading takes off
exactly what writing put there. In XLSX cells are text by type, and characters XML cannot hold are written as _x0007_
(ECMA-376 part 1, 22.9.2.19).
"""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import openpyxl
from openpyxl.cell import WriteOnlyCell
from openpyxl.styles import Font
from openpyxl.utils.exceptions import InvalidFileException

from inkwell_groove.core.errors import Refused

KEY = "file"
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "'")
_MOST_ROWS, _MOST_CHARACTERS = 200_000, 32_767
_NOT_XML = re.compile(r"[\x00-\x08\x0b\x0c\x0d\x0e-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")
_ESCAPED = re.compile(r"_x([0-9A-Fa-f]{4})_")
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
    told = []
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        for name in ("utf-16", "cp1252"):
            if name == "utf-16" and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
                continue
            try:
                text = data.decode(name)
                told.append(f"It is not in UTF-8: it was read as {name}. Look at the letters with accents.")
                break
            except UnicodeDecodeError:
                continue
        else:
            raise Refused("its letters cannot be made out", where="the spreadsheet", remedy=_REMEDY) from None
    first = next(csv.reader(io.StringIO(text, newline=""), delimiter="\x00"), [""])
    head = first[0] if first else ""
    delimiter = max((",", ";", "\t"), key=head.count)
    if delimiter != ",":
        told.append("Semicolons part its columns." if delimiter == ";" else "Tabs part its columns.")
    try:
        csv.field_size_limit(1 << 24)
        table = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=False))
    except csv.Error as cause:
        raise Refused(f"this is no table ({cause})", where="the spreadsheet", remedy=_REMEDY) from cause
    return _sheet([[_unmarked(cell) for cell in row] for row in table], told)


def from_xlsx(data: bytes) -> Sheet:
    """The first sheet. Raises Refused as `from_csv` does; a formula's stored result counts, and is said."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as parts:
            if sum(part.file_size for part in parts.infolist()) > 1 << 30:
                raise Refused("this workbook unpacks to over a gigabyte", where="the spreadsheet", remedy=_REMEDY)
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheet = book.worksheets[0]
        table = [["" if cell is None else _xml_text(cell) for cell in row] for row in sheet.iter_rows(values_only=True)]
    except Refused:
        raise
    except (InvalidFileException, zipfile.BadZipFile, KeyError, ValueError, IndexError, OSError, SyntaxError) as cause:
        raise Refused(f"this is no workbook ({cause})", where="the spreadsheet", remedy=_REMEDY) from cause
    return _sheet(table, [])


def read_sheet(data: bytes) -> Sheet:
    """CSV or XLSX, by its first bytes."""
    return from_xlsx(data) if data[:4] == b"PK\x03\x04" else from_csv(data)


def _sheet(table: list[list[str]], told: list[str]) -> Sheet:
    if not table or KEY not in [name.strip().casefold() for name in table[0]]:
        raise Refused(
            f"it has no column '{KEY}'", where="the first line of the spreadsheet",
            remedy=f"Leave the column '{KEY}' in it: by that rows are known",
        )  # fmt: skip
    if len(table) > _MOST_ROWS:
        raise Refused(f"it has {len(table)} rows", where="the spreadsheet", remedy=f"Give at most {_MOST_ROWS}")
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
