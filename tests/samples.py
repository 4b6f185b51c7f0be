"""Small jobs and helpers that several tests use."""

from __future__ import annotations

import functools
from dataclasses import replace
from typing import Any

import numpy as np

from kilnchisel.core.blanks.mesh import open_edges, welded
from kilnchisel.core.build import scene_of_job
from kilnchisel.core.job.blank import Mug, Plaque
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import with_lettering
from kilnchisel.core.job.fresh import first_lettering
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.light import Room
from kilnchisel.core.scene.scene import Backdrop, Scene
from kilnchisel.core.scene.view import View

FIVE_FACES = ("cinzel-bold", "pacifico", "eb-garamond", "league-spartan-bold", "routed-gothic")


@functools.cache
def the_draft() -> Draft:
    """One for all tests of a process that do not ask how a new one draws: a graphics context with its
    shaders takes a second."""
    return Draft()


def mug_job(text: str = "TARNLIGHT", **wording: Any) -> Job:
    """A mug with one printed lettering."""
    job = Job(name="Test mug")
    lettering = first_lettering(job.blank, text)
    lettering = lettering.model_copy(update={"content": Wording(**{**dict(lettering.content), **wording})})
    return with_lettering(job, lettering)


def plaque_job(text: str = "DOME PATH", craft: Any = None, **blank: Any) -> Job:
    """A plaque with one engraved lettering (or another craft)."""
    plaque = Plaque(**blank)
    lettering = first_lettering(plaque, text)
    if craft is not None:
        lettering = lettering.model_copy(update={"craft": craft})
    return with_lettering(Job(name="Test plaque", blank=plaque), lettering)


def engraved_mug(text: str, depth_mm: float, face: str = "league-spartan-bold", cap: float = 7.0) -> Job:
    """A mug without a handle, engraved round its middle."""
    lettering = Lettering(
        content=Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap),
        lay=Lay(side="outside", across_mm=42.0),
        craft=Engraved(depth_mm=depth_mm),
    )
    return with_lettering(Job(blank=Mug(handle=False, wall_mm=3.0, rim_mm=4.0)), lettering)


class SeenBehind(Backdrop):
    """One picture all round, whatever the lens."""

    def seen(self, view: Any) -> Any:
        return self.colour


def bare_scene(items: tuple[Item, ...], light: Any, radius_mm: float) -> Scene:
    """Things in mid-air in the light of a room (h, w, 3), with no ground and no lamp."""
    return replace(
        scene_of_job(mug_job()),
        items=items,
        stance=np.eye(4),
        base=None,
        panels=(),
        proxy=None,
        room=Room(light, 0.0),
        draft_room=Room(light, 0.0),
        backdrop=SeenBehind("", 0.0, 0.0, light),
        middle=np.zeros(3),
        radius_mm=radius_mm,
        gain=np.ones(3),
    )


def closed(points: Any, faces: Any) -> bool:
    """Whether a mesh closes once coinciding corners are one."""
    return open_edges(welded(np.asarray(points), np.asarray(faces))[1]) == 0


def mocked(scene: Scene, view: View, size: tuple[int, int], samples: int = 24) -> Any:
    """A mockup's pixels at its last state, (h, w, 3)."""
    *_, last = Mockup(scene).refine(view, size, samples, looks=())
    return last.pixels[..., :3]
