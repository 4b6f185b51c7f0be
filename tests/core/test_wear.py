"""Wear follows the lettering: where it lies, what each slider does, and what stays clean."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.build import lettering_laid, scene_of_job
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.material import MOST_COVERS
from kilnchisel.core.finishes.wear import bare_of, marked, worn
from kilnchisel.core.job.crafts import Engraved, Pressed, Printed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Brass, Copper, Enamel, Paint, Wear
from kilnchisel.core.job.words.sections import sentence
from tests.samples import mug_job, plaque_job

BOARD = shapely.box(-50, -30, 50, 30)


def bounds_of(job):
    return lettering_laid(job, 0).side.domain.bounds


def square(height, x=0.0, half=10.0):
    return shapely.MultiPolygon([shapely.box(x - half, -half, x + half, half)]), height


def at(values, marks, u, v):
    rows, columns = values.shape
    row = int((v - marks.corner[1]) / marks.size[1] * rows)
    return float(values[row, int((u - marks.corner[0]) / marks.size[0] * columns)])


class Marks(unittest.TestCase):
    def test_a_raised_square_is_rubbed_inside_its_edge_and_dirty_outside(self):
        marks = marked(BOARD, [square(1.0)], 2.0, closed=False)
        for u, above, below in ((9.8, 1, 0), (10.2, 0, 1), (0.0, 0, 0), (25.0, 0, 0)):
            self.assertAlmostEqual(at(marks.above, marks, u, 0.0), above, delta=0.05)
            self.assertAlmostEqual(at(marks.below, marks, u, 0.0), below, delta=0.05)
        # exp(-(d/reach)²), to a texel
        self.assertAlmostEqual(at(marks.above, marks, 8.0, 0.0), np.exp(-1.0), delta=0.05)

    def test_a_cut_square_the_other_way_round(self):
        marks = marked(BOARD, [square(-1.0)], 2.0, closed=False)
        self.assertGreater(at(marks.below, marks, 9.8, 0), 0.95)
        self.assertEqual(at(marks.above, marks, 9.8, 0), 0.0)
        self.assertGreater(at(marks.above, marks, 10.2, 0), 0.95)

    def test_where_there_are_no_letters_there_is_nothing_to_follow(self):
        marks = marked(BOARD, [], 2.0, closed=False)
        self.assertEqual(float(marks.above.max()), 0.0)
        self.assertEqual(float(marks.below.max()), 0.0)

    def test_film_is_rubbed_but_holds_no_dirt(self):
        marks = marked(BOARD, [square(0.02)], 2.0, closed=False)
        self.assertGreater(at(marks.above, marks, 9.8, 0), 0.95)
        self.assertEqual(at(marks.below, marks, 10.3, 0), 0.0)

    def test_round_a_closed_side_there_is_no_end(self):
        marks = marked(BOARD, [square(1.0, 49.0)], 2.0, closed=True)
        self.assertGreater(at(marks.above, marks, -41.2, 0), 0.9)  # its right edge, come round
        self.assertLess(at(marks.above, marks, 49.8, 0), 1e-6)
        self.assertEqual(float(marks.above[:, 300].max()), 0.0)  # no rim above and below either

    def test_quick_ones_agree(self):
        fine = marked(BOARD, [square(1.0)], 4.0, closed=False)
        rough = marked(BOARD, [square(1.0)], 4.0, closed=False, detail=Detail.ROUGH)
        for u in (0.0, 7.0, 9.0, 12.0, 30.0):
            self.assertAlmostEqual(at(fine.above, fine, u, 3), at(rough.above, rough, u, 3), delta=0.12)


class Worn(unittest.TestCase):
    MARKS = marked(BOARD, [square(1.0)], 3.0, closed=False)

    def covers(self, finish, **wear):
        material = material_of(finish)
        return worn(material, bare_of(material), Wear(**wear), self.MARKS)

    def test_more_of_it_with_the_slider_and_none_at_nought(self):
        plain = material_of(Paint())
        self.assertEqual(worn(plain, bare_of(plain), Wear(), self.MARKS), plain)
        for name in ("rubbed", "dirt", "scratched"):
            means = [
                float(self.covers(Paint(), **{name: value}).covers[-1].amount.values.mean())
                for value in (10, 40, 80)
            ]
            self.assertEqual(means, sorted(means), name)
            self.assertGreater(means[-1], 2 * means[0], name)

    def test_dirt_stays_off_what_stands_proud(self):
        dirt = self.covers(Paint(), dirt=80).covers[-1].amount.values
        self.assertEqual(float(dirt[self.MARKS.above > 0.3].max()), 0.0)
        self.assertGreater(float(dirt[self.MARKS.below > 0.8].mean()), 0.4)
        rubbed = self.covers(Paint(), rubbed=60).covers[-1].amount.values
        self.assertEqual(float(rubbed[self.MARKS.below > 0.3].max()), 0.0)

    def test_another_seed_is_another_piece_as_worn(self):
        one, other = (self.covers(Paint(), rubbed=50, seed=s).covers[-1].amount.values for s in (1, 2))
        self.assertGreater(float(np.abs(one - other).max()), 0.4)
        self.assertAlmostEqual(float(one.mean() / other.mean()), 1.0, delta=0.15)

    def test_noise_is_as_strong_as_it_says(self):
        for percent in (1.0, 3.0, 5.0):
            tint = self.covers(Paint(), noise=percent).texture.tint
            self.assertAlmostEqual(float(tint.std() / tint.mean()), percent / 100, delta=0.002)
        # on a texture of its own it adds to what is there
        wood, plain = self.covers(Enamel(), noise=5.0).texture.tint, material_of(Enamel()).texture.tint
        self.assertGreater(float(wood.std(dtype=float)), float(plain.std(dtype=float)) + 0.02)

    def test_rubbed_metal_is_bright_and_without_its_patina(self):
        old = material_of(Copper(patina=60))
        bare = bare_of(old)
        self.assertEqual(bare.covers, ())
        self.assertEqual(bare.kind, "metal")
        self.assertLess(bare_of(material_of(Brass(polish="blasted"))).alpha, 0.2)
        made = worn(old, bare, Wear(rubbed=20, dirt=20, scratched=20), self.MARKS)
        self.assertEqual(len(made.covers), MOST_COVERS)


class OnPieces(unittest.TestCase):
    def test_letters_wear_down_to_their_ground(self):
        job = plaque_job("DOME", craft=Raised(height_mm=1.0))
        job = change(job, ("letterings", 0, "finish"), Paint(colour="#aa2020"))
        job = change(change(job, ("finish",), Brass()), ("wear", "rubbed"), 50.0)
        items = {item.name: item.material for item in scene_of_job(job).items}
        letters = next(m for name, m in items.items() if "lettering 1" in name)
        self.assertEqual(letters.covers[-1].material.base, material_of(Brass()).base)
        amount = letters.covers[-1].amount
        self.assertEqual(amount.size, tuple(np.ptp(np.array(bounds_of(job)).reshape(2, 2), axis=0)))

    def test_what_swells_round_pressed_letters_is_no_edge(self):
        job = plaque_job("I", craft=Pressed(depth_mm=0.8, soft_mm=1.0, swell=12))
        job = change(change(job, ("letterings", 0, "finish"), Paint()), ("wear", "rubbed"), 60.0)
        ground = next(i for i in scene_of_job(job).items if i.name == "front").material.covers[-1].amount
        region = lettering_laid(job, 0).layers[0].region
        left, low, _, _ = region.bounds  # its foot, which has a serif
        near = at(ground.values, ground, left - 0.5, low + 0.4)
        far = at(ground.values, ground, left - 2.9, low + 0.4)  # where the swelling ends
        self.assertGreater(near, far + 0.3)

    def test_every_slider_changes_the_scene_and_is_said(self):
        for job in (
            mug_job(
                "AB",
            ),
            plaque_job("AB", craft=Engraved(depth_mm=1)),
        ):
            job = change(
                job, ("letterings", 0, "craft"), Printed() if job.blank.kind == "mug" else Engraved()
            )
            before = [item.material for item in scene_of_job(job).items]
            for name, word in (
                ("rubbed", "rubbed"),
                ("dirt", "dirt"),
                ("scratched", "scratched"),
                ("noise", "uneven"),
            ):
                made = change(job, ("wear", name), 4.0)
                self.assertNotEqual([item.material for item in scene_of_job(made).items], before)
                self.assertIn(word, sentence(made, "finish", 0))

    def test_wear_moves_with_the_letters(self):
        job = plaque_job("I", craft=Raised(height_mm=1.0))
        job = change(job, ("wear", "rubbed"), 60.0)

        def middle(job):
            ground = next(i for i in scene_of_job(job).items if i.name == "front lettering 1").material
            values = ground.covers[-1].amount.values
            rows, columns = (n // 8 for n in values.shape)
            inside = values[rows:-rows, columns:-columns]  # clear of the rim
            return float((inside.sum(axis=0) * np.arange(inside.shape[1])).sum() / inside.sum())

        moved = change(job, ("letterings", 0, "lay", "along_mm"), 30.0)
        width = bounds_of(job)
        texels = 30.0 / (width[2] - width[0]) * 1280
        self.assertAlmostEqual(middle(moved) - middle(job), texels, delta=0.12 * texels)


if __name__ == "__main__":
    unittest.main()
