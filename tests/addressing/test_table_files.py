"""Files that hold a table: text in several encodings, workbooks, lines of JSON; broken and hostile ones."""

import io
import zipfile
from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook

from lentra.tables.reading import NotATable, open_table
from lentra.tables.writing import write_table

HEADINGS = ["Network", "Purpose", "Hosts"]


def rows_of(data, name="quays.csv", **how):
    return [(row.number, row.cells) for row in open_table(name, data, **how).rows]


def written(form, rows, headings=HEADINGS):
    return b"".join(write_table(form, headings, rows, "Quays / [1]"))


def workbook(rows, change=lambda page: None):
    book = Workbook()
    page = book.active
    page.title = "Quays"
    for row in rows:
        page.append(row)
    change(page)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ("Network;Purpose\n10.0.0.0/24;Café", "CSV, utf-8, semicolon"),
        ("\ufeffNetwork\tPurpose\n10.0.0.0/24\tCafé", "CSV, utf-8-sig, tab"),
        ('"Network","Purpose"\n"10.0.0.0/24","Café"', "CSV, utf-8, comma"),
    ],
)
def test_delimiter_and_encoding_are_found_out(data, told):
    table = open_table("quays.csv", data.encode())
    assert table.told.startswith(told)
    assert [row.cells for row in table.rows] == [{"Network": "10.0.0.0/24", "Purpose": "Café"}]


def test_another_encoding_is_told_and_taken_by_name():
    data = "Network;Purpose\n10.0.0.0/24;Café".encode("cp1252")
    with pytest.raises(NotATable, match="line 2 has the byte 0xe9") as refused:
        open_table("quays.csv", data)
    assert "cp1252" in refused.value.suggestions
    assert rows_of(data, encoding="cp1252")[0][1]["Purpose"] == "Café"
    assert rows_of("Network;Purpose\n10.0.0.0/24;Café".encode("utf-16"))[0][1]["Purpose"] == "Café"
    with pytest.raises(NotATable, match="no encoding 'klingon'"):
        open_table("quays.csv", data, encoding="klingon")


def test_rows_have_the_numbers_that_they_have_in_the_file():
    assert [
        n for n, _ in rows_of(b'\n\nNetwork,Purpose\n\n10.0.0.0/24,a\n,\n10.0.1.0/24,"b\nc"\n10.0.2.0/24,d\n')
    ] == [5, 7, 9]
    assert [n for n, _ in rows_of(workbook([["Network"], [], ["10.0.0.0/24"]]), "q.xlsx")] == [3]
    assert [n for n, _ in rows_of(b'{"a": 1}\n\n{"a": 2}\n', "q.jsonl")] == [1, 3]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"  \n", "is empty"),
        (b"Network,Site,Network\n", "stands twice, in columns A and C"),
        (b"Network\n10.0.0.0/24,surplus\n", "row 2 has a value in column B, which has no heading"),
        (",".join(f"c{n}" for n in range(300)).encode(), "300 columns, 200 at most"),
        (b"\xd0\xcf\x11\xe0" + b"\0" * 600, "protected by a password"),
        (b"PK\x03\x04 and nothing else", "is broken"),
        (b'{"a": 1}\n{"a": ', "line 2 is not JSON"),
        (b"{}\n[1]", "line 2 is no object"),
        (b"Network\n" + b"x" * 20_000, "characters, 10,000 at most"),
    ],
)
def test_what_is_no_table_is_told_with_its_place(data, words):
    with pytest.raises(NotATable, match=words):
        rows_of(data, "quays.csv")


def test_a_workbook_that_unpacks_to_very_much_is_not_unpacked():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b"0" * 30_000_000)
    with pytest.raises(NotATable, match="times its size: it is not read"):
        open_table("quays.xlsx", out.getvalue())


def test_a_workbook_is_read_by_sheet_with_numbers_dates_and_formulas_values():
    rows = [["Network", "Hosts", "Since"], ["10.0.0.0/24", 60, date(2026, 3, 1)], [10.4, None, None]]
    data = workbook(rows)
    found = rows_of(data, "quays.xlsx", sheet="Quays")
    assert found[0] == (2, {"Network": "10.0.0.0/24", "Hosts": 60, "Since": datetime(2026, 3, 1)})
    assert found[1][1]["Network"] == 10.4
    with pytest.raises(NotATable, match="no sheet 'Piers'") as refused:
        open_table("quays.xlsx", data, sheet="Piers")
    assert refused.value.suggestions == ["Quays"]
    merged = workbook(rows, lambda page: page.merge_cells("A2:A3"))
    with pytest.raises(NotATable, match="cells A2:A3 of sheet Quays are merged"):
        open_table("quays.xlsx", merged)


CELLS = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=30).map(
    lambda text: " ".join(text.split())
)


@given(
    st.lists(st.tuples(CELLS, CELLS, st.integers(0, 1 << 40)), min_size=1, max_size=8),
    st.sampled_from(["csv", "xlsx", "jsonl"]),
)
def test_what_is_written_is_read_again_unharmed(rows, form):
    rows = [(f"n{n}", f"{sign}{text}", number) for n, (sign, text, number) in enumerate(rows)]
    rows += [("n-last", "=1+1", 7), ("n-quoted", "'=1", 8), ("n-twice", "''-x", 9)]
    read = rows_of(written(form, rows), f"quays.{form}")
    assert [(cells["Network"], cells.get("Purpose") or "", int(cells["Hosts"])) for _, cells in read] == rows


def test_no_spreadsheet_takes_a_text_for_a_formula_and_numbers_are_numbers():
    rows = [("=cmd()", "-1", 5), ("@x", None, datetime(2026, 3, 1, 8, tzinfo=UTC))]
    assert written("csv", rows).decode().splitlines()[1:] == ["'=cmd(),-1,5", "'@x,,2026-03-01T08:00:00Z"]
    page = load_workbook(io.BytesIO(written("xlsx", rows))).active
    assert [cell.value for cell in page[2]] == ["'=cmd()", "-1", 5]
    assert page["C3"].value == datetime(2026, 3, 1, 8)
    assert (page.freeze_panes, page.auto_filter.ref, page["A1"].font.bold) == ("A2", "A1:C3", True)
