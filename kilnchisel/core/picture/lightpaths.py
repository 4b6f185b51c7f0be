"""Paths of light through a loaded scene, a whole wave of them at once.

By multiple importance sampling of lights and surfaces (Veach and Guibas 1995), ended by chance from
``ROULETTE`` bounces on (Arvo and Kirk 1990). It differs from the tracer's own in what the first surface is
asked for: lights that are set up are looked through, what shines by itself is seen, and the guides of the
denoiser come with the light at no further cost.

Import it where the tracer's variant has been set: it is compiled for that.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import drjit as dr
import mitsuba as mi

ROULETTE = 3  # in white surroundings a sixth quicker than the tracer's usual 5
SURELY = 0.95  # the most that a path goes on with


@dataclass(frozen=True)
class Wave:
    """What rays bring back: their light; whether they meet something; what it is that they meet first, and
    which of that shines."""

    light: Any
    met: Any
    first: Any
    lamp: Any

    def guides(self) -> list[Any]:
        """Albedo and normal of the surfaces that are met first, six values."""
        albedo = self.first.bsdf().eval_diffuse_reflectance(self.first, self.met)
        normal = self.first.sh_frame.n
        values = [albedo.x, albedo.y, albedo.z, normal.x, normal.y, normal.z]
        return [dr.select(self.met, value, 0) for value in values]


@dr.syntax
def wave(scene: Any, sampler: Any, ray: Any, depth: Any, panels: list[Any]) -> Wave:
    """Follow rays for up to ``depth`` surfaces. ``panels``: emitters of the lights that are set up."""
    ray = mi.Ray3f(ray)
    found = scene.ray_intersect_preliminary(ray, coherent=True)
    if dr.hint(len(panels) > 0, mode="scalar"):
        before = found.is_valid() & _among(found.shape.emitter(), panels)
        while dr.hint(before, max_iterations=len(panels) + 1):
            there = found.compute_surface_interaction(ray, mi.RayFlags.Minimal, before)
            ray = dr.select(before, there.spawn_ray(ray.d), ray)
            beyond = scene.ray_intersect_preliminary(ray, coherent=True, active=before)
            found = dr.select(before, beyond, found)
            before &= found.is_valid() & _among(found.shape.emitter(), panels)
    first = found.compute_surface_interaction(ray, mi.RayFlags.All)
    met = found.is_valid()
    emitter = first.emitter(scene)
    sent = emitter.eval(first, met)
    lamp = met & (dr.max(sent) > 0)

    light = dr.select(lamp, sent, mi.Color3f(0))
    carried, bent = _colour(1.0), mi.Float(1)
    number = mi.UInt32(0)
    active = met & ~lamp
    before_this = dr.zeros(mi.SurfaceInteraction3f)
    likely, mirrored = mi.Float(1), mi.Bool(True)  # noqa: FBT003 - a value of many
    context = mi.BSDFContext()
    while dr.hint(active, max_iterations=64, label="light paths"):
        here = found.compute_surface_interaction(ray, mi.RayFlags.All, active)
        # light that shines from here, against having been asked for by itself
        source = mi.DirectionSample3f(scene, si=here, ref=before_this)
        asked = scene.pdf_emitter_direction(before_this, source, ~mirrored & active)
        light += dr.select(
            active & (number > 0), carried * _share(likely, asked) * source.emitter.eval(here, active), 0
        )
        # light asked for, and the way on
        on = active & here.is_valid() & (number + 1 < depth)
        surface = here.bsdf()
        lit = on & mi.has_flag(surface.flags(), mi.BSDFFlags.Smooth)
        source, sent = scene.sample_emitter_direction(here, sampler.next_2d(), active=lit)
        lit &= source.pdf != 0
        value, chance, step, weight = surface.eval_pdf_sample(
            context, here, here.to_local(source.d), sampler.next_1d(), sampler.next_2d(), on
        )
        once = dr.select(source.delta, 1, _share(source.pdf, chance))
        light += dr.select(lit, carried * value * sent * once, 0)
        ray = here.spawn_ray(here.to_world(step.wo))
        carried *= weight
        bent *= step.eta
        best = dr.max(carried)
        keep = dr.minimum(best * bent * bent, SURELY)
        late = number + 1 >= ROULETTE
        active = on & (best != 0) & (~late | (sampler.next_1d() < keep))
        carried *= dr.select(late, dr.rcp(keep), 1)
        before_this, likely = here, step.pdf
        mirrored = mi.has_flag(step.sampled_type, mi.BSDFFlags.Delta)
        number += 1
        found = scene.ray_intersect_preliminary(ray, coherent=False, active=active)
    return Wave(light, met, first, lamp)


def _colour(value: float) -> Any:
    return mi.Color3f(value)


def _among(emitter: Any, panels: list[Any]) -> Any:
    found = mi.Bool(False)  # noqa: FBT003 - a value of many
    for panel in panels:
        found |= emitter == panel
    return found


def _share(one: Any, other: Any) -> Any:
    """The power heuristic's share of the first of two ways to have come by a direction."""
    share = one * one / (one * one + other * other)
    return dr.select(dr.isfinite(share), share, 0)
