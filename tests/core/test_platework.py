"""Number plates: what is written on them, in the middle, right way round, on every vehicle's both ends."""

import unittest

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import piece_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Plastic
from kilnchisel.core.job.fresh import REGISTRATION, fresh_job, with_blank
from kilnchisel.core.job.model import Job, Plates
from kilnchisel.core.job.vehicles import WITH_PLATES
from kilnchisel.core.job.words.differences import differences
from kilnchisel.core.lists.filling import filled
from kilnchisel.core.scene.materials import material_of_part
from kilnchisel.core.scene.platework import DARK, PALE, plated


def plates_of(blank):
    """The plates of a vehicle's rough body: the mesh, and whether it is the rear one."""
    body = body_of(blank, detail=Detail.ROUGH)
    found = [(shell.mesh, True) for shell in body.shells if shell.slot == "number plate"]
    for sheet in body.sheets:
        for inset in sheet.insets:
            if inset.slot == "number plate":
                left, low, right, high = inset.area.bounds
                uv = np.array([(left, low), (right, low), (right, high), (left, high)])
                found.append((OnSheet(uv, sheet.side), sheet.side.name != "nose"))
    return found


class OnSheet:
    """The corners of a plate that is let into a side, as its mesh has them."""

    def __init__(self, uv, side):
        self.uv, self.points = uv, side.to_body(uv, np.zeros(len(uv)))
        ahead = np.sign(self.points[:, :1].mean())
        self.normals = np.tile((ahead, 0.0, 0.0), (len(uv), 1))


class Written(unittest.TestCase):
    def test_every_vehicle_has_two_that_read_right(self):
        """From outside u runs to the right: up x outward."""
        for blank in (kind() for kind in WITH_PLATES):
            found = plates_of(blank)
            self.assertEqual(sorted(rear for _, rear in found), [False, True], blank.kind)
            for mesh, rear in found:
                with self.subTest(blank.kind, rear=rear):
                    facing = mesh.normals[:, 0] * (1 if rear else -1) > 0.7
                    points, uv = mesh.points[facing], mesh.uv[facing]
                    right = 1.0 if rear else -1.0  # of y: the nose looks to -x, the rear to +x
                    self.assertGreater(np.corrcoef(right * points[:, 1], uv[:, 0])[0, 1], 0.99)
                    self.assertGreater(np.corrcoef(points[:, 2], uv[:, 1])[0, 1], 0.95)
                    self.assertAlmostEqual(np.ptp(uv[:, 0]), 520.0, delta=6.0)
                    amount = plated(Plates(registration="L"), mesh, rear=rear).covers[0].amount
                    np.testing.assert_allclose(amount.corner, uv.min(axis=0), atol=0.06)
                    np.testing.assert_allclose(amount.size, np.ptp(uv, axis=0), atol=0.11)

    def amount(self, words):
        mesh, _ = plates_of(WITH_PLATES[0]())[0]
        return plated(Plates(registration=words), mesh, rear=False).covers[0].amount

    def test_letters_stand_in_the_middle_as_tall_as_on_plates(self):
        """Capitals of 70 to 80 mm on a plate of 110 mm: common practice."""
        amount = self.amount("HH 11")
        rows, columns = (np.flatnonzero(amount.values.max(axis=axis) > 0.5) for axis in (1, 0))
        per = amount.values.shape[0] / amount.size[1]
        self.assertTrue(70 <= len(rows) / per <= 80, len(rows) / per)
        for found, size in ((rows, amount.values.shape[0]), (columns, amount.values.shape[1])):
            self.assertAlmostEqual((found[0] + found[-1]) / 2, (size - 1) / 2, delta=2.0)

    def test_an_l_has_its_foot_below_and_its_stem_to_the_left(self):
        values = self.amount("L").values
        rows, columns = (np.flatnonzero(values.max(axis=axis) > 0.5) for axis in (1, 0))
        ink = values[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
        high, wide = ink.shape
        self.assertGreater(ink[: high // 8].mean(), 0.95)  # row 0 is below
        self.assertGreater(ink[:, : wide // 8].mean(), 0.95)
        self.assertLess(ink[high // 2 :, wide // 2 :].mean(), 0.05)

    def test_many_letters_are_narrowed_to_the_plate(self):
        values = self.amount("WWWWWWWWWW").values
        columns = np.flatnonzero(values.max(axis=0) > 0.5)
        self.assertTrue(0.9 < (columns[-1] - columns[0]) / values.shape[1] < 0.93)

    def test_colours(self):
        mesh, _ = plates_of(WITH_PLATES[0]())[0]
        plates = Plates(registration="TO 1", colour="#101418", rear_colour="#f2c519")
        front, rear = (plated(plates, mesh, rear=rear) for rear in (False, True))
        self.assertEqual(front.covers[0].material, material_of(PALE))
        self.assertEqual(rear.covers[0].material, material_of(DARK))
        self.assertLess(max(front.base), 0.02)
        self.assertGreater(rear.base[0], 4 * rear.base[2])
        self.assertEqual(plated(Plates(), mesh, rear=False).covers, ())
        self.assertIs(plated(plates, mesh, rear=True), rear)  # the same one: nothing goes to the card again


class InAJob(unittest.TestCase):
    def test_capitals_and_nothing_else(self):
        self.assertEqual(Plates(registration="tö 1-2").registration, "TÖ 1-2")
        job = fresh_job("van")
        for words, says in (("TA_N", "“_” cannot be on a number plate"), ("X" * 11, "the most is 10")):
            with self.assertRaisesRegex(KilnError, says):
                change(job, ("plates", "registration"), words)

    def test_new_vehicles_have_one_old_jobs_none(self):
        for kind, model in KINDS.items():
            words = REGISTRATION if model in WITH_PLATES else ""
            self.assertEqual(fresh_job(kind).plates.registration, words, kind)
        self.assertEqual(Job(blank=KINDS["van"]()).plates.registration, "")
        self.assertEqual(with_blank(fresh_job("mug"), "coach").plates.registration, REGISTRATION)
        own = change(fresh_job("van"), ("plates", "registration"), "TO 1897")
        self.assertEqual(with_blank(own, "coach").plates.registration, "TO 1897")
        self.assertIn("registration", " ".join(differences(fresh_job("van"), own)).lower())

    def test_in_a_photo_that_shows_the_vehicle_it_is_as_the_photo_has_it(self):
        """There all of the blank is of one material, that of the photo."""
        job, photo = fresh_job("van"), material_of(Plastic(colour="#806040"))
        parts = [p for p in piece_of(job, detail=Detail.ROUGH).parts if p.role == "number plate"]
        self.assertEqual(len(parts), 2)
        for part in parts:
            own = material_of_part(job, part, {"number plate": material_of(PALE), "blank": photo}, {}, {})
            self.assertIn(material_of(DARK), [cover.material for cover in own.covers])
            same = {"number plate": photo, "blank": photo}
            shown = material_of_part(job, part, same, {}, {})
            self.assertEqual(shown.base, photo.base)
            self.assertNotIn(material_of(DARK), [cover.material for cover in shown.covers])

    def test_a_fleet_from_a_list(self):
        made = filled(fresh_job("van"), {"plates.registration": "to 7"}, 1).job
        self.assertEqual(made.plates.registration, "TO 7")


if __name__ == "__main__":
    unittest.main()
