"""The small pictures of the ticket's lists: blanks, finishes, lights and grounds with a ball, crafts and
recipes on letters."""

from __future__ import annotations

from pathlib import Path
from typing import get_args

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, make_picture, png_bytes
from kilnchisel.core.job.blank import Globe, Plaque
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Brass, Cloth, Enamel, Gold, Ink
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.recipes import SHIPPED, applied
from kilnchisel.core.job.setting import COLOURED_GROUNDS, Ground, Light
from kilnchisel.core.job.turning import CRAFTS, FINISHES

LOOK = PictureOrder((132, 100), 96)
FAR_MM = 2500.0
PAPER = Ground(kind="card", colour="#efe9dc", behind="plain", behind_colour="#efe9dc")


def draw_objects(folder: Path, kinds: tuple[str, ...]) -> None:
    """A small picture of every kind of object that is named, for the start page and the ticket's menu."""
    folder.mkdir(exist_ok=True)
    for kind in kinds:
        job = fresh_job(kind)
        camera = job.setting.camera
        near = camera.model_copy(update={"distance_mm": camera.distance_mm * 0.86})
        # what is large is known by the place where it stands; under the open sky a card would turn blue
        ground = job.setting.ground if camera.distance_mm > FAR_MM else PAPER
        setting = job.setting.model_copy(update={"camera": near, "ground": ground})
        plain = job.model_copy(update={"letterings": (), "setting": setting})
        pixels = make_picture(plain, PictureOrder((216, 144), 96))
        assert pixels is not None
        (folder / f"{kind.replace(' ', '-')}.png").write_bytes(png_bytes(pixels))


# what is put on cloth, and on which it is shown
ON_CLOTH = {
    "embroidered": Cloth(colour="#26314f", weave="cotton"),
    "woven patch": Cloth(colour="#8a8577", weave="canvas"),
}


def draw_looks(folder: Path) -> None:
    """What a choice looks like, for the lists of finishes, crafts and recipes."""
    for kind, finish in FINISHES.items():
        if kind in ("ink", "as the blank"):
            continue
        job = fresh_job("globe").model_copy(update={"letterings": (), "blank": Globe(foot=False)})
        _keep(change(job, ("finish",), finish()), folder / "finishes" / _named(kind), 0.42)
    for kind, craft in CRAFTS.items():
        job = change(_letters(), ("letterings", 0, "craft"), craft())
        finish = Gold(polish="satin", carat=24) if kind in ("raised", "standing") else Ink(colour="#f2ecdc")
        if kind in ("printed", "raised", "standing", *ON_CLOTH):
            job = change(job, ("letterings", 0, "finish"), finish)
        if kind in ON_CLOTH:
            job = change(job, ("finish",), ON_CLOTH[kind])
        _keep(job, folder / "crafts" / _named(kind), 0.4)
    for recipe in SHIPPED:
        job = _letters()
        if "cloth" in recipe.name or recipe.craft.kind in ON_CLOTH:
            job = change(job, ("finish",), ON_CLOTH.get(recipe.craft.kind, ON_CLOTH["embroidered"]))
        _keep(applied(job, 0, recipe, scaled=True), folder / "recipes" / _named(recipe.name), 0.4)
    ball = fresh_job("globe").model_copy(update={"letterings": (), "blank": Globe(foot=False)})
    for room in get_args(Light.model_fields["room"].annotation):
        job = change(change(ball, ("finish",), Brass()), ("setting", "light", "room"), room)
        _keep(job, folder / "lights" / _named(room), 0.42, Ground(kind="card", colour="#b9b2a4"))
    for kind in get_args(Ground.model_fields["kind"].annotation):
        job = change(ball, ("finish",), Enamel(colour="#e9e4d8", gloss=60))
        ground = Ground(kind=kind, colour=COLOURED_GROUNDS.get(kind, Ground().colour))
        _keep(job, folder / "grounds" / _named(kind), 1.1, ground, 40.0)


def _letters() -> Job:
    """Two letters on a board in a middling colour, on which light and dark are seen."""
    job = fresh_job("plaque", "Ag")
    job = job.model_copy(update={"blank": Plaque(width_mm=150, height_mm=110, thickness_mm=8)})
    job = change(job, ("letterings", 0, "content", "cap_height_mm"), 60.0)
    job = change(job, ("finish",), Enamel(colour="#71827c", gloss=35))
    return change(job, ("letterings", 0, "lay", "across_mm"), 0.0)


def _named(kind: str) -> str:
    return f"{kind.lower().replace(' ', '-')}.png"


def _keep(job: Job, path: Path, near: float, ground: Ground = PAPER, tilt_deg: float | None = None) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    camera = job.setting.camera
    tilt = camera.tilt_deg if tilt_deg is None else tilt_deg
    update = {"distance_mm": camera.distance_mm * near, "turn_deg": -18.0, "tilt_deg": tilt}
    closer = camera.model_copy(update=update)
    setting = job.setting.model_copy(update={"camera": closer, "ground": ground})
    try:
        pixels = make_picture(job.model_copy(update={"setting": setting}), LOOK)
    except KilnError:
        return  # a relief without a picture, a fitting without a board: these have no look of their own
    assert pixels is not None
    path.write_bytes(png_bytes(pixels))
