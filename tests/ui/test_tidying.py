"""What keeps the window from standing still: who stands back, and when Python looks for garbage."""

import gc
import unittest
import weakref

import numpy as np

from kilnchisel.core.picture.card import Card
from kilnchisel.core.picture.lockless import Lockless
from tests.ui.harness import WindowTest


class Garbage(WindowTest):
    def test_python_does_not_look_by_itself_while_a_window_lives(self):
        self.assertFalse(gc.isenabled())
        self.assertGreater(gc.get_freeze_count(), 0)
        self.window.tidying.stop()
        self.assertTrue(gc.isenabled())

    def test_what_nothing_refers_to_goes_soon(self):
        class Knot:
            pass

        knot = Knot()
        knot.self = knot
        gone = weakref.ref(knot)
        del knot
        for _ in range(12):
            kept = [[] for _ in range(4000)]
            self.window.tidying.tick()
            del kept
        self.assertIsNone(gone())

    def test_at_rest_all_is_looked_through_and_seldom(self):
        class Knot:
            pass

        def tied():
            knot = Knot()
            knot.self = knot
            return weakref.ref(knot)

        gone = tied()
        gc.collect(1)  # it is old by now, had it been kept
        gone = tied()
        tidying = self.window.tidying
        tidying.garbage._last = 0.0
        tidying.rest()
        self.assertIsNone(gone())
        again = tied()
        tidying.rest()
        self.assertIsNotNone(again())
        gc.collect()


class OutsideTheLock(unittest.TestCase):
    """The same picture whether the calls go through the bindings or past them."""

    def drawn(self, direct):
        card = Card()
        card._direct = direct
        with card.gl:
            rng = np.random.default_rng(3)
            image = card._image(rng.integers(0, 256, (32, 64, 4), dtype=np.uint8))
            frame = card.gl.simple_framebuffer((40, 30), components=4)
            other = card.gl.simple_framebuffer((40, 30), components=4)
            program = card.gl.program(
                vertex_shader="#version 330\nin vec2 at; out vec2 uv;"
                "void main() { uv = at; gl_Position = vec4(at * 2 - 1, 0.2, 1); }",
                fragment_shader="#version 330\nuniform sampler2D t; in vec2 uv; out vec4 c;"
                "void main() { c = textureLod(t, uv, uv.x * 5); }",
            )
            corners = card.gl.buffer(np.array([[0, 0], [1, 0], [1, 1], [0, 1]], "f4").tobytes())
            index = card.gl.buffer(np.array([0, 1, 2, 0, 2, 3], "i4").tobytes())
            array = card.gl.vertex_array(program, [(corners, "2f", "at")], index)
            frame.use()
            frame.clear()
            image.use(0)
            card.draw(array)
            card.copy(other, frame)
            return np.frombuffer(card.read(other, components=4), np.uint8).reshape(30, 40, 4)

    def test_textures_draws_and_copies(self):
        past, bound = Lockless(), Lockless()
        if past._gl is None:
            self.skipTest("no OpenGL library to be called")
        bound._gl = None
        here, there = self.drawn(past), self.drawn(bound)
        self.assertGreater(int(here.std()), 5)
        self.assertLessEqual(int(np.abs(here.astype(int) - there.astype(int)).max()), 3)


if __name__ == "__main__":
    unittest.main()
