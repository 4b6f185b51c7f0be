"""One design and a list: read, put in place, fitted, checked, handed over by processes, one ended."""

import csv
import json
import math
import multiprocessing
import os
import shutil
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from odf.office import Annotation
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import CoveredTableCell, Table, TableCell, TableRow
from odf.text import P
from openpyxl import Workbook

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import packed, save_packed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import added_content, fresh_job
from kilnchisel.core.job.listing import Listing
from kilnchisel.core.job.recipes import recipe_named
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.content import content_of_file
from kilnchisel.core.lists import engines
from kilnchisel.core.lists.engines import ENDED, Processes, Scheduler
from kilnchisel.core.lists.filling import columns_in, filled, refuse_unlisted, words_of
from kilnchisel.core.lists.making import LOG, checked, logged, made
from kilnchisel.core.lists.orders import orders_of
from kilnchisel.core.lists.outcomes import looked_at, names_of, worst_first
from kilnchisel.core.lists.rows import Names, read_list
from tests.commands import called

CREW = Path(__file__).parents[2] / "demo" / "lists" / "crew.csv"


def plate(text="{name}", cap=9.0, **listing):
    job = fresh_job("plaque", text)
    job = change(job, ("letterings", 0, "content", "cap_height_mm"), cap)
    return job.model_copy(update={"listing": Listing(**listing)})


def with_listing(job, listing):
    return job.model_copy(update={"listing": listing})


def told_of(outcome):
    return replace(outcome, seconds=0.0)


class Deadly(dict):
    """A row that ends the process which takes it up."""

    def __reduce__(self):
        return os._exit, (1,)


class InAFolder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def written(self, name, data):
        path = self.folder / name
        path.write_bytes(data)
        return path


class Read(InAFolder):
    def test_text_of_any_encoding_and_separator(self):
        rows = (("Jürgen Weiß", "7"), ("Zoë", "12"), ("Ångström", "3"))
        for encoding, separator in (("utf-8", ","), ("utf-8-sig", ";"), ("utf-16", "\t"), ("cp1252", ";")):
            text = "\r\n".join(separator.join(row) for row in (("name", "size"), *rows, ("", "")))
            with self.subTest(encoding=encoding):
                names = read_list(self.written("a.csv", text.encode(encoding)))
                self.assertEqual((names.columns, names.rows), (("name", "size"), rows))
        quoted = read_list(self.written("q.csv", b'name,motto\n"Vern, Oda","say ""so"""\n'))
        self.assertEqual(quoted.row(0), {"name": "Vern, Oda", "motto": 'say "so"'})

    def test_sheets(self):
        book = Workbook()
        for row in (("name", "ring", "day"), ("Oda", 54.0, "2026-11-28"), ("Ras", 61, None)):
            book.active.append(row)
        path = self.folder / "a.xlsx"
        book.save(path)
        self.assertEqual(read_list(path).rows, (("Oda", "54", "2026-11-28"), ("Ras", "61", "")))
        document = OpenDocumentSpreadsheet()
        table = Table(name="Crew")
        for row in (("name", "ring"), ("Oda", "54"), ("Ras", "54")):
            line = TableRow()
            for cell in row:
                one = TableCell()
                one.addElement(P(text=cell))
                line.addElement(one)
            table.addElement(line)
        document.spreadsheet.addElement(table)
        document.save(str(self.folder / "a.ods"))
        names = read_list(self.folder / "a.ods")
        self.assertEqual((names.rows, names.told), ((("Oda", "54"), ("Ras", "54")), "the sheet “Crew”"))

    def test_numbers_stand_as_their_sheet_shows_them(self):
        shown = (
            (42, "0000", "0042"),
            (2026, "#,##0", "2,026"),
            (12.5, "0.00", "12.50"),
            (2.675, "0.00", "2.68"),
            (0.125, "0.0%", "12.5%"),
            (7, '"No. "000', "No. 007"),
            (-1.5, '0.0" mm"', "-1.5 mm"),
            (3, '[$€-407] #,##0.00;[Red]-[$€-407] #,##0.00', "€ 3.00"),
            (0.1 + 0.2, "General", "0.3"),
            (1.5, "# ?/?", "1.5"),
            (True, "General", "TRUE"),
            (1e30, "0.00", "1" + 30 * "0" + ".00"),
        )  # fmt: skip
        book = Workbook()
        book.active.append(["value", "as"])
        for row, (value, form, words) in enumerate(shown, start=2):
            book.active.append([value, words])
            book.active.cell(row, 1).number_format = form
        path = self.folder / "a.xlsx"
        book.save(path)
        for value, words in read_list(path).rows:
            self.assertEqual(value, words)

    def test_a_formula_that_nothing_has_worked_out_is_no_empty_cell(self):
        book = Workbook()
        for row in (("name", "ring"), ("Oda", 54), ("Ras", "=B2+1")):
            book.active.append(row)
        path = self.folder / "a.xlsx"
        book.save(path)
        with self.assertRaisesRegex(KilnError, "Cell B3 is a formula"):
            read_list(path)

    def test_what_a_sheet_writes_once_or_hides(self):
        """Rows that are the same are one row written as so many; a cell that another one covers is there;
        a note that hangs on a cell is none of its words (OpenDocument 1.2, 9.1.3 to 9.1.5, 14.1)."""
        document = OpenDocumentSpreadsheet()
        table = Table(name="Crew")
        for words, times in (
            (("name", "size", "place"), 1),
            (("Oda", "7", "2"), 3),
            (("", "", ""), 5000),
            (("Ras", None, "9"), 1),
        ):
            line = TableRow(numberrowsrepeated=times)
            for word in words:
                one = CoveredTableCell() if word is None else TableCell()
                note = Annotation()
                note.addElement(P(text="ask again"))
                one.addElement(note)
                for part in (word or "").split("\n"):
                    one.addElement(P(text=part))
                line.addElement(one)
            table.addElement(line)
        document.spreadsheet.addElement(table)
        document.save(str(self.folder / "a.ods"))
        oda, ras = ("Oda", "7", "2"), ("Ras", "", "9")
        self.assertEqual(read_list(self.folder / "a.ods").rows, (oda, oda, oda, ras))

    def test_a_row_that_only_says_what_separates(self):
        names = read_list(self.written("a.csv", b"sep=;\r\nname;size\r\nVern, Oda;7\r\n"))
        self.assertEqual((names.columns, names.rows), (("name", "size"), (("Vern, Oda", "7"),)))

    def test_what_is_no_list_is_a_sentence(self):
        for name, data in (
            ("a.pdf", b"x"),
            ("a.csv", b"name\n"),
            ("a.csv", b"name,name\na,b\n"),
            ("a.csv", b"name,,size\na,b,c\n"),
            ("a.csv", b"name\n" + b"x" * 5000 + b"\n"),
            ("a.csv", b"name,size\nVern, Oda,7\n"),
            ("a.csv", b"name\n" + b"x" * 200_000 + b"\n"),
            ("a.xlsx", b"PK\x03\x04 cut short"),
            ("a.ods", b"nothing"),
        ):
            with self.subTest(name=name, data=data[:12]), self.assertRaises(KilnError):
                read_list(self.written(name, data))


class InPlace(unittest.TestCase):
    def test_words_and_how_they_are_written(self):
        row = {"name": "Oda Vern", "number": "7", "day": "2026-11-28", "row": "3"}
        row["owner"] = "JANE'S bakery, o'brien & d’arcy, 3rd anne-marie"
        for text, wanted in (
            ("{name}", "Oda Vern"),
            ("{ Name :capitals} / {name:small}", "ODA VERN / oda vern"),
            ("No. {number:000} of {row}", "No. 007 of 3"),
            ("{day:%d.%m.%y}", "28.11.26"),
            ("{owner:each word}", "Jane's Bakery, O'Brien & D’Arcy, 3rd Anne-Marie"),
            ("no place", "no place"),
        ):
            self.assertEqual(words_of(text, row), wanted)
        for text in ("{surname}", "{name:upside down}", "{name:%Y}"):
            with self.subTest(text=text), self.assertRaises(KilnError):
                words_of(text, row)

    def test_columns_stand_in_words_and_fields(self):
        job = plate("{name}")
        self.assertEqual(columns_in(job), ("name",))
        row = {
            "name": "Oda",
            "finish.kind": "",
            "blank.width_mm": "150",
            "letterings.1.lay.across_mm": "4 mm",
        }
        made_ = filled(job, row, 1).job
        self.assertEqual(made_.letterings[0].content.text, "Oda")
        self.assertEqual((made_.blank.width_mm, made_.letterings[0].lay.across_mm), (150.0, 4.0))
        with self.assertRaises(KilnError):
            filled(job, {"name": "x", "blank.width_mm": "wide"}, 1)

    def test_a_recipe_and_a_ring_size_in_columns(self):
        job = fresh_job("band", "{name}")
        names = Names(
            ("name", "blank.ring_size", "letterings.1.recipe"),
            (
                ("Oda", "US 7", "Gold foil stamp"),
                ("Ras", "N½", ""),
                ("Mun", "7", ""),
                ("Pip", "", "No such"),
            ),
            "",
        )
        found = [looked_at(job, order) for order in orders_of(job, names, Path())]
        (_, first), (_, second), (third, _), (fourth, _) = found
        self.assertAlmostEqual(first.blank.inner_mm, 17.32, places=2)
        recipe = recipe_named("Gold foil stamp")
        self.assertEqual(first.letterings[0].finish, recipe.finish)
        self.assertEqual(type(first.letterings[0].craft), type(recipe.craft))
        self.assertAlmostEqual(second.blank.inner_mm, (37.5 + 13.5 * 1.25) / math.pi, places=3)
        self.assertEqual(second.letterings[0].craft, job.letterings[0].craft)
        self.assertIn("no ring size; write EU 54", third.refused)
        self.assertIn("no recipe “No such”", fourth.refused)
        with self.assertRaisesRegex(KilnError, "“finsh.colour” is called like a field"):
            refuse_unlisted(job, Names(("name", "finsh.colour"), (("a", "b"),), ""), "job")

    def test_what_is_too_wide_is_made_smaller_or_stands_in_two_rows(self):
        job, long = plate(cap=20.0), {"name": "Featherstonehaugh Wolverstone"}
        for fit, rows in (("size", 1), ("rows", 2)):
            done = filled(job, long, 1, fit, 330.0)
            content = done.job.letterings[0].content
            with self.subTest(fit=fit):
                self.assertEqual(content.text.count("\n") + 1, rows)
                box = lettering_laid(done.job, 0).ink.bounds
                self.assertLessEqual(box[2] - box[0], 330.0 * 1.001)
                self.assertTrue(done.told)
        self.assertEqual(filled(job, {"name": "Pip"}, 1, "rows", 330.0).told, ())
        far = filled(job, {"name": "x" * 90}, 1, "size", 60.0)
        self.assertIn("still wider", far.told[0])


class EveryRow(InAFolder):
    def test_the_sample_is_checked_and_what_warns_comes_first(self):
        names = read_list(CREW)
        self.assertEqual(len(names.rows), 40)
        job = plate(fit="rows", most_mm=190.0)
        found = worst_first(list(checked(job, names, CREW.parent)))
        self.assertEqual(len(found), 40)
        good = [one.good for one in found]
        self.assertEqual(good, sorted(good))
        told = {one.name[3:]: " ".join((*one.warnings, *one.fitted)) for one in found}
        self.assertIn("two rows", told["Maximiliana Featherstonehaugh-Wolverstone of Upper Tarnlight"])
        self.assertIn("Ѧ", told["Ѧ Yus Glagolitsky"])  # the face lacks it
        with self.assertRaisesRegex(KilnError, "--most"):
            list(checked(plate(fit="size"), names, CREW.parent))
        # by two processes it is the same, in whichever order
        again = worst_first(list(checked(job, names, CREW.parent, Processes(2))))
        self.assertEqual([told_of(one) for one in again], [told_of(one) for one in found])

    def test_each_row_has_a_name_of_its_own(self):
        names = read_list(self.written("a.csv", b"name\nOda\nOda\nA/B: <c>\n"))
        self.assertEqual(names_of(names, Listing()), ["1 Oda", "2 Oda", "3 A B c"])
        with self.assertRaisesRegex(KilnError, "Rows 1 and 2 would both be called “Oda”"):
            names_of(names, Listing(name="{name}"))

    def numbered(self, count):
        text = "name\n" + "\n".join(f"Crew {k}" for k in range(count)) + "\n"
        return read_list(self.written("a.csv", text.encode()))

    def all_made_once(self, found, out, count):
        self.assertEqual(sorted(one.row for one in found), list(range(1, count + 1)))
        self.assertEqual({one.refused for one in found}, {""})
        for k in range(count):
            self.assertTrue((out / f"{k + 1} Crew {k}" / "outline.svg").is_file())
        with (out / LOG).open() as log:
            rows = list(csv.DictReader(log))
        self.assertEqual(sorted(int(row["row"]) for row in rows), list(range(1, count + 1)))
        return rows

    def test_every_row_is_made_once_though_a_process_is_ended(self):
        names, out, found = self.numbered(8), self.folder / "out", []
        job = plate(kinds=("outline",))
        for outcome in made(job, names, self.folder, out, Processes(2)):
            found.append(outcome)
            if len(found) == 2:
                multiprocessing.active_children()[0].kill()
        rows = self.all_made_once(found, out, 8)
        # what is in the log is not made again, but where its folder has gone
        self.assertEqual(list(made(job, names, self.folder, out)), [])
        kept = [row for row in rows if row["row"] != "5"]
        with (out / LOG).open("w") as log:
            writer = csv.DictWriter(log, kept[0].keys())
            writer.writeheader()
            writer.writerows(kept)
        self.assertEqual([one.row for one in made(job, names, self.folder, out)], [5])
        self.assertEqual(len(logged(out)), 8)
        shutil.rmtree(out / "3 Crew 2")
        self.assertEqual([one.row for one in made(job, names, self.folder, out)], [3])

    def test_what_has_changed_since_is_made_again(self):
        names, out = self.numbered(3), self.folder / "out"
        job = plate(kinds=("outline",), name="{row}")
        self.assertEqual(len(list(made(job, names, self.folder, out))), 3)
        before = (out / "2" / "outline.svg").read_bytes()
        corrected = replace(names, rows=(names.rows[0], ("Ras",), names.rows[2]))
        self.assertEqual([one.row for one in made(job, corrected, self.folder, out)], [2])
        self.assertNotEqual((out / "2" / "outline.svg").read_bytes(), before)
        self.assertEqual(list(made(job, corrected, self.folder, out)), [])
        put = job.listing.put_right(("Ras",), (("letterings.1.lay.across_mm", "9"),))
        self.assertEqual([o.row for o in made(with_listing(job, put), corrected, self.folder, out)], [2])
        larger = change(job, ("letterings", 0, "content", "cap_height_mm"), 7.0)
        self.assertEqual(len(list(made(larger, corrected, self.folder, out))), 3)
        called_otherwise = with_listing(larger, larger.listing.model_copy(update={"file": "b.csv"}))
        self.assertEqual(list(made(called_otherwise, corrected, self.folder, out)), [])

    def test_a_row_without_words_is_no_piece(self):
        names = read_list(self.written("a.csv", b"name,post\nOda,Keeper\n,Optics\n"))
        found = [o.refused for o in checked(plate("{name}"), names, self.folder)]
        self.assertEqual(found, ["", "It has no words: the cells of this row are empty."])
        both = added_content(plate("{name}"), Wording(text="{post}"))
        self.assertEqual([o.refused for o in checked(both, names, self.folder)], ["", ""])

    def test_a_column_of_the_list_that_is_called_row(self):
        names = Names(("row", "seat"), (("C", "4"), ("A", "9")), "")
        job = plate("{row}-{seat}", name="{row}{seat}")
        found = [looked_at(job, order) for order in orders_of(job, names, self.folder)]
        self.assertEqual([job.letterings[0].content.text for _, job in found], ["C-4", "A-9"])
        self.assertEqual([outcome.name for outcome, _ in found], ["C4", "A9"])

    def test_a_row_that_ends_its_process_each_time_is_left_out_and_no_other(self):
        order, *others = orders_of(plate(), self.numbered(4), self.folder)
        bad = replace(order, row=Deadly(order.row))
        common = engines.Common(packed(plate(kinds=("outline",))), "make", self.folder / "out")
        found = [a.outcome for a in Processes(2).each(common, iter([*others, bad]), lambda: False)]
        self.assertEqual({one.row: one.refused for one in found if one.refused}, {1: ENDED})
        self.assertEqual(sorted(one.row for one in found), [1, 2, 3, 4])

    def test_the_workers_of_a_scheduler_make_every_row_once_though_one_is_ended(self):
        from distributed import LocalCluster

        names, out, found = self.numbered(8), self.folder / "out", []
        job = plate(kinds=("outline",))
        how = {"threads_per_worker": 1, "dashboard_address": None, "silence_logs": 50}
        with LocalCluster(n_workers=2, **how) as cluster:
            for outcome in made(job, names, self.folder, out, Scheduler(cluster.scheduler_address)):
                found.append(outcome)
                if len(found) == 2:
                    cluster.workers[0].process.process.kill()
        self.all_made_once(found, out, 8)
        nowhere = "tcp://127.0.0.1:9"
        self.enterContext(mock.patch.object(engines, "PATIENCE_S", 1.0))
        with self.assertRaisesRegex(KilnError, f"no scheduler at {nowhere}"):
            list(made(job, names, self.folder, self.folder / "b", Scheduler(nowhere)))

    def test_a_row_put_right_by_hand_keeps_it_wherever_it_stands(self):
        text = "name\nOda\nFeatherstonehaugh Wolverstone\n"
        names = read_list(self.written("a.csv", text.encode()))
        put = (("letterings.1.content.text", '"F. Wolverstone"'), ("letterings.1.lay.across_mm", "2 mm"))
        job = plate(cap=20.0, fit="size", most_mm=250.0)
        listing = job.listing.put_right(names.rows[1], put)
        job = with_listing(job, listing)
        path = self.folder / "job.kcj"
        save_packed(job, path)
        job = open_job(path)
        self.assertEqual(job.listing, listing)
        moved = read_list(self.written("b.csv", b"name\nNew\nFeatherstonehaugh Wolverstone\nOda\n"))
        orders = list(orders_of(job, moved, self.folder))
        outcome, made_ = looked_at(job, orders[1])
        self.assertEqual(made_.letterings[0].content.text, "F. Wolverstone")
        self.assertEqual(made_.letterings[0].lay.across_mm, 2.0)
        self.assertIn("by hand", outcome.fitted[-1])
        self.assertFalse([words for words in outcome.warnings if "still wider" in words])
        self.assertEqual(looked_at(job, orders[2])[1].letterings[0].lay.across_mm, 0.0)
        wide = listing.put_right(names.rows[1], (("letterings.1.content.cap_height_mm", "60"),))
        job = with_listing(job, wide)
        outcome, _ = looked_at(job, list(orders_of(job, moved, self.folder))[1])
        self.assertIn("still wider than 250 mm", outcome.warnings[0])
        self.assertEqual(listing.put_right(names.rows[1], ()).by_hand, ())

    def test_a_picture_of_each_row(self):
        for name, tall in (("disc", 8), ("bar", 3)):
            opened = '<svg xmlns="http://www.w3.org/2000/svg"'
            drawn = f'{opened} viewBox="0 0 20 {tall}"><rect width="20" height="{tall}"/></svg>'
            self.written(f"{name}.svg", drawn.encode())
        job = added_content(plate(), content_of_file(self.folder / "disc.svg"))
        text = "name,letterings.2.picture\nOda,bar.svg\nRas,\nMun,none.svg\nPip,a.csv\nEve,../x.svg\n"
        names = read_list(self.written("a.csv", text.encode()))
        found = {o.number: (o, *looked_at(job, o)) for o in orders_of(job, names, self.folder)}
        heights = {}
        for number in (1, 2):
            box = lettering_laid(found[number][2], 1).ink.bounds
            heights[number] = round((box[3] - box[1]) / (box[2] - box[0]), 2)
        self.assertEqual(heights, {1: 0.15, 2: 0.4})
        self.assertIn("none.svg", found[3][1].refused)
        self.assertIn("a.csv is not a kind of artwork", found[4][1].refused)
        self.assertIn("not beside the list", found[5][1].refused)
        for name in ("../a.csv", "/etc/a.csv", "a\\b.csv"):
            with self.subTest(name=name), self.assertRaises(ValueError):
                Listing(file=name)
        # another process, and another machine, have no such files
        job = with_listing(job, Listing(kinds=("outline",)))
        out = list(made(job, names, self.folder, self.folder / "out"))
        self.assertEqual(sorted(one.row for one in out if not one.refused), [1, 2])

    def test_a_row_that_cannot_be_made_stops_no_other(self):
        names = read_list(self.written("a.csv", b"name,blank.width_mm\nOda,120\nRas,wide\nMun,130\n"))
        job = plate(kinds=("outline",))
        found = list(made(job, names, self.folder, self.folder / "out"))
        self.assertEqual(
            [bool(one.refused) for one in sorted(found, key=lambda one: one.row)], [False, True, False]
        )
        self.assertEqual(len(logged(self.folder / "out")), 2)

    def test_by_the_command_line(self):
        job, names = self.folder / "a.kcj", self.written("a.csv", "name\nOda\nŁukasz\n".encode())
        save_packed(plate(), job)
        code, out, _ = called("list", job, names, "--json")
        told = json.loads(out)
        self.assertEqual((code, [row["row"] for row in told["rows"]]), (0, [1, 2]))
        self.assertIn("UTF-8", told["read"])
        where = self.folder / "made"
        code, out, error = called("list", job, names, "-o", where, "--only", "outline")
        self.assertEqual((code, error), (0, ""))
        self.assertTrue((where / "2 Łukasz" / "outline.dxf").is_file())
        _, out, _ = called("list", job, names, "-o", where, "--only", "outline")
        self.assertIn("0 to look at; 2 are there as they would be made", out)
        kept = self.folder / "kept.kcj"
        code, _, error = called(
            "list",
            job,
            names,
            "-o",
            kept,
            "--fit",
            "size",
            "--most",
            "90",
            "--only",
            "outline",
            "--row",
            "2",
            "--put",
            "letterings.1.content.cap_height_mm=7",
        )
        self.assertEqual((code, error), (0, ""))
        listing = open_job(kept).listing
        self.assertEqual((listing.file, listing.fit, listing.most_mm), ("a.csv", "size", 90.0))
        told = json.loads(called("list", kept, names, "--json")[1])
        self.assertEqual({row["row"]: bool(row["fitted"]) for row in told["rows"]}, {1: False, 2: True})
        called("list", kept, names, "-o", kept, "--row", "2", "--as-listed")
        self.assertEqual(open_job(kept).listing.by_hand, ())
        bare, field = self.folder / "b.kcj", "letterings.1.lay.across_mm"
        save_packed(fresh_job("plaque", "A"), bare)
        for arguments in (
            (bare, names),
            (job, names, "--fit", "size"),
            (job, names, "-o", where, "--only", "nothing"),
            (job, names, "-o", where, "--with", "colour=red"),
            (job, names, "--processes", "0"),
            (job, names, "--row", "1", "--put", f"{field}=3"),
            (job, names, "-o", kept, "--row", "9", "--put", f"{field}=3"),
            (job, names, "-o", kept, "--row", "1", "--put", "letterings.1.lay.up=3"),
            (job, self.folder / "none.csv"),
            # what would change nothing is not taken without a word
            (job, names, "--row", "1"),
            (job, names, "-o", where, "--by-camera"),
            (job, names, "--gap", "3mm"),
            (job, names, "-o", where, "--margin", "3mm"),
            (job, names, "-o", where, "--on", "600x300mm", "--processes", "2"),
            (job, names, "-o", where, "--on", "600x300mm", "--only", "plotter"),
            (job, names, "-o", kept, "--on", "600x300mm"),
        ):
            with self.subTest(arguments=arguments[2:]):
                code, _, error = called("list", *arguments)
                self.assertEqual((code, error.count("\n")), (2, 1))


if __name__ == "__main__":
    unittest.main()
