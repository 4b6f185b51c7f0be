"""Recipes: kept, found, scaled, shared; and their command."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from kilnchisel.__main__ import main
from kilnchisel.core.build import piece_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Engraved, Pressed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.finish import AsBlank, Gold
from kilnchisel.core.job.recipes import (
    SHIPPED,
    all_recipes,
    applied,
    companions_of,
    forget_recipe,
    on_its_own,
    recipe_named,
    recipe_of,
    save_recipe,
    saved_recipes,
    shared,
    sized,
)
from kilnchisel.core.job.turning import CRAFTS
from tests.outside.test_blanks import job_on
from tests.outside.test_fields import ramp
from tests.samples import plaque_job


class Recipes(unittest.TestCase):
    def test_two_are_shipped_for_every_craft(self):
        kinds = [recipe.craft.kind for recipe in SHIPPED]
        for kind in CRAFTS:
            self.assertGreaterEqual(kinds.count(kind), 2, kind)

    def test_every_shipped_recipe_can_be_made(self):
        for recipe in SHIPPED:
            job = plaque_job("TARN", width_mm=900, height_mm=300, thickness_mm=30)
            job = change(job, ("letterings", 0, "content", "cap_height_mm"), 80.0)
            if recipe.craft.kind == "relief":
                job = change(job, ("letterings", 0, "content"), ramp())
            if getattr(recipe.craft, "upright", False):
                job = job_on(Bank(), text="TARN", cap=1500, side="slope")
            made = piece_of(applied(job, 0, recipe))
            self.assertTrue(made.parts, recipe.name)

    def test_lengths_grow_with_the_letters(self):
        job = plaque_job("TARN")
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 20.0)
        recipe = recipe_of(
            job.letterings[0].model_copy(update={"craft": Pressed(depth_mm=1, soft_mm=0.5)}), "x"
        )
        self.assertEqual(recipe.cap_mm, 20.0)
        smaller = change(job, ("letterings", 0, "content", "cap_height_mm"), 5.0)
        craft = applied(smaller, 0, recipe).letterings[0].craft
        self.assertAlmostEqual(craft.depth_mm, 0.25)
        self.assertAlmostEqual(craft.soft_mm, 0.125)
        same = applied(smaller, 0, recipe, scaled=False).letterings[0].craft
        self.assertEqual(same, Pressed(depth_mm=1, soft_mm=0.5))
        # held within what a field takes
        self.assertEqual(sized(Engraved(depth_mm=0.02), 0.01).depth_mm, 0.01)

    def test_kept_replaced_and_forgotten(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.dict("os.environ", {"XDG_STATE_HOME": folder}),
        ):
            lettering = plaque_job("TARN").letterings[0]
            save_recipe(recipe_of(lettering, " Shop brass "))
            self.assertEqual([r.name for r in saved_recipes()], ["Shop brass"])
            changed = lettering.model_copy(update={"craft": Raised(height_mm=2), "finish": Gold()})
            save_recipe(recipe_of(changed, "Shop brass"))
            self.assertEqual(recipe_named("shop BRASS").craft, Raised(height_mm=2))
            self.assertEqual(all_recipes()[0].name, "Shop brass")
            (Path(folder) / "kilnchisel" / "recipes.json").write_text('[1, {"name": ""}]')
            self.assertEqual(saved_recipes(), ())
            with self.assertRaisesRegex(KilnError, "no saved recipe"):
                forget_recipe("Shop brass")
            with self.assertRaisesRegex(KilnError, "Give the recipe a name"):
                recipe_of(lettering, "   ")

    def test_shared_ways_stay_in_step(self):
        job = plaque_job("TARN")
        second = job.letterings[0].model_copy(update={"craft": Raised(height_mm=1), "finish": AsBlank()})
        job = change(job, ("letterings",), (*job.letterings, second))
        job = shared(job, 0, 1)
        self.assertEqual(job.letterings[1].craft, job.letterings[0].craft)
        job = change(job, ("letterings", 1, "craft"), Pressed(depth_mm=0.9))
        self.assertEqual(job.letterings[0].craft, Pressed(depth_mm=0.9))
        job = change(job, ("letterings", 0, "craft", "depth_mm"), 0.7)
        self.assertEqual(job.letterings[1].craft.depth_mm, 0.7)
        self.assertEqual(companions_of(job, 0), (1,))
        apart = on_its_own(job, 1)
        apart = change(apart, ("letterings", 0, "craft", "depth_mm"), 0.3)
        self.assertEqual(apart.letterings[1].craft.depth_mm, 0.7)

    def test_the_command(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.dict("os.environ", {"XDG_STATE_HOME": folder}),
        ):
            job, out = Path(folder) / "a.kcj", Path(folder) / "b.kcj"
            save_job(plaque_job("TARN", width_mm=300, height_mm=100), job)
            self.assertEqual(main(["recipe", "--list"]), 0)
            self.assertEqual(main(["recipe", str(job), "--use", "Gold foil stamp", "-o", str(out)]), 0)
            self.assertEqual(open_job(out).letterings[0].craft.kind, "pressed")
            self.assertEqual(main(["recipe", str(out), "--save", "Mine"]), 0)
            self.assertEqual(recipe_named("Mine").craft.kind, "pressed")
            self.assertEqual(main(["recipe", str(job), "--use", "nothing", "-o", str(out)]), 2)
            self.assertEqual(main(["recipe", str(job), "--use", "Mine"]), 2)
            self.assertEqual(main(["recipe", str(job), "--forget", "Mine"]), 2)
            self.assertEqual(main(["recipe", str(job), "--list"]), 2)
            self.assertEqual(main(["recipe", "--forget", "Mine"]), 0)


if __name__ == "__main__":
    unittest.main()
