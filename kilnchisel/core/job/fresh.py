"""What a job begins with: finishes, ground, camera and a first lettering that look right on each blank."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kilnchisel.core.job.artwork import Picture
from kilnchisel.core.job.blank import KINDS, TITLES, Blank
from kilnchisel.core.job.crafts import Craft, Engraved, Printed, Raised
from kilnchisel.core.job.edits import change, limits, with_lettering
from kilnchisel.core.job.finish import AsBlank, Ink, Paint
from kilnchisel.core.job.lettering import Content, Lay, Lettering
from kilnchisel.core.job.model import Job, Plates
from kilnchisel.core.job.sets import fitted, home_set, named, set_of, sets_for
from kilnchisel.core.job.setting import Camera, Ground, Setting
from kilnchisel.core.job.traits import TRAITS, size_of, stances_of, traits_of
from kilnchisel.core.job.vehicles import WITH_PLATES
from kilnchisel.core.job.wording import Wording

FARTHEST_MM = 1_000_000.0
REGISTRATION = "AB 12 CDE"


def fresh_job(kind: str, text: str = "Your words") -> Job:
    """A new job on a blank of this kind, with a first lettering. Raises KilnError."""
    blank: Any = KINDS[kind]()
    return job_on(blank, f"New {TITLES[kind].lower()}", text)


def job_on(blank: Any, name: str, text: str) -> Job:
    """A new job on this blank, with a first lettering."""
    setting = home_setting(blank, Setting())
    looks = home_finishes(blank) | home_plates(blank)
    job = Job(name=name, blank=blank, setting=setting, wear=traits_of(blank).wear, **looks)
    return fitted(with_lettering(job, first_lettering(blank, text)), home_set(blank))


def home_finishes(blank: Blank) -> dict[str, Any]:
    """The finishes a blank has at first, by the job's fields; none for one that keeps the defaults."""
    finishes = traits_of(blank).finishes
    return dict(zip(("finish", "rim_finish", "detail_finish"), finishes, strict=True)) if finishes else {}


def home_plates(blank: Blank) -> dict[str, Any]:
    """What is written on a vehicle's number plates at first, by the job's field."""
    return {"plates": Plates(registration=REGISTRATION)} if isinstance(blank, WITH_PLATES) else {}


def home_setting(blank: Blank, setting: Setting) -> Setting:
    """The setting with the camera, the ground and the stance that suit a blank."""
    traits = traits_of(blank)
    update: dict[str, Any] = {"camera": home_camera(blank)}
    if traits.ground is not None:
        update["ground"] = traits.ground
    elif setting.ground in [other.ground for other in TRAITS.values()]:
        update["ground"] = Ground()
    if traits.at_first is not None:
        update["stance"] = traits.at_first
    return setting.model_copy(update=update)


LEAST_CAP, MOST_CAP = (float(value or 0) for value in limits(Wording, "cap_height_mm"))
PALE, GILT = Ink(colour="#efe6cf"), Paint(colour="#d8b45a", gloss=70)
# how a first lettering is made, by its capital height in mm
MANNERS: dict[str, Callable[[float], tuple[Craft, Any]]] = {
    "printed": lambda _: (Printed(), Ink()),
    "pale ink": lambda _: (Printed(), PALE),
    "engraved": lambda cap: (Engraved(depth_mm=round(min(0.3, 0.2 * cap), 2), darkened=92), AsBlank()),
    "gilt": lambda cap: (Raised(height_mm=max(round(min(0.12 * cap, 6.0), 1), 0.1)), GILT),
}


def first_lettering(blank: Blank, text: str) -> Lettering:
    """A first lettering: in the middle of the blank's main side, a sixth of its height."""
    traits = traits_of(blank)
    cap = min(max(round(traits.room(blank) / 6, 1), LEAST_CAP), MOST_CAP)
    lay = Lay(side=traits.side, along_mm=traits.along(blank), across_mm=traits.middle(blank))
    craft, finish = MANNERS[traits.manner](cap)
    return Lettering(content=Wording(text=text, cap_height_mm=cap), lay=lay, craft=craft, finish=finish)


def home_camera(blank: Blank) -> Camera:
    """A camera that sees the whole blank well."""
    tilt, far = traits_of(blank).view
    away = min(max(far * max(size_of(blank)), 60.0), FARTHEST_MM)
    return Camera(tilt_deg=tilt, distance_mm=round(away, 0))


def camera_back(job: Job) -> Camera:
    """The camera of the job's set, whatever became of it, or of the set that its blank is at home in."""
    for one in sets_for(job.blank):
        setting = fitted(job, one.name).setting
        if setting.model_copy(update={"camera": job.setting.camera}) == job.setting:
            return setting.camera
    return fitted(job, home_set(job.blank)).setting.camera


def with_blank(job: Job, kind: str) -> Job:
    """The job on another object: the words go along, laid where they look right on it."""
    if kind == job.blank.kind:
        return job
    blank: Any = KINDS[kind]()
    fresh = first_lettering(blank, "")
    assert isinstance(fresh.content, Wording)
    letterings = []
    for number, lettering in enumerate(job.letterings):
        cap, content = fresh.content.cap_height_mm, lettering.content
        if isinstance(content, Wording):
            cap = min(content.cap_height_mm, cap)
            content = content.model_copy(update={"cap_height_mm": cap})
        lay = fresh.lay.model_copy(update={"across_mm": fresh.lay.across_mm - number * cap * 1.9})
        letterings.append(lettering.model_copy(update={"lay": lay, "content": content}))
    stood = set_of(job)
    # copies are as far from one another as suited the other object
    setting = home_setting(blank, job.setting).model_copy(update={"copies": ()})
    known = {"blank": blank, "setting": setting, **home_finishes(blank)}
    if not job.plates.registration:
        known |= home_plates(blank)
    made = change(job.model_copy(update=known), ("letterings",), tuple(letterings))
    if stood is None:
        return made
    # from set to set: its own where the new one can stand in it too
    return fitted(made, stood if named(stood).suits(blank) else home_set(blank))


# fields of a blank that change how it is shown, and with it the setting
SHOWS_OTHERWISE = (("blank", "garment"), ("blank", "shown"))


def with_shown(job: Job, **update: Any) -> Job:
    """The job with its blank of cloth shown otherwise, or another one, in a set that suits that. Raises
    KilnError."""
    stood, before = set_of(job), stances_of(job.blank)
    made = change(job, ("blank",), dict(job.blank) | update)
    if stances_of(made.blank) == before:
        return made if stood is None else fitted(made, stood)
    return fitted(made, stood if stood and named(stood).suits(made.blank) else home_set(made.blank))


def new_lettering(job: Job, text: str = "New lettering") -> Lettering:
    """A lettering that looks right at once on this job's blank, in the manner of its last one."""
    last = next((item for item in reversed(job.letterings) if isinstance(item.content, Wording)), None)
    if last is not None and isinstance(last.content, Wording):
        drop = last.content.cap_height_mm * last.content.row_spacing / 100
        rows = last.content.text.count("\n") + 1
        lay = last.lay.model_copy(update={"across_mm": last.lay.across_mm - drop * rows})
        wording = last.content.model_copy(update={"text": text, "letters": ()})
        return last.model_copy(update={"content": wording, "lay": lay})
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
        job, Lettering(content=content, lay=lay, craft=pattern.craft, finish=pattern.finish)
    )
