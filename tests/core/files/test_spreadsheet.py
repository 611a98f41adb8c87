"""The sheet out as CSV and XLSX and in again, whatever a spreadsheet did to it meanwhile."""

from __future__ import annotations

import io

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.spreadsheet import from_csv, read_sheet, to_csv, to_xlsx

COLUMNS = ("title", "artist", "comment")
texts = st.text(st.characters(exclude_categories=("Cs",)), max_size=30)
rows = st.dictionaries(
    st.text(st.characters(exclude_categories=("Cs",), exclude_characters="\0"), min_size=1, max_size=20),
    st.fixed_dictionaries(dict.fromkeys(COLUMNS, texts)), max_size=6,
)  # fmt: skip


@given(rows, st.sampled_from([",", ";", "\t"]))
def test_csv_loses_nothing(table: dict[str, dict[str, str]], delimiter: str) -> None:
    assert from_csv(to_csv(COLUMNS, table.items(), delimiter=delimiter)).rows == table


@settings(max_examples=40)
@given(rows)
def test_xlsx_loses_nothing(table: dict[str, dict[str, str]]) -> None:
    read = read_sheet(to_xlsx(COLUMNS, table.items()))
    assert read.rows == table


def test_a_cell_like_a_formula_is_text_for_a_spreadsheet() -> None:
    table = {"a.flac": {"title": "=1+1", "artist": "'quoted", "comment": "-x"}}
    data = to_csv(COLUMNS, table.items())
    assert b",'=1+1,''quoted,'-x\r\n" in data.replace(b"a.flac", b"")
    book = openpyxl.load_workbook(io.BytesIO(to_xlsx(COLUMNS, table.items())))
    assert book.worksheets[0]["B2"].data_type == "s"
    assert from_csv(data).rows == table


def test_moved_and_new_columns_deleted_rows_and_semicolons_are_taken_as_they_are() -> None:
    read = from_csv("Artist;file;My notes;title\r\nA;a.flac;x;T\r\n\r\nB;;x;y\r\nC;a.flac;;\r\n".encode("cp1252"))
    assert read.rows == {"a.flac": {"Artist": "A", "My notes": "x", "title": "T"}}
    assert read.told == [
        "Semicolons part its columns.", "1 rows are about a file that another row is about already: the first counts.",
    ]  # fmt: skip


def test_other_letters_are_read_and_said() -> None:
    assert from_csv("file,title\nä.flac,Über\n".encode("cp1252")).told[0].startswith("It is not in UTF-8")
    assert from_csv("file,title\nä.flac,Über\n".encode("utf-16")).rows == {"ä.flac": {"title": "Über"}}


@pytest.mark.parametrize("data", [b"", b"title\nx\n", b"PK\x03\x04 no zip", b"\xff\xfe\x00", b"\x81\x8d"])
def test_what_is_no_table_is_refused(data: bytes) -> None:
    with pytest.raises(Refused) as refused:
        read_sheet(data)
    assert refused.value.remedy
