"""The workshop: what it makes for the window, whole on the other side of a pipe, and its process."""

import os
import pickle
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from kilnchisel.core.blanks.bodies import sides_at
from kilnchisel.core.build import (
    half_of_job,
    laid_elsewhere,
    lettering_laid,
    middle_of_job,
    outline_of,
    sides_of_job,
)
from kilnchisel.core.detail import Detail
from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.job.assets import forget, keep_asset, only_here
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.remembered import STORE
from kilnchisel.core.sending.things import Receiver, Sender
from kilnchisel.core.sending.wire import sent, taken
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.workshop.bench import STAYS, Bench
from kilnchisel.core.workshop.orders import DraftOrder, Look, SolidOrder
from kilnchisel.core.workshop.process import started
from kilnchisel.core.workshop.slot import Slot
from tests.samples import mug_job
from tests.waiting import until


class GoingOver(unittest.TestCase):
    def setUp(self):
        STORE.clear()  # a lettering may outlive its side there, which is made anew then
        self.sender, self.receiver = Sender(*STAYS, kept=8), Receiver()

    def over(self, value):
        return self.receiver.value(pickle.loads(pickle.dumps(self.sender.parts(value))))

    def test_a_lettering_on_every_kind_of_blank_is_the_same_there(self):
        for kind in KINDS:
            if kind == "mesh":
                continue
            with self.subTest(kind):
                job = fresh_job(kind)
                here = lettering_laid(job, 0)
                (there,), sides = self.over(((here,), sides_of_job(job)))
                self.assertIsNot(there, here)
                self.assertIs(there.side, sides.named(here.side.name))
                low, high = here.ink.bounds[:2], here.ink.bounds[2:]
                spots = np.random.default_rng(5).uniform(low, high, (40, 2))
                height = np.linspace(0, 2, 40)
                np.testing.assert_array_equal(
                    there.side.to_body(spots, height), here.side.to_body(spots, height)
                )
                np.testing.assert_array_equal(there.placing.back(spots), here.placing.back(spots))
                self.assertTrue(there.ink.equals_exact(here.ink))
                self.assertEqual(there.outline.letters[0].character, here.outline.letters[0].character)

    def test_what_has_gone_over_is_named_and_what_moved_goes_again(self):
        job = mug_job("TARN")
        first = lettering_laid(job, 0)
        whole = self.sender.parts((first,))
        again = self.sender.parts((first,))
        self.assertEqual((again.things, again.arrays), ([], []))
        moved = lettering_laid(change(job, ("letterings", 0, "lay", "along_mm"), 5.0), 0)
        parts = self.sender.parts((moved,))
        self.assertEqual(len(parts.things), 1)  # the lay; its side and its outline are there
        self.receiver.value(whole)
        (there,) = self.receiver.value(parts)
        self.assertTrue(there.ink.equals_exact(moved.ink))

    def test_of_what_a_thing_has_worked_out_only_arrays_and_shapes_go_over(self):
        net = sides_at(fresh_job("bank").blank).all[0].net
        _ = net.tree, net.triangles
        there = self.over(net)
        self.assertEqual(set(vars(there)), {"points", "faces", "exact"})
        np.testing.assert_array_equal(there.triangles[3].exterior.coords, net.triangles[3].exterior.coords)

    def test_the_changes_that_checks_offer_can_be_made_there(self):
        job = change(mug_job("TARN"), ("letterings", 0, "lay", "across_mm"), 900.0)
        offered = [check.fix for check in checks(job, 0) if check.fix is not None]
        self.assertTrue(offered)
        for here, there in zip(offered, pickle.loads(pickle.dumps(offered)), strict=True):
            self.assertEqual(there.label, here.label)
            self.assertEqual(there.apply(job), here.apply(job))

    def test_arrays_go_through_a_pipe_as_they_lie(self):
        out, into = os.pipe()
        value = ("drawn", np.arange(300_000.0).reshape(3, -1), np.arange(5, dtype=np.uint8)[::2])
        writer = threading.Thread(target=sent, args=(into, value))
        writer.start()
        name, large, small = taken(out)
        writer.join()
        self.assertEqual(name, "drawn")
        np.testing.assert_array_equal(large, value[1])
        np.testing.assert_array_equal(small, value[2])
        large[0] = 1  # one's own
        os.close(into)
        with self.assertRaises(EOFError):
            taken(out)
        os.close(out)


class MadeElsewhere(unittest.TestCase):
    def test_what_was_laid_there_is_not_laid_here_again(self):
        job = change(mug_job("TARN"), ("letterings", 0, "content", "text"), "MADE ELSEWHERE")
        laid, sides = (lettering_laid(job, 0),), sides_of_job(job)
        STORE.clear()
        laid_elsewhere(job, laid, sides, detail=Detail.ROUGH)
        self.assertIs(lettering_laid(job, 0), laid[0])
        self.assertIs(sides_at(job.blank), sides)
        self.assertIs(outline_of(job.letterings[0].content), laid[0].outline)
        again = (lettering_laid(mug_job("OTHER"), 0),)
        laid_elsewhere(job, again, sides, detail=Detail.ROUGH)  # what is there stays
        self.assertIs(lettering_laid(job, 0), laid[0])


class Serving(unittest.TestCase):
    def test_the_newest_request_is_served_and_failures_are_told(self):
        going, served, failed = threading.Event(), [], []

        class Order:
            def __init__(self, number):
                self.number = number

        def serve(order):
            if order.number == 1:
                going.wait(20)
            served.append((order.number, slot.stale(order)))
            if order.number == 3:
                raise ZeroDivisionError

        slot = Slot(serve, "test", lambda error, number: failed.append((type(error), number)))
        self.addCleanup(slot.close)
        slot.ask(Order(1))
        until(slot.idle, "the first to be taken")
        slot.ask(Order(2))
        slot.ask(Order(3))
        going.set()
        until(lambda: failed, "the failure")
        self.assertEqual(served, [(1, True), (3, False)])
        self.assertEqual(failed, [(ZeroDivisionError, 3)])


class Elsewhere(unittest.TestCase):
    def setUp(self):
        self.process = started()
        self.addCleanup(self.process.end)
        self.addCleanup(self.process.kill)

    def order(self, number, job):
        return DraftOrder(job, 0, Look(), (80, 60), 1.0, Detail.ROUGH, number)

    def answers(self, *wanted):
        found = {}
        while not set(wanted) <= set(found):
            answer = taken(self.process.answers)
            found[answer[0]] = answer[1:]
        return found

    def test_it_draws_measures_and_refuses_as_a_bench_here_does(self):
        job = mug_job("TARN")
        sent(self.process.orders, ("draft", self.order(1, job)))
        there = self.answers("card", "drawn", "taken")
        heard = []
        bench = Bench(heard.append)
        self.addCleanup(bench.close)
        bench.take(("draft", self.order(1, job)))
        until(lambda: any(one[0] == "taken" for one in heard), "the bench here")
        here = {one[0]: one[1:] for one in heard}
        number, parts, pixels, _, stance, middle, half, seconds = there["drawn"]
        self.assertEqual(number, 1)
        np.testing.assert_array_equal(pixels, here["drawn"][2])
        np.testing.assert_array_equal(stance, here["drawn"][4])
        np.testing.assert_allclose(middle, middle_of_job(job))
        np.testing.assert_allclose(half, half_of_job(job))
        self.assertGreater(seconds, 0)
        self.assertTrue(there["card"][0])
        STORE.knows("of the job before", np.zeros(3))
        for number, forgotten in ((3, False), (4, True)):
            if forgotten:
                bench.take(("another job",))
            heard.clear()
            bench.take(("draft", self.order(number, fresh_job("can"))))
            until(lambda: any(one[0] == "taken" for one in heard), "the bench here")
            self.assertEqual("of the job before" not in STORE, forgotten)
        (laid,), sides = Receiver().value(parts)
        self.assertEqual(laid.outline.letters[0].character, "T")
        self.assertEqual(laid.side.name, sides.all[0].name)
        self.assertEqual(there["taken"][1], here["taken"][1])
        lost = change(job, ("letterings", 0, "lay", "side"), "nowhere")
        sent(self.process.orders, ("draft", self.order(2, lost)))
        what, number, sentence, report = self.answers("failed")["failed"]
        self.assertEqual((what, number, report), ("draft", 2, ""))
        self.assertIn("nowhere", sentence)

    def test_a_solid_made_there_is_the_one_made_here_and_one_that_is_withdrawn_does_not_come(self):
        job = mug_job("TARN")
        sent(self.process.orders, ("solid", SolidOrder(fresh_job("globe"), "a.stl", 1)))
        sent(self.process.orders, ("no solid", 2))
        sent(self.process.orders, ("solid", SolidOrder(job, "a.stl", 3)))
        number, data = self.answers("made")["made"]
        self.assertEqual(number, 3)
        self.assertEqual(data, mesh_bytes(job, Path("b.stl")))
        sent(self.process.orders, ("solid", SolidOrder(job, "a.step", 4)))
        what, number, sentence, report = self.answers("failed")["failed"]
        self.assertEqual((what, number, report), ("solid", 4, ""))
        self.assertIn(".stl", sentence)

    def test_a_file_that_no_folder_holds_goes_there_by_itself(self):
        data = (
            b'<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"><path d="M0 0H9V9"/></svg>'
        )
        with mock.patch("kilnchisel.core.job.assets.write_whole", side_effect=OSError("no room")):
            digest = keep_asset(data)
        self.addCleanup(forget, digest)
        self.assertEqual(only_here()[digest], data)
        artwork = {"kind": "artwork", "name": "a.svg", "sha256": digest, "form": "svg"}
        job = change(mug_job("TARN"), ("letterings", 0, "content"), artwork)
        sent(self.process.orders, ("draft", self.order(1, job)))
        self.assertIn("a.svg", self.answers("failed")["failed"][2])
        sent(self.process.orders, ("keep", list(only_here().values())))
        sent(self.process.orders, ("draft", self.order(2, job)))
        self.assertEqual(self.answers("drawn")["drawn"][0], 2)

    def test_it_ends_with_who_started_it(self):
        self.assertTrue(self.process.runs())
        os.close(self.process.orders)
        self.process.orders = os.open(os.devnull, os.O_WRONLY)
        until(lambda: not self.process.runs(), "its end")
