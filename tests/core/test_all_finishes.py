"""Every finish, worn, is drawn, and looks alike in the draft and in the mockup."""

import os
import unittest
from unittest import mock

import numpy as np

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import (
    Brass,
    Cloth,
    Glass,
    Gold,
    Masonry,
    Paint,
    SurfaceFinish,
    Wear,
    Wood,
)
from kilnchisel.core.kinds import named
from kilnchisel.core.picture.afar import Afar
from kilnchisel.core.picture.variants import SAFE
from tests.samples import mug_job, the_draft

SIZE = (120, 90)
POLISHES = ("brushed", "hammered")
MORE = (
    *(Brass(polish=polish, uneven=50, patina=40, grain_deg=30) for polish in POLISHES),
    *(Paint(effect=effect) for effect in ("metallic", "pearl", "fleck", "reflective")),
    *(Wood(surface=surface) for surface in ("oiled", "lacquered", "charred")),
    *(Masonry(surface=surface) for surface in ("concrete", "plaster")),
    *(Cloth(weave=weave) for weave in ("cotton", "canvas")),
    Glass(frosted=60),
    Gold(carat=10, alloy="white"),
)
TRACED = (
    Glass(frosted=60),
    Brass(polish="hammered", patina=40, uneven=50),
    Wood(surface="charred"),
)
# mean difference in steps of 255 that 4 samples a pixel leave between the two pictures; the draft does not
# blur what is behind frosted glass
ALIKE, FROSTED_ALIKE = 9.0, 13.0


def worn_mug(finish):
    job = change(mug_job("AB"), ("finish",), finish)
    return change(job, ("wear",), Wear(rubbed=50, dirt=50, scratched=50))


class EveryFinish(unittest.TestCase):
    def test_each_is_drawn_and_is_like_no_other(self):
        draft, seen = the_draft(), {}
        for finish in (*(made() for made in named(SurfaceFinish).values()), *MORE):
            job = worn_mug(finish)
            scene = scene_of_job(job, detail=Detail.ROUGH)
            picture = draft.render(scene, view_of(job), SIZE, detail=Detail.ROUGH)[..., :3].astype(float)
            self.assertGreater(picture.std(), 5)
            for other, known in seen.items():
                self.assertGreater(np.abs(picture - known).mean(), 0.02, f"{finish!r} {other!r}")
            seen[repr(finish)] = picture

    def test_draft_and_mockup_agree(self):
        draft, afar = the_draft(), Afar()
        self.addCleanup(afar.close)
        # compiling for each of them would take half a minute
        with mock.patch.dict(os.environ, {"KILNCHISEL_VARIANT": SAFE}):
            afar.ahead()
        for finish in TRACED:
            job = worn_mug(finish)
            scene, view = scene_of_job(job), view_of(job)
            quick = draft.render(scene, view, SIZE)[..., :3].astype(float)
            traced = next(iter(afar.refine(scene, view, SIZE, 4, looks=()))).pixels.astype(float)
            with self.subTest(finish=finish):
                limit = FROSTED_ALIKE if finish.kind == "glass" else ALIKE
                self.assertLess(np.abs(quick - traced).mean(), limit)
                self.assertAlmostEqual(float(quick.mean() / traced.mean()), 1.0, delta=0.08)


if __name__ == "__main__":
    unittest.main()
