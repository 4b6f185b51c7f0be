"""What is typed on the command line and would change nothing is refused, and nothing is written."""

import shlex
import tempfile
import unittest
from pathlib import Path

from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.photocommand import _oval
from tests.commands import called

IDLE = (
    ("new mug --unit cm -o b.kcj", "--unit changes nothing here; it counts for a mesh from a file"),
    ("new mug --up y -o b.kcj", "--up changes nothing here"),
    ("new --list --text Oda", "--text changes nothing with --list"),
    ("fix a.kcj -o b.kcj", "--output changes nothing here; it counts with --check"),
    ("recipe --list --use x", "--use changes nothing with --list"),
    ("recipe a.kcj --save x -o b.kcj", "--output changes nothing with --save"),
    ("hand-over a.kcj --list -o b", "--output changes nothing with --list"),
    ("recipe a.kcj --save x --same-mm", "--same-mm changes nothing with --save"),
    ("picture a.kcj -o b.png --draft --samples 9", "--samples changes nothing here"),
    ("picture a.kcj -o b.png --draft --square-on 1 --afar 3m", "--afar changes nothing here"),
    ("picture a.kcj -o b.png --draft --square-on 0", "There is no lettering 0; the job has 1"),
    ("picture a.kcj -o b.png --draft --whole-record", "--whole-record changes nothing here"),
    ("copies a.kcj -o b.kcj", "--output changes nothing here; it counts with --arrange"),
    ("sets a.kcj -o b.kcj", "--output changes nothing here; it counts with --use or --place"),
    ("sets a.kcj --use linen --json -o b.kcj", "--json changes nothing here"),
    ("measure a.kcj --lettering 1 --lettering 2", "--lettering changes nothing here"),
    ("outline a.kcj -o b.svg --lettering 0", "There is no lettering 0"),
    ("outline a.kcj -o b.svg --lettering 1 --side back", "--side changes nothing here"),
    ("hand-over a.kcj -o b --only outline --roll 300mm", "it counts for plotter"),
    ("hand-over a.kcj --list --paper A3", "--paper changes nothing with --list"),
    ("hand-over a.kcj -o b --only outline --json", "--json changes nothing here; it counts with --list"),
    ("cut a.nc --side front", "--side changes nothing here; it counts with --against"),
    ("proof a.kcj --samples 8", "--samples changes nothing with the list"),
    ("proof a.kcj -o b.kcj --note x", "--note changes nothing here; it counts with --keep or --of"),
    ("proof a.kcj -o b.kcj --keep --move 2", "--move changes nothing here"),
    ("proof a.kcj -o b.png --compare a,now --keep", "--keep changes nothing with --compare"),
    ("motion a.kcj -o b.mp4 --places front,detail", "--places changes nothing here"),
    ("motion a.kcj -o b.mp4 --seed 4", "--seed changes nothing here"),
    ("photo a.kcj -o b.kcj --out --turn 4", "--turn changes nothing with --out"),
    ("photo a.kcj -o b.kcj --in-hand 1 --beside 3mm", "--beside changes nothing with --also, --in-hand"),
    ("photo a.kcj -o b.kcj --picture a.jpg --horizon 1,2 --width 3m", "--width changes nothing here"),
    ("photo a.kcj -o b.kcj --picture a.jpg --horizon 1,2 --fold-depth 30", "--fold-depth changes nothing"),
    ("list a.kcj a.csv --most 80mm", "--most changes nothing here; it counts with --fit"),
    ("list a.kcj a.csv --only outline --with paper=A3", "--paper changes nothing here; it counts for"),
)  # fmt: skip


class Idle(unittest.TestCase):
    def test_what_changes_nothing_is_refused(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        save_packed(fresh_job("mug", "Oda {name}"), folder / "a.kcj")
        (folder / "a.csv").write_text("name\nVern\n")
        before = sorted(folder.iterdir())
        for line, says in IDLE:
            words = [folder / word if word[:2] in ("a.", "b.") else word for word in shlex.split(line)]
            with self.subTest(line):
                code, out, complaint = called(*words)
                self.assertEqual((code, out), (2, ""))
                self.assertIn(says, complaint)
                self.assertEqual(sorted(folder.iterdir()), before)

    def test_halves_of_an_ellipse_in_either_order(self):
        upright, lying = _oval("10,20 30,50 0"), _oval("10,20 50,30 90")
        self.assertEqual(upright, lying)
        self.assertEqual((upright.long_px, upright.short_px, upright.turn_deg), (50.0, 30.0, 90.0))
