"""Cloth of particles by extended position-based dynamics, many small steps with one pass each.

Macklin, Müller and Chentanez 2016 (XPBD), Macklin et al. 2019 (small steps); the bending of a hinge by its
angle after Müller et al. 2007. SI units within but for lengths, which are mm.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tailoring.mannequin import distance

Array = NDArray[Any]

GRAVITY = 9810.0  # mm/s²
SLIDES = 0.2  # of the friction at the hips, that at the shoulders
BEND_EVERY = 4  # steps
SHARPEST = 1.2  # rad: a hinge bent farther is not pushed back any harder


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
def keep_out(x, before, torso, limbs, deep, skin, rub):  # type: ignore[no-untyped-def]
    """Push particles out of the body and hold them back along it by friction."""
    high, beside = 0.25 * torso[-1, 0], 1.4 * torso[0, 1]
    e = 0.5
    for i in range(len(x)):
        px, py, pz = x[i, 0], x[i, 1], x[i, 2]
        away = distance(px, py, pz, torso, limbs, deep) - skin
        if away >= 0:
            continue
        gx = distance(px + e, py, pz, torso, limbs, deep) - skin - away
        gy = distance(px, py + e, pz, torso, limbs, deep) - skin - away
        gz = distance(px, py, pz + e, torso, limbs, deep) - skin - away
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
        # cloth lies on the hips, and has to slide over moving shoulders and arms
        share = min(max((high - pz) / 150.0, SLIDES), 1.0) if abs(px) < beside else SLIDES
        hold = min(rub * share * push / slide, 1.0)
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
def steps(  # type: ignore[no-untyped-def]
    x,
    v,
    mass_inv,
    edges,
    length,
    hinges,
    give,
    pairs,
    apart,
    torso,
    limbs,
    deep,
    skin,
    dt,
    count,
    drag,
    fall,
    rub,
    inner,
    slack,
):
    """``count`` small steps; x and v are changed in place. ``fall`` (n, 3): what pulls at each, mm/s².

    Hinges are soft: they are brought flat at every BEND_EVERY-th step only, by as much more (``give`` is
    for that)."""
    fastest = 0.25 * max(skin, 2.0) / dt + 400.0
    for number in range(count):
        before = x.copy()
        for i in range(len(x)):
            if mass_inv[i] == 0:
                continue
            for axis in range(3):
                v[i, axis] += fall[i, axis] * dt
            speed = np.sqrt(v[i, 0] ** 2 + v[i, 1] ** 2 + v[i, 2] ** 2)
            s = drag * (fastest / speed if speed > fastest else 1.0)
            for axis in range(3):
                v[i, axis] *= s
                x[i, axis] += v[i, axis] * dt
        keep_apart(x, before, mass_inv, pairs, apart, rub)
        if number % BEND_EVERY == 0:
            bend(x, mass_inv, hinges, give)
        stretch(x, mass_inv, edges, length, slack, number % 2 == 1)
        keep_out(x, before, torso, limbs, deep, skin, rub)
        for i in range(len(x)):
            for axis in range(3):
                v[i, axis] = (x[i, axis] - before[i, axis]) / dt
        if number % 2 == 0:
            continue
        for e in range(len(edges)):  # threads rub on each other: neighbours move alike
            i, j = edges[e, 0], edges[e, 1]
            if mass_inv[i] + mass_inv[j] == 0:
                continue
            w = inner / (mass_inv[i] + mass_inv[j])
            for axis in range(3):
                apart_v = (v[i, axis] - v[j, axis]) * w
                v[i, axis] -= apart_v * mass_inv[i]
                v[j, axis] += apart_v * mass_inv[j]
