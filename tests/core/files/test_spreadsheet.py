"""The sheet out as CSV and XLSX and in again, whatever a spreadsheet did to it meanwhile."""

from __future__ import annotations

import io
import tracemalloc
import zipfile

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.spreadsheet import MOST_BYTES, from_csv, read_sheet, to_csv, to_xlsx

COLUMNS = ("title", "artist", "comment")
texts = st.text(st.characters(exclude_categories=("Cs",)), max_size=30)
rows = st.dictionaries(
    st.text(st.characters(exclude_categories=("Cs",), exclude_characters="\0"), min_size=1, max_size=20),
    st.fixed_dictionaries(dict.fromkeys(COLUMNS, texts)),
    max_size=6,
)


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
        "Semicolons part its columns.",
        "1 rows are about a file that another row is about already: the first counts.",
    ]


def test_other_letters_are_read_and_said() -> None:
    assert from_csv("file,title\nä.flac,Über\n".encode("cp1252")).told[0].startswith("It is not in UTF-8")
    assert from_csv("file,title\nä.flac,Über\n".encode("utf-16")).rows == {"ä.flac": {"title": "Über"}}


@pytest.mark.parametrize("data", [b"", b"title\nx\n", b"PK\x03\x04 no zip", b"\xff\xfe\x00", b"\x81\x8d"])
def test_what_is_no_table_is_refused(data: bytes) -> None:
    with pytest.raises(Refused) as refused:
        read_sheet(data)
    assert refused.value.remedy


def workbook_of_one_cell(dimension: str, row: str) -> bytes:
    """A workbook that claims a size and has one cell."""
    made = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(to_xlsx(COLUMNS, []))) as source, zipfile.ZipFile(made, "w") as out:
        for name in source.namelist():
            part = source.read(name)
            if name.endswith("sheet1.xml"):
                space = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
                part = (
                    f'<worksheet xmlns="{space}"><dimension ref="{dimension}"/><sheetData><row r="{row}">'
                    f'<c r="A{row}" t="inlineStr"><is><t>file</t></is></c></row></sheetData></worksheet>'
                ).encode()
            out.writestr(name, part)
    return made.getvalue()


@pytest.mark.parametrize(
    ("data", "what"),
    [
        (b"file,title\n" + b"\n" * 1_100_000, "over 1,048,576 lines"),
        (b"file," + b"," * 5_000_001, "over 5,000,000 cells"),
        (b"file\n" + b"a\n" * 200_001, "over 200,000 rows"),
        (b"file,a,b,c,d,e,f,g,h,i,j,k,l,m,n,o,p,q,r,s,t,u,v,w,x,y\n" + (b"," * 25 + b"x\n") * 195_000, "cells"),
        (b"\n" * (MOST_BYTES + 1), "64 MB"),
        (workbook_of_one_cell("A1", "99999999999"), "over 1,048,576 lines"),
    ],
    ids=["lines", "cells in one line", "rows", "cells", "bytes", "a row far down"],
)
def test_a_table_of_more_than_can_be_worked_on_is_refused_while_it_is_read(data: bytes, what: str) -> None:
    with pytest.raises(Refused, match=what) as refused:
        read_sheet(data)
    assert refused.value.remedy


@pytest.mark.slow
def test_thirty_megabytes_of_empty_lines_need_no_memory_to_be_refused() -> None:
    """They took 5.9 GB and a minute and a half in a server."""
    data = b"\n" * 30_000_000
    tracemalloc.start()
    try:
        with pytest.raises(Refused, match="lines"):
            read_sheet(data)
        assert tracemalloc.get_traced_memory()[1] < 150_000_000  # with the text of it, decoded once
    finally:
        tracemalloc.stop()


def test_a_workbook_that_claims_more_cells_than_it_has_is_read_as_it_is() -> None:
    assert read_sheet(workbook_of_one_cell("A1:XFD1048576", "1")).columns == []
