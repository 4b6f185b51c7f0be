"""Lists of names: CSV, XLSX, ODS, as rows of words under a header."""

from __future__ import annotations

import codecs
import csv
import io
import re
import zipfile
from dataclasses import dataclass
from datetime import datetime, time
from decimal import ROUND_HALF_UP, Context, Decimal
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import iterparse

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate

LARGEST = 64 * 2**20
MOST_ROWS, MOST_COLUMNS = 100_000, 200
LONGEST = 2000  # letters of one cell
MOST_DIGITS = 400  # of a number: a float has 309 before its point
USUAL, AS_GOOD = ("cp1252", "latin_1"), 0.02
LIST_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".ods")
# a number's format in a sheet (ECMA-376 part 1, 18.8.31): words, digits, decimals, per cent, words
WORDS = r'((?:"[^"]*"|\\.|[^#0?.,;"\\@%])*)'
NUMBER = re.compile(WORDS + r"([#,0]*0)(?:\.(0+))?(%?)" + WORDS)
MONEY, SPACED = re.compile(r"\[\$([^\]-]*)[^\]]*\]"), re.compile(r"_.|\*.|\[[^\]]*\]")


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
    first, _, rest = text.partition("\n")
    if first[:4].lower() == "sep=" and len(first.rstrip("\r")) == 5:  # a row that only says by what
        separator, text = first[4], rest
    else:
        separator = max("\t;,|", key=first.count)
        if not first.count(separator):
            separator = ","
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except csv.Error as error:
        raise KilnError(f"{name} cannot be read as a list: {error}.") from None
    shown = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars"}.get(separator, f"“{separator}”")
    return rows, f"{encoding}, {shown} between columns"


def _sheet(data: bytes) -> tuple[list[list[str]], str]:
    from openpyxl import load_workbook

    book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    sheet = book.worksheets[0]
    rows = [
        [_said(cell.value, getattr(cell, "number_format", "General")) for cell in row]
        for row in sheet.iter_rows(max_row=MOST_ROWS + 2)
    ]
    if not all(all(row) for row in rows):
        _refuse_unworked(data, sheet._worksheet_path)
    return rows, f"the sheet “{sheet.title}”"


def _refuse_unworked(data: bytes, sheet: str) -> None:
    """Raises KilnError where a cell has a formula and no value (ECMA-376 part 1, 18.3.1.4): whatever wrote
    the file did not work it out, and the cell would be read as empty."""
    with zipfile.ZipFile(io.BytesIO(data)) as parts, parts.open(sheet) as part:
        for _, cell in iterparse(part):
            if not cell.tag.endswith("}c"):
                continue
            within = {one.tag.rpartition("}")[2]: one.text for one in cell}
            worked = bool(within.get("v")) or (cell.get("t") == "str" and "v" in within)  # to no letters
            if "f" in within and not worked:
                raise KilnError(
                    f"Cell {cell.get('r', '')} is a formula that nothing has worked out yet: open the list "
                    "as a sheet and save it from there."
                )
            cell.clear()


def _open_sheet(data: bytes) -> tuple[list[list[str]], str]:
    from odf.namespaces import TABLENS, TEXTNS
    from odf.opendocument import load
    from odf.table import Table, TableRow
    from odf.teletype import extractText

    cells = ((TABLENS, "table-cell"), (TABLENS, "covered-table-cell"))
    document: Any = load(io.BytesIO(data))
    table = document.spreadsheet.getElementsByType(Table)[0]
    rows: list[list[str]] = []
    for line in table.getElementsByType(TableRow):
        row: list[str] = []
        for cell in line.childNodes:
            if cell.qname not in cells:
                continue
            times = min(int(cell.getAttribute("numbercolumnsrepeated") or 1), MOST_COLUMNS)
            # its own words, not those of a note that hangs on it
            words = [extractText(one) for one in cell.childNodes if one.qname == (TEXTNS, "p")]
            row += ["\n".join(words)] * times
        # rows that are the same are written once
        rows += [row] * (int(line.getAttribute("numberrowsrepeated") or 1) if any(row) else 1)
        if len(rows) > MOST_ROWS + 1:
            break
    return rows[: MOST_ROWS + 2], f"the sheet “{table.getAttribute('name')}”"


def _said(value: Any, form: str = "General") -> str:
    """A cell as its sheet shows it; days as 2026-11-28."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(value).upper()
    if isinstance(value, int | float):
        return _number(value, form)
    if isinstance(value, datetime):
        return value.isoformat(" ").removesuffix(":00").removesuffix(" 00:00")
    if isinstance(value, time):
        return value.isoformat().removesuffix(":00")
    return str(value)


def _number(value: float, form: str) -> str:
    """A number as its format writes it; by its digits where that is another kind of format."""
    plain = SPACED.sub("", MONEY.sub(r'"\1"', form.split(";")[0]))
    found = NUMBER.fullmatch(plain)
    if found is None:
        return f"{value:.15g}" if isinstance(value, float) else str(value)
    before, digits, decimals, share, after = found.groups()
    exact = Decimal(repr(value)) * (100 if share else 1)
    places = len(decimals or "")
    rounded = exact.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP, Context(prec=MOST_DIGITS))
    whole, _, part = f"{rounded.copy_abs():f}".partition(".")
    whole = whole.zfill(digits.count("0"))
    if "," in digits:
        whole = f"{int(whole):,}"
    words = [re.sub(r'"([^"]*)"|\\(.)', r"\1\2", one) for one in (before, after)]
    return f"{'-' if rounded < 0 else ''}{words[0]}{whole}{'.' if part else ''}{part}{share}{words[1]}"


def _named(cells: list[list[str]], told: str, name: str) -> Names:
    rows = [(number, [cell.strip() for cell in row]) for number, row in enumerate(cells, start=1)]
    rows = [(number, row) for number, row in rows if any(row)]
    if len(rows) < 2:
        raise KilnError(f"{name} has no rows below its header.")
    header = rows[0][1]
    while header and not header[-1]:
        header.pop()
    if len(rows) - 1 > MOST_ROWS or len(header) > MOST_COLUMNS:
        raise KilnError(f"{name} has too many rows or columns; {MOST_ROWS:,} and {MOST_COLUMNS} are taken.")
    doubled = [one for one in header if header.count(one) > 1]
    if doubled or not all(header):
        what = f"two columns “{doubled[0][:40]}”" if doubled else "a column without a name"
        raise KilnError(f"{name} has {what}; its first row names each column once.")
    wide = len(header)
    for number, row in rows[1:]:
        if any(row[wide:]):
            more = next(cell for cell in row[wide:] if cell)
            raise KilnError(
                f"Row {number} of {name} has more cells than its header names: “{more[:40]}”. Put words "
                "with a separator in them in quotes, or name the column."
            )
        if len(longest := max(row, key=len)) > LONGEST:
            raise KilnError(
                f"Row {number} of {name} has a cell of {len(longest):,} letters; {LONGEST:,} are taken."
            )
    made = [tuple((row + [""] * wide)[:wide]) for _, row in rows[1:]]
    return Names(tuple(header), tuple(made), told)
