"""The one memory of all stages: bounded in bytes, counted once, made once."""

import threading
import unittest
from dataclasses import dataclass

import numpy as np
import shapely

from kilnchisel.core.remembered import LEAST_KEPT, Store, known, leaves_of, made_elsewhere, remembered

MB = 2**20


def megabyte(number=1):
    return np.zeros(number * MB, dtype=np.uint8)


class Asked(unittest.TestCase):
    def test_once_however_the_arguments_are_given(self):
        made = []

        @remembered
        def sum_of(one, other=2, *, twice=False):
            made.append((one, other, twice))
            return (one + other) * (2 if twice else 1)

        self.assertEqual(
            {sum_of(1), sum_of(1, 2), sum_of(other=2, one=1), sum_of(1, twice=False), sum_of(one=1)}, {3}
        )
        self.assertEqual(made, [(1, 2, False)])
        self.assertEqual((sum_of(1, twice=True), sum_of(2, 1)), (6, 3))
        self.assertEqual(len(made), 3)
        self.assertFalse(known(sum_of, 5))
        made_elsewhere(8, sum_of, 5, other=2)
        self.assertTrue(known(sum_of, one=5, twice=False))
        self.assertEqual(sum_of(5), 8)


class Bounded(unittest.TestCase):
    def test_what_was_not_asked_for_the_longest_goes_first(self):
        store = Store(most_bytes=(LEAST_KEPT + 10) * MB)
        for number in range(100):
            store.get(number, megabyte)
            store.get(0, megabyte)  # still wanted
        self.assertLessEqual(store.bytes, (LEAST_KEPT + 10) * MB)
        made = []
        store.get(0, lambda: made.append("again") or megabyte())
        store.get(99, lambda: made.append("again") or megabyte())
        self.assertEqual(made, [])
        store.get(1, lambda: made.append("again") or megabyte())
        self.assertEqual(made, ["again"])

    def test_what_is_worked_on_stays_even_where_it_is_larger_than_all_the_room(self):
        store = Store(most_bytes=MB)
        for number in range(LEAST_KEPT):
            store.get(number, lambda: megabyte(2))
        self.assertEqual(len(store), LEAST_KEPT)

    def test_what_a_large_result_is_made_of_stays_beside_it(self):
        """A scene of a street and what stays of it while letters move: more results than stay anyhow."""
        store = Store(most_bytes=20 * MB)
        parts = [megabyte() for _ in range(60)]
        made = []

        def scene(step):
            for number, part in enumerate(parts):
                store.get(number, lambda part=part, number=number: made.append(number) or part)
            return store.get(("scene", step), lambda: [*parts, megabyte()])

        scene(0)
        scene(1)  # what had gone before the first was whole is made again
        made.clear()
        for step in range(40):
            scene(step)
        self.assertEqual(made, [])
        self.assertLessEqual(store.bytes, 2 * 61 * MB)
        for number in range(100):  # of another job, whose results are small
            store.get(("other", number), megabyte)
        self.assertLessEqual(store.bytes, 2 * 61 * MB)

    def test_shared_arrays_are_counted_once_and_let_go_with_the_last(self):
        store = Store(most_bytes=1000 * MB)
        shared = megabyte(10)
        store.get("a", lambda: (shared, megabyte()))
        store.get("b", lambda: {"view": shared[5:], "own": megabyte()})
        self.assertEqual(store.bytes, 12 * MB)
        store.clear()
        self.assertEqual((store.bytes, len(store)), (0, 0))

    def test_sizes_of_what_results_are_made_of(self):
        @dataclass(frozen=True)
        class Holder:
            array: np.ndarray
            shape: shapely.Polygon

        circle = shapely.Point(0, 0).buffer(1, quad_segs=1000)
        held = leaves_of(Holder(megabyte(), circle))
        self.assertGreaterEqual(sum(held.values()), MB + 16 * 4000)
        outlines = np.array([circle, circle], dtype=object)
        self.assertGreaterEqual(sum(leaves_of([outlines]).values()), 2 * 16 * 4000)

    def test_a_failure_is_not_kept(self):
        store = Store()
        with self.assertRaises(ValueError):
            store.get("x", lambda: int("no number"))
        self.assertEqual(store.get("x", lambda: 5), 5)


class MadeOnce(unittest.TestCase):
    def test_two_threads_that_want_one_value_make_it_once(self):
        store, begun, go, made = Store(), threading.Event(), threading.Event(), []

        def slow():
            made.append(1)
            begun.set()
            go.wait(10)
            return "value"

        found = []
        threads = [threading.Thread(target=lambda: found.append(store.get("k", slow))) for _ in range(4)]
        threads[0].start()
        self.assertTrue(begun.wait(10))
        for thread in threads[1:]:
            thread.start()
        go.set()
        for thread in threads:
            thread.join(10)
        self.assertEqual((found, made), (["value"] * 4, [1]))
