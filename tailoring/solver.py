"""Cloth of particles by extended position-based dynamics, many small steps with one pass each.

Macklin, Müller and Chentanez 2016 (XPBD), Macklin et al. 2019 (small steps); the bending of a hinge by its
angle after Müller et al. 2007. SI units within but for lengths, which are mm.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tailoring.mannequin import distance

Array = NDArray[Any]

GRAVITY = 9810.0  # mm/s²
SLIDES = 0.2  # of the friction at the hips, that at the shoulders
BEND_EVERY = 4  # steps
SHARPEST = 1.2  # rad: a hinge bent farther is not pushed back any harder


class Springs(NamedTuple):
    """``mass_inv`` (n,), 1/kg; ``edges`` (e, 2) with their ``length`` (e,) at rest and one ``slack`` for
    all; ``hinges`` (h, 4) with what each gives, ``give`` (h,): compliances over the square of a step."""

    mass_inv: Array
    edges: Array
    length: Array
    slack: float
    hinges: Array
    give: Array


class Touching(NamedTuple):
    """What may touch: ``pairs`` (k, 2) of particles that are to stay ``apart`` (k,) mm; ``above`` (t, 4): a
    particle and the three of a triangle it is to stay ``gap`` mm off, on the ``side`` (t,) where its
    normal looks or the other (1 or -1), ``weights`` (t, 3): where on it."""

    pairs: Array
    apart: Array
    above: Array
    side: Array
    weights: Array
    gap: float


class Around(NamedTuple):
    """What the cloth is kept off: a trunk (rows of ``posed``, none for none), limbs, both flattened to the
    share ``deep``; a table at y = ``table``. ``skin``: how far the middle of the cloth keeps off, mm;
    ``rub``: friction; ``fall`` (3,): what pulls at it, mm/s²."""

    torso: Array
    limbs: Array
    deep: float
    table: float
    skin: float
    rub: float
    fall: Array


class Pace(NamedTuple):
    """``dt``: a step, s; ``number`` of them; what is left of a speed after each, ``drag``; how much of what
    neighbours differ in is lost at each second one, ``inner``."""

    dt: float
    number: int
    drag: float
    inner: float


NO_TABLE = 1e9
NO_BODY = np.zeros((0, 6))
NO_LIMBS = np.zeros((0, 4, 4))


@njit(cache=True, fastmath=True)
def stretch(x, mass_inv, edges, length, give, backward):  # type: ignore[no-untyped-def]
    """Bring edges to their lengths; ``give``: compliance over the step squared."""
    count = len(edges)
    for number in range(count):
        e = count - 1 - number if backward else number
        i, j = edges[e, 0], edges[e, 1]
        dx, dy, dz = x[i, 0] - x[j, 0], x[i, 1] - x[j, 1], x[i, 2] - x[j, 2]
        now = np.sqrt(dx * dx + dy * dy + dz * dz) + 1e-9
        w = mass_inv[i] + mass_inv[j]
        s = -(now - length[e]) / (now * (w + give))
        a, b = s * mass_inv[i], s * mass_inv[j]
        x[i, 0] += a * dx
        x[i, 1] += a * dy
        x[i, 2] += a * dz
        x[j, 0] -= b * dx
        x[j, 1] -= b * dy
        x[j, 2] -= b * dz


@njit(cache=True, fastmath=True)
def draw_in(x, edges, length, passes):  # type: ignore[no-untyped-def]
    """Bring edges to their lengths by moving particles level only: in (x, z), in place."""
    for number in range(passes):
        for at in range(len(edges)):
            e = len(edges) - 1 - at if number % 2 else at
            i, j = edges[e, 0], edges[e, 1]
            dx, dy, dz = x[i, 0] - x[j, 0], x[i, 1] - x[j, 1], x[i, 2] - x[j, 2]
            level = np.sqrt(dx * dx + dz * dz) + 1e-9
            wanted = np.sqrt(max(length[e] ** 2 - dy * dy, (0.3 * length[e]) ** 2))
            s = 0.5 * (wanted - level) / level
            x[i, 0] += s * dx
            x[i, 2] += s * dz
            x[j, 0] -= s * dx
            x[j, 2] -= s * dz


@njit(cache=True, fastmath=True)
def bend(x, mass_inv, hinges, give):  # type: ignore[no-untyped-def]
    """Bring hinges flat; ``give`` (h,): compliance over the step squared, 1/N per rad² over s²."""
    for h in range(len(hinges)):
        a, b, c, d = hinges[h, 0], hinges[h, 1], hinges[h, 2], hinges[h, 3]
        ex, ey, ez = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        cx, cy, cz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        dx, dy, dz = x[d, 0] - x[a, 0], x[d, 1] - x[a, 1], x[d, 2] - x[a, 2]
        # normals of both triangles, turned alike
        mx, my, mz = ey * cz - ez * cy, ez * cx - ex * cz, ex * cy - ey * cx
        nx, ny, nz = dy * ez - dz * ey, dz * ex - dx * ez, dx * ey - dy * ex
        mm, nn = mx * mx + my * my + mz * mz, nx * nx + ny * ny + nz * nz
        le = np.sqrt(ex * ex + ey * ey + ez * ez)
        if mm < 1e-6 or nn < 1e-6 or le < 1e-4:
            continue
        cosine = (mx * nx + my * ny + mz * nz) / np.sqrt(mm * nn)
        # which way it is bent
        sine = ((my * nz - mz * ny) * ex + (mz * nx - mx * nz) * ey + (mx * ny - my * nx) * ez) / (
            np.sqrt(mm * nn) * le
        )
        angle = np.arctan2(sine, cosine)
        if abs(angle) < 1e-5:
            continue
        angle = min(max(angle, -SHARPEST), SHARPEST)
        # the gradient of the angle (Bridson 2003)
        pc, pd = le / mm, le / nn
        tc = (cx * ex + cy * ey + cz * ez) / (le * le)
        td = (dx * ex + dy * ey + dz * ez) / (le * le)
        gcx, gcy, gcz = -pc * mx, -pc * my, -pc * mz
        gdx, gdy, gdz = -pd * nx, -pd * ny, -pd * nz
        gax = -(1 - tc) * gcx - (1 - td) * gdx
        gay = -(1 - tc) * gcy - (1 - td) * gdy
        gaz = -(1 - tc) * gcz - (1 - td) * gdz
        gbx = -tc * gcx - td * gdx
        gby = -tc * gcy - td * gdy
        gbz = -tc * gcz - td * gdz
        w = (
            mass_inv[a] * (gax * gax + gay * gay + gaz * gaz)
            + mass_inv[b] * (gbx * gbx + gby * gby + gbz * gbz)
            + mass_inv[c] * (gcx * gcx + gcy * gcy + gcz * gcz)
            + mass_inv[d] * (gdx * gdx + gdy * gdy + gdz * gdz)
        )
        s = -angle / (w + give[h])
        x[a, 0] += s * mass_inv[a] * gax
        x[a, 1] += s * mass_inv[a] * gay
        x[a, 2] += s * mass_inv[a] * gaz
        x[b, 0] += s * mass_inv[b] * gbx
        x[b, 1] += s * mass_inv[b] * gby
        x[b, 2] += s * mass_inv[b] * gbz
        x[c, 0] += s * mass_inv[c] * gcx
        x[c, 1] += s * mass_inv[c] * gcy
        x[c, 2] += s * mass_inv[c] * gcz
        x[d, 0] += s * mass_inv[d] * gdx
        x[d, 1] += s * mass_inv[d] * gdy
        x[d, 2] += s * mass_inv[d] * gdz


@njit(cache=True, fastmath=True)
def off(x, y, z, around):  # type: ignore[no-untyped-def]
    """How far a spot is outside of all that the cloth is kept off, mm."""
    away = distance(x, y, z, around.torso, around.limbs, around.deep)
    return min(away, around.table - y) - around.skin


@njit(cache=True, fastmath=True)
def keep_out(x, before, mass_inv, around):  # type: ignore[no-untyped-def]
    """Push particles that move out of the body and hold them back along it by friction."""
    worn = len(around.torso) > 0
    high, beside = (0.25 * around.torso[-1, 0], 1.4 * around.torso[0, 1]) if worn else (0.0, 0.0)
    e = 0.5
    for i in range(len(x)):
        if mass_inv[i] == 0:
            continue
        px, py, pz = x[i, 0], x[i, 1], x[i, 2]
        away = off(px, py, pz, around)
        if away >= 0:
            continue
        gx = off(px + e, py, pz, around) - away
        gy = off(px, py + e, pz, around) - away
        gz = off(px, py, pz + e, around) - away
        long = np.sqrt(gx * gx + gy * gy + gz * gz) + 1e-12
        gx, gy, gz = gx / long, gy / long, gz / long
        push = -away
        x[i, 0] += push * gx
        x[i, 1] += push * gy
        x[i, 2] += push * gz
        vx, vy, vz = x[i, 0] - before[i, 0], x[i, 1] - before[i, 1], x[i, 2] - before[i, 2]
        vn = vx * gx + vy * gy + vz * gz
        tx, ty, tz = vx - vn * gx, vy - vn * gy, vz - vn * gz
        slide = np.sqrt(tx * tx + ty * ty + tz * tz) + 1e-12
        share = 1.0
        if worn:  # cloth lies on the hips, and has to slide over moving shoulders and arms
            share = min(max((high - pz) / 150.0, SLIDES), 1.0) if abs(px) < beside else SLIDES
        hold = min(around.rub * share * push / slide, 1.0)
        x[i, 0] -= hold * tx
        x[i, 1] -= hold * ty
        x[i, 2] -= hold * tz


@njit(cache=True, fastmath=True)
def keep_apart(x, before, mass_inv, pairs, apart, rub):  # type: ignore[no-untyped-def]
    """Hold particles of different folds ``apart`` (k,) mm, with friction between them."""
    for k in range(len(pairs)):
        i, j = pairs[k, 0], pairs[k, 1]
        dx, dy, dz = x[i, 0] - x[j, 0], x[i, 1] - x[j, 1], x[i, 2] - x[j, 2]
        d2 = dx * dx + dy * dy + dz * dz
        reach = apart[k]
        if d2 >= reach * reach or d2 < 1e-12:
            continue
        now = np.sqrt(d2)
        w = mass_inv[i] + mass_inv[j]
        if w == 0:
            continue
        s = 0.5 * (reach - now) / (now * w)
        a, b = s * mass_inv[i], s * mass_inv[j]
        x[i, 0] += a * dx
        x[i, 1] += a * dy
        x[i, 2] += a * dz
        x[j, 0] -= b * dx
        x[j, 1] -= b * dy
        x[j, 2] -= b * dz
        vx = (x[i, 0] - before[i, 0]) - (x[j, 0] - before[j, 0])
        vy = (x[i, 1] - before[i, 1]) - (x[j, 1] - before[j, 1])
        vz = (x[i, 2] - before[i, 2]) - (x[j, 2] - before[j, 2])
        f = 0.5 * rub * mass_inv[i] / w
        g = 0.5 * rub * mass_inv[j] / w
        x[i, 0] -= f * vx
        x[i, 1] -= f * vy
        x[i, 2] -= f * vz
        x[j, 0] += g * vx
        x[j, 1] += g * vy
        x[j, 2] += g * vz


@njit(cache=True, fastmath=True)
def keep_above(x, before, mass_inv, touching, rub):  # type: ignore[no-untyped-def]
    """Hold particles on their side of the triangles of other layers, with friction between them."""
    for k in range(len(touching.above)):
        i, a, b, c = touching.above[k, 0], touching.above[k, 1], touching.above[k, 2], touching.above[k, 3]
        u, v, w = touching.weights[k, 0], touching.weights[k, 1], touching.weights[k, 2]
        ex, ey, ez = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        fx, fy, fz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        nx, ny, nz = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        long = touching.side[k] / (np.sqrt(nx * nx + ny * ny + nz * nz) + 1e-12)
        nx, ny, nz = nx * long, ny * long, nz * long
        rx = x[i, 0] - (u * x[a, 0] + v * x[b, 0] + w * x[c, 0])
        ry = x[i, 1] - (u * x[a, 1] + v * x[b, 1] + w * x[c, 1])
        rz = x[i, 2] - (u * x[a, 2] + v * x[b, 2] + w * x[c, 2])
        short = touching.gap - (rx * nx + ry * ny + rz * nz)
        if short <= 0:
            continue
        mi = mass_inv[i]
        all_ = mi + u * u * mass_inv[a] + v * v * mass_inv[b] + w * w * mass_inv[c]
        if all_ == 0:
            continue
        s = short / all_
        # what they move along one another, less what they move apart
        tx = (x[i, 0] - before[i, 0]) - (
            u * (x[a, 0] - before[a, 0]) + v * (x[b, 0] - before[b, 0]) + w * (x[c, 0] - before[c, 0])
        )
        ty = (x[i, 1] - before[i, 1]) - (
            u * (x[a, 1] - before[a, 1]) + v * (x[b, 1] - before[b, 1]) + w * (x[c, 1] - before[c, 1])
        )
        tz = (x[i, 2] - before[i, 2]) - (
            u * (x[a, 2] - before[a, 2]) + v * (x[b, 2] - before[b, 2]) + w * (x[c, 2] - before[c, 2])
        )
        along = tx * nx + ty * ny + tz * nz
        tx, ty, tz = tx - along * nx, ty - along * ny, tz - along * nz
        slide = np.sqrt(tx * tx + ty * ty + tz * tz) + 1e-12
        hold = min(rub * short / slide, 1.0) / all_
        px, py, pz = s * nx - hold * tx, s * ny - hold * ty, s * nz - hold * tz
        x[i, 0] += mi * px
        x[i, 1] += mi * py
        x[i, 2] += mi * pz
        for j, share in ((a, u), (b, v), (c, w)):
            m = share * mass_inv[j]
            x[j, 0] -= m * px
            x[j, 1] -= m * py
            x[j, 2] -= m * pz


@njit(cache=True, fastmath=True)
def steps(x, v, springs, touching, around, pace):  # type: ignore[no-untyped-def]
    """Small steps; x and v (n, 3), mm and mm/s, are changed in place.

    Hinges are soft: they are brought flat at every BEND_EVERY-th step only, by as much more (what they
    give is for that)."""
    mass_inv, edges, dt = springs.mass_inv, springs.edges, pace.dt
    fastest = 0.25 * max(around.skin, 2.0) / dt + 400.0
    for number in range(pace.number):
        before = x.copy()
        for i in range(len(x)):
            if mass_inv[i] == 0:
                continue
            for axis in range(3):
                v[i, axis] += around.fall[axis] * dt
            speed = np.sqrt(v[i, 0] ** 2 + v[i, 1] ** 2 + v[i, 2] ** 2)
            s = pace.drag * (fastest / speed if speed > fastest else 1.0)
            for axis in range(3):
                v[i, axis] *= s
                x[i, axis] += v[i, axis] * dt
        keep_apart(x, before, mass_inv, touching.pairs, touching.apart, around.rub)
        if number % BEND_EVERY == 0:
            bend(x, mass_inv, springs.hinges, springs.give)
        stretch(x, mass_inv, edges, springs.length, springs.slack, number % 2 == 1)
        keep_above(x, before, mass_inv, touching, around.rub)
        keep_out(x, before, mass_inv, around)
        for i in range(len(x)):
            for axis in range(3):
                v[i, axis] = (x[i, axis] - before[i, axis]) / dt
        if number % 2 == 0:
            continue
        for e in range(len(edges)):  # threads rub on each other: neighbours move alike
            i, j = edges[e, 0], edges[e, 1]
            if mass_inv[i] + mass_inv[j] == 0:
                continue
            w = pace.inner / (mass_inv[i] + mass_inv[j])
            for axis in range(3):
                apart_v = (v[i, axis] - v[j, axis]) * w
                v[i, axis] -= apart_v * mass_inv[i]
                v[j, axis] += apart_v * mass_inv[j]
