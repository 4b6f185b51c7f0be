"""Lists of names: CSV, XLSX, ODS, as rows of words under a header."""

from __future__ import annotations

import codecs
import csv
import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate

LARGEST = 64 * 2**20
MOST_ROWS, MOST_COLUMNS = 100_000, 200
LONGEST = 2000  # letters of one cell
USUAL, AS_GOOD = ("cp1252", "latin_1"), 0.02
LIST_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".ods")


@dataclass(frozen=True)
class Names:
    """A list: its ``columns``, and its rows, each a word to a column; ``told``: how it was read."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    told: str

    def row(self, number: int) -> dict[str, str]:
        """A row by its columns, the first being 0."""
        return dict(zip(self.columns, self.rows[number], strict=True))


def read_list(path: Path) -> Names:
    """The list of a file, its first row being the header. Raises KilnError."""
    ending = path.suffix.lower()
    if ending not in LIST_ENDINGS:
        raise KilnError(f"{path.name} is no list that can be read here; {', '.join(LIST_ENDINGS)} can.")
    data = gate.bytes_of(path, LARGEST, "list")
    found: tuple[list[list[str]], str] = gate.read(
        f"{__name__}:cells_in", path.name, data, ending, path.name
    )
    cells, told = found
    return _named(cells, told, path.name)


def cells_in(data: bytes, ending: str, name: str) -> tuple[list[list[str]], str]:
    """The cells of a file, read here and now, and how."""
    try:
        if ending == ".xlsx":
            return _sheet(data)
        if ending == ".ods":
            return _open_sheet(data)
    except KilnError:
        raise
    except Exception:  # the readers let through whatever their parsers raise
        raise KilnError(
            f"{name} cannot be read as {ending[1:].upper()}; it is damaged or locked."
        ) from None
    return _text(data, name)


def _text(data: bytes, name: str) -> tuple[list[list[str]], str]:
    """CSV: its encoding and its separator as they are found."""
    from charset_normalizer import from_bytes

    if data.startswith(codecs.BOM_UTF8):
        text, encoding = data.decode("utf-8-sig", "replace"), "UTF-8"
    else:
        try:
            text, encoding = data.decode("utf-8"), "UTF-8"
        except UnicodeDecodeError:
            found = from_bytes(data)
            # of what is as plausible, that which most programs here write
            usual = [one for one in found if one.encoding in USUAL]
            best = found.best()
            if best is not None and usual and usual[0].chaos <= best.chaos + AS_GOOD:
                best = usual[0]
            if best is None:
                raise KilnError(f"{name} is no text: of which encoding cannot be found out.") from None
            text, encoding = str(best), best.encoding
    first = text.split("\n", 1)[0]
    separator = max("\t;,|", key=first.count)
    if not first.count(separator):
        separator = ","
    rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    shown = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars"}[separator]
    return rows, f"{encoding}, {shown} between columns"


def _sheet(data: bytes) -> tuple[list[list[str]], str]:
    from openpyxl import load_workbook

    book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    sheet = book.worksheets[0]
    rows = [
        [_said(cell) for cell in row] for row in sheet.iter_rows(values_only=True, max_row=MOST_ROWS + 2)
    ]
    return rows, f"the sheet “{sheet.title}”"


def _open_sheet(data: bytes) -> tuple[list[list[str]], str]:
    from odf.opendocument import load
    from odf.table import Table, TableCell, TableRow
    from odf.teletype import extractText

    document: Any = load(io.BytesIO(data))
    table = document.spreadsheet.getElementsByType(Table)[0]
    rows = []
    for line in table.getElementsByType(TableRow)[: MOST_ROWS + 2]:
        row: list[str] = []
        for cell in line.getElementsByType(TableCell):
            times = min(int(cell.getAttribute("numbercolumnsrepeated") or 1), MOST_COLUMNS)
            row += [extractText(cell)] * times
        rows.append(row)
    return rows, f"the sheet “{table.getAttribute('name')}”"


def _said(value: Any) -> str:
    """A cell as it is read aloud: whole numbers without a point, days as they are written."""
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if hasattr(value, "isoformat"):
        return str(value.isoformat()).removesuffix("T00:00:00")
    return str(value)


def _named(cells: list[list[str]], told: str, name: str) -> Names:
    rows = [[cell.strip() for cell in row] for row in cells]
    rows = [row for row in rows if any(row)]
    if len(rows) < 2:
        raise KilnError(f"{name} has no rows below its header.")
    header = rows[0]
    while header and not header[-1]:
        header.pop()
    if len(rows) - 1 > MOST_ROWS or len(header) > MOST_COLUMNS:
        raise KilnError(f"{name} has too many rows or columns; {MOST_ROWS:,} and {MOST_COLUMNS} are taken.")
    doubled = [one for one in header if header.count(one) > 1]
    if doubled or not all(header):
        what = f"two columns “{doubled[0][:40]}”" if doubled else "a column without a name"
        raise KilnError(f"{name} has {what}; its first row names each column once.")
    wide = len(header)
    made = [tuple((row + [""] * wide)[:wide]) for row in rows[1:]]
    longest = max((len(cell), number) for number, row in enumerate(made, start=2) for cell in row)
    if longest[0] > LONGEST:
        raise KilnError(
            f"Row {longest[1]} of {name} has a cell of {longest[0]:,} letters; {LONGEST:,} are taken."
        )
    return Names(tuple(header), tuple(made), told)
