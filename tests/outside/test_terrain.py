"""Banks as solids by a second library, and as ground: level where they end, the same for a seed."""

import json
import unittest
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.terrain import level_of_bank
from kilnchisel.core.build import scene_of_job
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Raised, Standing
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import VERSION, open_job
from kilnchisel.core.job.fresh import fresh_job
from tests.outside.test_blanks import job_on, mesh_of

GROUNDS = (
    Bank(),
    Bank(seed=0),
    Bank(seed=7, stones=100, bushes=100),
    Bank(seed=3, width_mm=120_000, deep_mm=60_000, rise_mm=40_000, rough_mm=1500),
    Bank(seed=2, width_mm=500, deep_mm=500, rise_mm=50, rough_mm=0, stones=0, bushes=0),
    Bank(seed=5, heights=((0, 300, 0), (200, 900, -200))),
)


class Grounds(unittest.TestCase):
    def test_they_close(self):
        for bank in GROUNDS:
            for text in ("", "TARN"):
                with self.subTest(bank=bank, text=text):
                    cap = min(0.04 * bank.width_mm, 3000.0)
                    mesh = mesh_of(job_on(bank, "slope", text, cap, Raised(height_mm=min(0.1 * cap, 90.0))))
                    self.assertTrue(mesh.is_watertight)
                    self.assertGreater(mesh.volume, 0)

    def test_they_end_on_level_ground_all_round(self):
        for bank in GROUNDS:
            if bank.seed == 0:
                continue
            land = next(shell.mesh for shell in body_of(bank).shells if shell.name == "land")
            low, high = land.points[:, :2].min(axis=0), land.points[:, :2].max(axis=0)
            rim = (np.abs(land.points[:, :2] - low) < 1e-6) | (np.abs(land.points[:, :2] - high) < 1e-6)
            np.testing.assert_allclose(land.points[rim.any(axis=1), 2], 4.0, atol=1e-6)

    def test_as_high_as_they_say(self):
        bank = Bank(rough_mm=0)
        side = body_of(bank).sheet("slope").side
        _, low, _, high = side.domain.bounds
        top = side.to_body(np.array([[0.0, high]]), np.zeros(1))[0, 2]
        foot = side.to_body(np.array([[0.0, low]]), np.zeros(1))[0, 2]
        self.assertAlmostEqual(top - foot, bank.rise_mm, delta=1.0)
        self.assertAlmostEqual(foot, level_of_bank(bank), delta=1.0)

    def test_a_seed_is_a_ground(self):
        def heights(seed):
            side = body_of(Bank(seed=seed)).sheet("slope").side
            spots = np.random.default_rng(0).uniform(-4000, 4000, (60, 2))
            return side.to_body(spots, np.zeros(60))[:, 2]

        np.testing.assert_array_equal(heights(4), heights(4))
        self.assertGreater(np.abs(heights(4) - heights(5)).max(), 50.0)

    def test_letters_stand_clear_of_what_grows(self):
        for seed in range(1, 7):
            bank = Bank(seed=seed, stones=100, bushes=100)
            body = body_of(bank)
            low_u, _, high_u, _ = body.sheet("slope").side.domain.bounds
            for shell in body.shells:
                if shell.name in ("stones", "bush cores", "bush leaves"):
                    x, y, _ = shell.mesh.points.T
                    on = (np.abs(x) < 0.3 * (high_u - low_u)) & (np.abs(y) < 0.3 * bank.deep_mm)
                    self.assertFalse(on.any(), (seed, shell.name))

    def test_upright_letters_on_uneven_ground(self):
        job = job_on(
            Bank(seed=3, rough_mm=900), "slope", "TARN", 900.0, Standing(upright=True, thickness_mm=80)
        )
        self.assertTrue(any("lettering 1" in item.name for item in scene_of_job(job).items))
        self.assertTrue(mesh_of(job).is_watertight)

    def test_its_turf_is_that_of_the_meadow(self):
        scene = scene_of_job(fresh_job("bank", ""))
        slope = next(item for item in scene.items if item.name == "slope")
        np.testing.assert_allclose(slope.material.base, scene.base.material.base, rtol=1e-6)
        darker = change(fresh_job("bank", ""), ("finish", "colour"), "#33451f")
        slope = next(item for item in scene_of_job(darker).items if item.name == "slope")
        self.assertLess(max(slope.material.base), 0.6 * max(scene.base.material.base))

    def test_banks_of_older_files_stay_as_they_were(self):
        with TemporaryDirectory() as folder:
            path = Path(folder) / "a.kcj"
            for version, seed in ((8, 0), (VERSION, 1)):
                document = {
                    "format": "kilnchisel job",
                    "version": version,
                    "job": {"blank": {"kind": "bank"}},
                }
                with zipfile.ZipFile(path, "w") as archive:
                    archive.writestr("job.json", json.dumps(document))
                self.assertEqual(open_job(path).blank.seed, seed)
