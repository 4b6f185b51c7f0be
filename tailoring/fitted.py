"""A draped panel as a smooth surface over its flat pattern: cubic B-splines, fitted to the particles."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import interpolate, sparse
from scipy.sparse import linalg

from kilnchisel.core.blanks.mesh import edges_of
from kilnchisel.core.blanks.net import Net

Array = NDArray[Any]

SMOOTH = 2e-3  # how much bending of the coefficients weighs against a particle's place
KEPT = 80.0  # how much the length of an edge does
ROUNDS = 5
BORDER = 1500.0  # how much more a particle of the border weighs: neighbours meet there


@dataclass(frozen=True, eq=False)
class Fitted:
    """``corner`` (2,): where the first coefficient is, mm on the sheet; ``step``: between them;
    ``values`` (rows, columns, 3), mm; ``off`` (n,): how far each particle is from the surface."""

    corner: Array
    step: float
    values: Array
    off: Array

    def by_coefficients(self, uv: Array) -> sparse.csr_array:
        """What the coefficients count for at places (n, 2) of the sheet, (n, rows * columns)."""
        return _system(uv, self.corner, self.step, *self.values.shape[:2])

    def place(self, uv: Array) -> Array:
        """Places on the surface, (n, 2) of the sheet -> (n, 3) mm."""
        return np.asarray(self.by_coefficients(uv) @ self.values.reshape(-1, 3))


def fitted(uv: Array, places: Array, border: Array, step: float, net: Net | None) -> Fitted:
    """The surface through particles: uv (n, 2), places (n, 3), border (n,) of bool; coefficients ``step``
    mm apart. ``net``: triangles over the panel, whose edges are to stay as long as they are on it:
    between particles a spline through a sharp fold would be longer or shorter than the cloth."""
    low, high = uv.min(axis=0), uv.max(axis=0)
    corner = low - 2 * step
    columns, rows = (np.ceil((high - corner) / step).astype(int) + 3).tolist()
    through = _system(uv, corner, step, rows, columns)
    weight = sparse.diags(np.where(border, BORDER, 1.0))
    bend_u = sparse.kron(sparse.eye(rows), _second(columns))
    bend_v = sparse.kron(_second(rows), sparse.eye(columns))
    shear = sparse.kron(_first(rows), _first(columns))
    bending = bend_u.T @ bend_u + bend_v.T @ bend_v + 2 * shear.T @ shear
    near = (through.T @ weight @ through + SMOOTH * bending).tocsc()
    wanted = through.T @ weight @ places
    values = _solver(near).solve(wanted)
    if net is not None:
        values = _kept(values, near, wanted, net, _system(net.points, corner, step, rows, columns))
    off = np.linalg.norm(through @ values - places, axis=1)
    return Fitted(corner, step, values.reshape(rows, columns, 3), off)


def _system(uv: Array, corner: Array, step: float, rows: int, columns: int) -> sparse.csr_array:
    across, up = (_basis((uv[:, k] - corner[k]) / step, n) for k, n in ((0, columns), (1, rows)))
    return _rowwise(up, across)


def _kept(values: Array, near: Any, wanted: Array, net: Net, points: Any) -> Array:
    """Coefficients (n, 3) brought to where the edges of a net are as long on the surface as on the sheet;
    ``points``: its points by the coefficients."""
    edges = edges_of(net.faces)
    length = np.linalg.norm(np.diff(net.points[edges], axis=1)[:, 0], axis=1)
    apart = (points[edges[:, 1]] - points[edges[:, 0]]).tocsr()
    whole = sparse.block_diag([near] * 3)
    for _ in range(ROUNDS):  # Gauss and Newton's steps
        way = apart @ values
        now = np.maximum(np.linalg.norm(way, axis=1), 1e-9)
        slope = sparse.hstack([sparse.diags(way[:, k] / now) @ apart for k in range(3)]).tocsr()
        short = length - now
        pull = (wanted - near @ values).T.ravel() + KEPT * (slope.T @ short)
        values = values + _solver((whole + KEPT * (slope.T @ slope)).tocsc()).solve(pull).reshape(3, -1).T
    return values


def _solver(matrix: Any) -> Any:
    return linalg.splu(
        matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    )


def _basis(at: Array, count: int) -> sparse.csr_array:
    """Uniform cubic B-splines centred on 0..count-1, at places in steps, (n, count)."""
    knots = np.arange(-2.0, count + 2.0)
    return interpolate.BSpline.design_matrix(at, knots, 3).tocsr()


def _rowwise(a: Any, b: Any) -> sparse.csr_array:
    """Row by row the products of all entries, (n, ka * kb)."""
    n = a.shape[0]
    per_a, per_b = np.diff(a.indptr), np.diff(b.indptr)
    assert (per_a == 4).all() and (per_b == 4).all()
    ca, cb = a.indices.reshape(n, 4), b.indices.reshape(n, 4)
    va, vb = a.data.reshape(n, 4), b.data.reshape(n, 4)
    columns = (ca[:, :, None] * b.shape[1] + cb[:, None, :]).reshape(n, 16)
    values = (va[:, :, None] * vb[:, None, :]).reshape(n, 16)
    rows = np.repeat(np.arange(n), 16)
    return sparse.csr_array((values.ravel(), (rows, columns.ravel())), shape=(n, a.shape[1] * b.shape[1]))


def _second(count: int) -> Any:
    return sparse.diags([1.0, -2.0, 1.0], [0, 1, 2], shape=(count - 2, count))


def _first(count: int) -> Any:
    return sparse.diags([-1.0, 1.0], [0, 1], shape=(count - 1, count))
