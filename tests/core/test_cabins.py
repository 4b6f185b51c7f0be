"""What is seen through the glass of vehicles: where it is, that light gets there, that no solid has it."""

import unittest

import numpy as np
from scipy import integrate

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.body import BEHIND
from kilnchisel.core.blanks.coarse import sampled
from kilnchisel.core.blanks.vehicles.fittings import wipers
from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.material import GLASS_IOR
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Glass, Paint
from kilnchisel.core.job.fresh import job_on
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Van
from kilnchisel.core.picture.gather import NOTHING, SLOTS, gather, panes_of, through_panes, trace, tracer_of

GLAZED = (
    Van(),
    Van(windows="minibus", length_mm=6500, height_mm=2700),
    Van(length_mm=3800, height_mm=1700, width_mm=1500),
    Hatchback(),
    Hatchback(length_mm=3200, width_mm=1500, height_mm=1380),
    Coach(length_mm=8600, height_mm=3000),
    BoxTruck(),
)
WAYS = np.concatenate([np.eye(3), -np.eye(3)]).astype(np.float32)


def behind(body):
    """The points of what is behind a body's glass, (n, 3)."""
    shells = [shell for shell in body.shells if shell.solid.startswith(BEHIND)]
    return np.concatenate([shell.mesh.points for shell in shells])


class Cabins(unittest.TestCase):
    def test_what_is_in_one_stays_in_it(self):
        """Whichever way one looks from a place in a cabin, one sees the body."""
        for vehicle in GLAZED:
            with self.subTest(vehicle=vehicle):
                body = body_of(vehicle)
                shells = [(s.mesh.points, s.mesh.faces) for s in body.shells if s.solid == "body"]
                sheets = [(sampled(s)[2].reshape(-1, 3), None) for s in body.sheets if s.solid == "body"]
                tracer, points = tracer_of(shells + sheets), behind(body).astype(np.float32)
                for way in WAYS:
                    met = np.asarray(tracer.run(points, np.tile(way, (len(points), 1))))
                    self.assertGreaterEqual(int(met.min()), 0, way)

    def test_no_solid_has_it(self):
        piece = piece_of(job_on(Hatchback(), "car", ""))
        self.assertIn("seats", {part.name for part in piece.parts})
        there = {piece.parts[number].name for number in np.unique(solid_of(piece)[2])}
        self.assertIn("left side", there)
        self.assertFalse(there & {"seats", "dashboard", "steering wheel"})

    def test_panels_are_lined_where_one_looks_in(self):
        job = job_on(Hatchback(), "car", "TARN")
        inside = [item for item in scene_of_job(job).items if item.name.endswith(", inside")]
        panes = [item for item in inside if item.material.kind == "glass"]
        self.assertGreaterEqual(len(panes), 4)  # both sides, both screens
        self.assertGreater(len(inside), 2 * len(panes))
        for dark in (
            change(job, ("detail_finish",), Paint(colour="#1b1f22")),
            job_on(Aeroplane(), "a", ""),
        ):
            self.assertFalse([i for i in scene_of_job(dark).items if i.name.endswith(", inside")])

    def test_wipers_end_on_their_glass(self):
        for vehicle in GLAZED:
            with self.subTest(vehicle=vehicle):
                body = body_of(vehicle)
                sheet = body.sheet("windscreen")
                made = wipers(vehicle.width_mm, sheet.side, 0.36, detail=Detail.FINE)
                points, glass = np.concatenate([s.mesh.points for s in made]), sampled(sheet)[0]
                about = (glass[:, 2] > points[:, 2].min() - 20) & (glass[:, 2] < points[:, 2].max() + 20)
                for way in (-1, 1):
                    self.assertLess((way * points[:, 1]).max(), (way * glass[about, 1]).max())

    def test_light_gets_in_through_panes(self):
        scene = scene_of_job(job_on(Hatchback(), "car", ""), detail=Detail.ROUGH)
        self.assertIn("detail", panes_of(scene))
        sky = []
        for panes in (panes_of(scene), frozenset()):
            hits = trace(scene.proxy, scene.stance, scene.base, scene.middle, scene.radius_mm, 64, panes)
            seats = np.flatnonzero(hits.slot == SLOTS["seat"])
            self.assertGreater(len(seats), 20)
            sky.append(float((hits.kind[seats] == NOTHING).mean()))
        self.assertGreater(sky[0], 0.05)
        self.assertLess(sky[1], 0.01)

    def test_panes_let_through_what_fresnel_says(self):
        """Of even light, both faces of clear glass, each way of polarisation by itself, no absorption; its
        tint by what 10 mm of it keep, to half that thickness."""

        def passed(cosine):
            within = np.sqrt(1 - (1 - cosine**2) / GLASS_IOR**2)
            s = (cosine - GLASS_IOR * within) / (cosine + GLASS_IOR * within)
            p = (GLASS_IOR * cosine - within) / (GLASS_IOR * cosine + within)
            return cosine * sum((1 - r) / (1 + r) for r in (s**2, p**2))

        wanted = integrate.quad(passed, 0, 1)[0]
        job = job_on(Van(), "van", "")
        for colour in ("#ffffff", "#808080"):
            scene = scene_of_job(change(job, ("detail_finish",), Glass(colour=colour)), detail=Detail.ROUGH)
            tint = scene.slots["detail"].base[0]
            self.assertAlmostEqual(through_panes(scene), wanted * np.sqrt(tint), delta=0.005)
        self.assertEqual(
            through_panes(scene_of_job(job_on(Aeroplane(), "a", ""), detail=Detail.ROUGH)), 1.0
        )

    def test_light_behind_panes_is_less_by_what_they_keep(self):
        """With panes that let half through what comes straight from outside is half, and no more of what
        comes back out."""
        scene = scene_of_job(job_on(Hatchback(), "car", ""), detail=Detail.ROUGH)
        panes = panes_of(scene)
        hits = trace(scene.proxy, scene.stance, scene.base, scene.middle, scene.radius_mm, 64, panes)
        albedos = np.zeros((len(SLOTS) + 1, 3))  # black: no light goes on
        clear, half = (
            gather(hits, scene.draft_room, None, albedos, np.zeros(3), share) for share in (1.0, 0.5)
        )
        within = hits.behind & (clear.light.sum(axis=1) > 1e-6)
        self.assertGreater(int(within.sum()), 20)
        np.testing.assert_allclose(half.light[within], 0.5 * clear.light[within], rtol=1e-5)
        np.testing.assert_allclose(half.light[~hits.behind], clear.light[~hits.behind], rtol=1e-5)
        white = np.full((len(SLOTS) + 1, 3), 0.8)
        clear, half = (
            gather(hits, scene.draft_room, None, white, np.zeros(3), share) for share in (1.0, 0.5)
        )
        outside, inside = ~hits.behind, within
        self.assertLess(half.light[inside].mean() / clear.light[inside].mean(), 0.55)
        self.assertTrue(0.9 < half.light[outside].mean() / clear.light[outside].mean() <= 1.0)
