"""Every blank with 30 letters: opened to its first draft, and moving them, from a step of the drag to its
picture at moving resolution.

And what a free mesh takes to be opened, drawn and lettered.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import trimesh

from benchmarks.drafts import SIZE, frame_seconds
from benchmarks.figure import Figure
from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.imported import FreeMesh, free_mesh
from kilnchisel.core.blanks.meshfile import mesh_of_file
from kilnchisel.core.garbage import Garbage
from kilnchisel.core.intake import gate
from kilnchisel.core.job.blank import KINDS, TITLES
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import job_on
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import fitted, home_set
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.job.wording import Fit, Wording
from kilnchisel.core.picture.draft import Draft
from kilnchisel.ui.view.shown import EDIT_SCALE, WALK_SCALE

WORDS = "TARNLIGHT OBSERVATORY UNDER A HILL"  # 30 letters


def run() -> Iterator[Figure]:
    """Of every blank with 30 letters engraved: its first draft, another, and the median of 24 steps; what
    nothing refers to any more is looked for as in the workshop, where drafts are made."""
    garbage = Garbage()
    try:
        yield from _blanks(garbage)
        garbage.rest()
        yield from _meshes(Draft(), (int(SIZE[0] * WALK_SCALE), int(SIZE[1] * WALK_SCALE)))
    finally:
        garbage.stop()


def _blanks(garbage: Garbage) -> Iterator[Figure]:
    draft = Draft()
    moving = (int(SIZE[0] * WALK_SCALE), int(SIZE[1] * WALK_SCALE))
    first_seen = (int(SIZE[0] * EDIT_SCALE), int(SIZE[1] * EDIT_SCALE))
    for kind, title in TITLES.items():
        blank = KINDS[kind]()
        side, _, middle = main_side(blank)
        low_u, _, high_u, _ = body_of(blank).sheet(side).side.domain.bounds
        width = (high_u - low_u) * 0.6
        wording = Wording(text=WORDS, cap_height_mm=4, fit=Fit(by="size", width_mm=width))
        lettering = Lettering(
            content=wording, lay=Lay(side=side, across_mm=middle), craft=Engraved(depth_mm=0.2)
        )
        # in the set that it opens in: what is round it weighs more than a piece alone
        job = fitted(Job(blank=blank, letterings=(lettering,)), home_set(blank))
        first = frame_seconds(draft, job, first_seen)
        yield Figure(f"{title}: its first draft, 30 letters", first, "s", 1.5)
        again = change(job, ("letterings", 0, "content", "text"), WORDS.lower())
        spent_again = frame_seconds(draft, again, first_seen)
        yield Figure("  another draft of it", spent_again, "s", 0.5)
        frame_seconds(draft, job, moving)
        spent = []
        for number in range(24):
            job = change(job, ("letterings", 0, "lay", "along_mm"), number * 0.05)
            spent.append(frame_seconds(draft, job, moving))
        most = 150 if kind in ("apparel", "garment") else 100
        yield Figure(f"{title}: a step of a move, 30 letters", float(np.median(spent)) * 1000, "ms", most)
        garbage.tick()
        garbage.rest()


def _meshes(draft: Draft, moving: tuple[int, int]) -> Iterator[Figure]:
    """Opening a mesh of half a million triangles, and a move over one of a hundred thousand. The process
    that reads is there already, as it is soon after the window."""
    gate.warm()
    time.sleep(3.0)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.stl"
        path.write_bytes(_pebble(360, 360).export(file_type="stl"))
        begun = time.perf_counter()
        file = mesh_of_file(path)
        large = free_mesh(file.blank(1.0, "z"))
        _ = large.drawn
        yield Figure(f"a mesh of {file.triangles} triangles opened", time.perf_counter() - begun, "s", 5)
        path.write_bytes(_pebble(158, 158).export(file_type="stl"))
        file = mesh_of_file(path)
    blank = file.blank(1.0, "z")
    mesh = free_mesh(blank)
    job = job_on(blank, "pebble", WORDS)
    fitted = Fit(by="size", width_mm=45.0)
    job = change(job, ("letterings", 0, "content", "fit"), fitted)
    job = change(job, ("letterings", 0, "craft"), Engraved(depth_mm=0.2))
    begun = time.perf_counter()
    frame_seconds(draft, job, moving)
    yield Figure(
        f"a mesh of {file.triangles} triangles, first draft", time.perf_counter() - begun, "s", 1.5
    )
    spent = [_step_seconds(draft, job, mesh, way, moving) for way in range(40)]
    words = f"a mesh of {file.triangles} triangles: a step of a move"
    yield Figure(words, float(np.median(spent)) * 1000, "ms", 250)
    yield Figure(words + ", 19 in 20", float(np.quantile(spent, 0.95)) * 1000, "ms", 500)


def _step_seconds(draft: Draft, job: Job, mesh: FreeMesh, number: int, moving: tuple[int, int]) -> float:
    """One step of a drag across the front and up, 1 mm and then some each."""
    found = mesh.hit(np.array([-22.0 + number, -500.0, 34.0 + 0.3 * number]), np.array([0.0, 1.0, 0.0]))
    assert found is not None
    spot = tuple(float(x) for x in found[0])
    return frame_seconds(draft, change(job, ("letterings", 0, "lay", "spot"), spot), moving)


def _pebble(columns: int, rows: int) -> trimesh.Trimesh:
    """An uneven ball with about four times so many triangles as columns times rows."""
    ball = trimesh.creation.uv_sphere(radius=50, count=[rows, columns])
    ball.vertices *= (1.2, 1.0, 0.8)
    ball.vertices *= 1 + 0.06 * np.sin(ball.vertices[:, [0]] / 11) * np.cos(ball.vertices[:, [2]] / 9)
    return ball
