"""What a job begins with: finishes, ground, camera and a first lettering that look right on each blank."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.artwork import Picture
from kilnchisel.core.job.blank import (
    KINDS,
    TITLES,
    Band,
    Blank,
    Medallion,
    Plaque,
    lies_flat,
    main_side,
    size_of,
)
from kilnchisel.core.job.boards import Board, Book, Wall
from kilnchisel.core.job.bodies import Bank, Bracelet, Garment, Handle, Hull, Mesh3D, Signet, Van
from kilnchisel.core.job.crafts import Engraved, Raised
from kilnchisel.core.job.edits import change, limits, with_lettering
from kilnchisel.core.job.finish import (
    AsBlank,
    Brass,
    Cloth,
    Enamel,
    Gold,
    Grass,
    Ink,
    Masonry,
    Paint,
    PaintedWood,
    Paper,
    Silver,
    Stainless,
    Wood,
)
from kilnchisel.core.job.lettering import Content, Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Camera, Ground, Setting
from kilnchisel.core.job.wording import Wording

# blank, rim, detail
FINISHES: dict[str, tuple[Any, Any, Any]] = {
    "board": (PaintedWood(), PaintedWood(colour="#d8c59a"), Paint(colour="#d8b45a", gloss=60)),
    "plate": (Paint(colour="#eef0ea", gloss=80), Paint(colour="#22345f"), Enamel()),
    "box sign": (
        Paint(colour="#f2ead6", gloss=70),
        Paint(colour="#2d3b36"),
        Paint(colour="#25282a", gloss=55),
    ),
    "wall": (Masonry(), Masonry(colour="#b9b0a0"), Enamel()),
    "book": (Cloth(), Cloth(), Paper()),
    "handle": (Wood(), Brass(), Paper(colour="#33291f")),
    "hull": (Paint(colour="#f1efe8"), Paint(colour="#22345f"), Paint(colour="#1a2026", gloss=100)),
    "van": (
        Paint(colour="#f1efe8", gloss=92),
        Stainless(polish="satin"),
        Paint(colour="#1b1f22", gloss=92),
    ),
    "garment": (Cloth(colour="#26314f"), Cloth(colour="#1d2742"), Cloth()),
    "bank": (Grass(), Grass(), Enamel()),
    "band": (Gold(), Gold(), Silver()),
    "signet": (Gold(polish="satin"), Gold(), Enamel()),
    "bracelet": (Silver(), Silver(polish="polished"), Enamel()),
    "cap": (Paint(colour="#d9cdb2", gloss=70), Enamel(), Enamel()),
    "mesh": (Paint(colour="#cfc6b4", gloss=45), Paint(colour="#5b6f6a"), Paint(colour="#3a3f42")),
}
GROUNDS: dict[str, Ground] = {
    "van": Ground(kind="asphalt"),
    "hull": Ground(kind="asphalt"),
    "bank": Ground(kind="grass"),
    "wall": Ground(kind="asphalt"),
    "box sign": Ground(kind="plaster", colour="#b3a892"),
    "board": Ground(kind="plaster", colour="#c9bfad"),
}
OUTDOORS = (Van, Hull, Bank, Wall)
FARTHEST_MM = 1_000_000.0


def fresh_job(kind: str, text: str = "Your words") -> Job:
    """A new job on a blank of this kind, with a first lettering. Raises KilnError."""
    blank: Any = KINDS[kind]()
    return job_on(blank, f"New {TITLES[kind].lower()}", text)


def job_on(blank: Any, name: str, text: str) -> Job:
    """A new job on this blank, with a first lettering."""
    job = Job(name=name, blank=blank, setting=home_setting(blank, Setting()), **home_finishes(blank))
    return with_lettering(job, first_lettering(blank, text))


def home_finishes(blank: Blank) -> dict[str, Any]:
    """The finishes a blank has at first, by the job's fields; none for one that keeps the defaults."""
    if blank.kind not in FINISHES:
        return {}
    return dict(zip(("finish", "rim_finish", "detail_finish"), FINISHES[blank.kind], strict=True))


def home_setting(blank: Blank, setting: Setting) -> Setting:
    """The setting with the camera, and the ground, that suit a blank."""
    update: dict[str, Any] = {"camera": home_camera(blank)}
    if blank.kind in GROUNDS:
        update["ground"] = GROUNDS[blank.kind]
    elif setting.ground in GROUNDS.values():
        update["ground"] = Ground()
    if isinstance(blank, Board):
        update["stance"] = "hung"
    return setting.model_copy(update=update)


LEAST_CAP, MOST_CAP = (float(value or 0) for value in limits(Wording, "cap_height_mm"))


def first_lettering(blank: Blank, text: str) -> Lettering:
    """A first lettering: in the middle of the blank's main side, a sixth of its height."""
    side, height, middle = main_side(blank)
    if height <= 0:  # a flat sheet that lies
        height = sorted(blank.size_mm)[-2] if isinstance(blank, Mesh3D) else LEAST_CAP
    cap = min(max(round(height / 6, 1), LEAST_CAP), MOST_CAP)
    along = 0.0
    if isinstance(blank, Van):
        along = round(0.285 * blank.length_mm, 0)  # between the door and the rear
    if isinstance(blank, Handle):
        along = round(-0.09 * blank.length_mm, 1)  # where it is widest
    wording, lay = Wording(text=text, cap_height_mm=cap), Lay(side=side, along_mm=along, across_mm=middle)
    if isinstance(blank, Plaque | Medallion | Band | Signet | Bracelet | Handle):
        depth = round(min(0.3, 0.2 * cap), 2)
        cut = Engraved(depth_mm=depth, darkened=92)
        return Lettering(wording=wording, lay=lay, craft=cut, finish=AsBlank())
    if isinstance(blank, Board):
        high = round(min(0.12 * cap, 6.0), 1)
        gilt = Paint(colour="#d8b45a", gloss=70)
        return Lettering(wording=wording, lay=lay, craft=Raised(height_mm=high), finish=gilt)
    if isinstance(blank, Book | Garment | Bank | Wall):
        return Lettering(wording=wording, lay=lay, finish=Ink(colour="#efe6cf"))
    return Lettering(wording=wording, lay=lay)


def home_camera(blank: Blank) -> Camera:
    """A camera that sees the whole blank well."""
    largest = max(size_of(blank))
    tilt = 52.0 if lies_flat(blank) else 30.0 if isinstance(blank, Band | Bracelet) else 20.0
    far = 4.3 if lies_flat(blank) or isinstance(blank, Handle | Bracelet) else 5.9
    if isinstance(blank, OUTDOORS):
        tilt, far = 7.0, 3.1
    if isinstance(blank, Signet):
        tilt = 46.0
    if isinstance(blank, Board):
        tilt, far = 4.0, 3.4
    return Camera(tilt_deg=tilt, distance_mm=round(min(max(far * largest, 60.0), FARTHEST_MM), 0))


def with_blank(job: Job, kind: str) -> Job:
    """The job on another object: the words go along, laid where they look right on it."""
    if kind == job.blank.kind:
        return job
    blank: Any = KINDS[kind]()
    fresh = first_lettering(blank, "")
    assert isinstance(fresh.wording, Wording)
    letterings = []
    for number, lettering in enumerate(job.letterings):
        cap, content = fresh.wording.cap_height_mm, lettering.wording
        if isinstance(content, Wording):
            cap = min(content.cap_height_mm, cap)
            content = content.model_copy(update={"cap_height_mm": cap})
        lay = fresh.lay.model_copy(update={"across_mm": fresh.lay.across_mm - number * cap * 1.9})
        letterings.append(lettering.model_copy(update={"lay": lay, "wording": content}))
    known = {"blank": blank, "setting": home_setting(blank, job.setting), **home_finishes(blank)}
    return change(job.model_copy(update=known), ("letterings",), tuple(letterings))


def new_lettering(job: Job, text: str = "New lettering") -> Lettering:
    """A lettering that looks right at once on this job's blank, in the manner of its last one."""
    last = next((item for item in reversed(job.letterings) if isinstance(item.wording, Wording)), None)
    if last is not None and isinstance(last.wording, Wording):
        drop = last.wording.cap_height_mm * last.wording.row_spacing / 100
        rows = last.wording.text.count("\n") + 1
        lay = last.lay.model_copy(update={"across_mm": last.lay.across_mm - drop * rows})
        wording = last.wording.model_copy(update={"text": text, "letters": ()})
        return last.model_copy(update={"wording": wording, "lay": lay})
    return first_lettering(job.blank, text)


def added_content(job: Job, content: Content) -> Job:
    """The job with artwork or a shape added in the middle of the last lettering's side."""
    fresh = first_lettering(job.blank, "")
    side = job.letterings[-1].lay.side if job.letterings else fresh.lay.side
    across = fresh.lay.across_mm if side == fresh.lay.side else 0.0
    lay = Lay(side=side, across_mm=across)
    pattern = job.letterings[-1] if job.letterings else fresh
    if isinstance(content, Picture):
        pattern = Lettering()  # pixels are printed
    return with_lettering(
        job, Lettering(wording=content, lay=lay, craft=pattern.craft, finish=pattern.finish)
    )
