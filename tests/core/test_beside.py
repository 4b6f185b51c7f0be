"""Work that goes on beside other work: on another thread, in order, and never waited for in a ring."""

import threading
import unittest

from kilnchisel.core.beside import Beside, all_of


class BesideOtherWork(unittest.TestCase):
    def test_it_is_done_by_another_thread(self):
        begun, go_on = threading.Event(), threading.Event()

        def work():
            begun.set()
            go_on.wait(20)
            return threading.current_thread()

        one = Beside(work)
        self.assertTrue(begun.wait(20))
        go_on.set()
        self.assertIsNot(one.get(), threading.current_thread())
        self.assertIs(one.get(), one.get())

    def test_what_is_not_begun_is_done_by_whoever_asks(self):
        """As where the other hand is busy: with what waits for this, it would wait for ever."""
        busy, free = threading.Event(), threading.Event()

        def hold():
            busy.set()
            return free.wait(20)

        first, second = Beside(hold), Beside(threading.current_thread)
        self.assertTrue(busy.wait(20))
        self.assertIs(second.get(), threading.current_thread())
        free.set()
        self.assertTrue(first.get())

    def test_work_may_begin_work(self):
        deep = Beside(lambda: Beside(lambda: Beside(lambda: 7).get() + 1).get() + 1)
        self.assertEqual(deep.get(), 9)

    def test_all_are_told_in_order(self):
        self.assertEqual(all_of([lambda n=n: n * n for n in range(40)]), [n * n for n in range(40)])
        self.assertEqual(all_of([]), [])

    def test_the_first_that_fails_is_told(self):
        done = []

        def fail(what):
            raise ValueError(what)

        works = [lambda: done.append(1), lambda: fail("one"), lambda: done.append(2), lambda: fail("two")]
        with self.assertRaisesRegex(ValueError, "one"):
            all_of(works)
        self.assertEqual(sorted(done), [1, 2])
        alone = Beside(lambda: fail("alone"))
        for _ in range(2):
            with self.assertRaisesRegex(ValueError, "alone"):
                alone.get()
