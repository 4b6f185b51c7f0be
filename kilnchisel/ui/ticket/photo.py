"""The photo in the Setting section: what tells where it was taken, and where in it the piece is."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.build import radius_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Folds, Photo
from kilnchisel.core.job.words.sections import piece_words
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.marks import beginning
from kilnchisel.core.photo.stood import USUAL_LENS_MM
from kilnchisel.core.scene.photojob import piece_in_hand
from kilnchisel.core.scene.stance import stance_shown
from kilnchisel.core.units import format_length, format_number
from kilnchisel.ui.ticket.fields import Spec, at, group, link, ranged

PHOTO = ("setting", "photo")
TOLD = (*PHOTO, "told")
KINDS = (
    ("rectangle", "A rectangle"),
    ("lines", "Parallel lines"),
    ("rims", "Rim and foot"),
    ("horizon", "The horizon"),
)
ON = (("wall", "Wall"), ("ground", "Ground"))
SEEN = (("whole", "All of it"), ("lettering", "Lettering"))
LIES = (("flat", "Flat"), ("cloth", "Cloth"))
FOLD = 0.4  # of the radius of a piece: a fold, before one is shown
AS_THE_PHOTO = 100.0
LIKENESS = (
    ("soft", "Softness", "100 %: as the photo about it."),
    ("grain", "Grain", "100 %: the photo's own."),
    ("halo", "Halo", "Of the photo's sharpening, along edges."),
    ("packed", "JPEG", "As coarse as the photo was packed; at its full size."),
    ("blacks", "Blacks", "100 %: no darker than the photo's darkest."),
    ("whites", "Whites", "100 %: no lighter than the photo's lightest."),
)
WAYS = (("along", "Along"), ("upright", "Upright"), ("away", "Away"))


def photo_words(job: Job) -> str:
    """The photo in a few words: what was found of its camera."""
    photo = job.setting.photo
    if photo is None:
        return "none"
    try:
        found = stood_for(photo)
    except KilnError as error:
        return str(error)
    return f"{format_number(found.lens_mm, 0)} mm, {format_length(found.distance_mm, 'm', 1)} away"


def photo_specs(job: Job, opened: frozenset[str]) -> list[Spec]:
    """The fields of a job's photo; ``opened``: the groups that are unfolded."""
    photo = job.setting.photo
    if photo is None:
        return [link("photo.take", "", "Put it into a photo…", "A picture of the wall, the van, the lawn")]
    fields = [
        *_pieces(job),
        Spec("setting.photo.told.kind", "Told by", _kind, _told_by, "menu", options=KINDS),
        *_told(job, photo),
        Spec(
            "setting.photo.lens_mm",
            "Lens",
            _lens,
            lambda job, value: change(job, (*PHOTO, "lens_mm"), value),
            "length",
            step=1,
            least=4,
            most=2000,
            hint="On a 36 mm wide frame; taken where the picture does not tell it.",
        ),
        Spec(
            "setting.photo.bent",
            "Bends lines",
            lambda job: 0.0 if job.setting.photo is None else round(100 * job.setting.photo.bent, 3),
            lambda job, value: change(job, (*PHOTO, "bent"), round(value / 100, 5)),
            "percent",
            step=0.5,
            least=-100,
            most=100,
            hint="How far the lens bends what is straight, at the picture's corners.",
        ),
        at((*PHOTO, "shown"), "Seen", "choice", options=SEEN),
        ranged(job, (*PHOTO, "beside_mm"), "Beside", "length", step=10, hint="To the right of the origin."),
        ranged(job, (*PHOTO, "beyond_mm"), "Beyond", "length", step=10, hint="Farther away."),
        ranged(job, (*PHOTO, "above_mm"), "Above", "length", step=10),
        ranged(job, (*PHOTO, "turn_deg"), "Turned", "angle", step=1),
        *_grown(job),
        *_folds(job, photo),
        *_ground(job),
        *group("likeness", "Likeness", _likeness_words(photo), opened, lambda: _likeness(job)),
        link("photo.light", "", "Light of the photo", "From what is seen in it, anew"),
        link("photo.sun", "", "Sun by a shadow…", "A line from the foot of something to its shadow's tip"),
        link("photo.white", "", "White in sun and shade…", "A line from one to the other"),
    ]
    fields.append(link("photo.strokes", "", "Hide behind…", "Paint over what stands before it"))
    if photo.before is None:
        fields.append(link("photo.mask", "", "Hide behind a mask…", "A picture that is light where it is"))
    else:
        fields.append(link("photo.unmask", "", "Hide behind nothing", "Drop the mask"))
    fields.append(link("photo.fill", "", "Take away…", "Paint over an old print, a sign or a screw"))
    if photo.cleared is not None:
        fields.append(link("photo.unfill", "", "Take nothing away", "The photo as it came"))
    if photo.path:
        fields.append(link("photo.hold", "", "Hold the photo in the job", f"It refers to {photo.path}"))
    else:
        fields.append(link("photo.refer", "", "Refer to its file…", "The job names it and stays small"))
    return [*fields, link("photo.out", "", "Take it out of the photo")]


def _pieces(job: Job) -> list[Spec]:
    """Which of the pieces in the photo is in hand, where there are several."""
    more = [
        link("photo.another", "", "The same again…", "One more piece in the photo, beside this one"),
        link("photo.beside", "", "The piece of another job…", "In this photo too"),
    ]
    if not job.others:
        return more
    named = [(number, _capital(piece_words(piece))) for number, piece in enumerate((job, *job.others))]
    hint = "What the ticket is of, and what is dragged in the picture."
    menu = Spec(
        "setting.photo.piece",
        "In hand",
        lambda job: 0,
        lambda job, number: piece_in_hand(job, number) if number else job,
        "menu",
        options=tuple(named),
        hint=hint,
    )
    return [menu, *more, link("photo.alone", "", "Drop this piece", "The others stay in the photo")]


def _likeness_words(photo: Photo) -> str:
    """How far the piece is like the photo, in a few words."""
    changed = [name for field, name, _ in LIKENESS if getattr(photo, field) != AS_THE_PHOTO]
    return f"{', '.join(changed).lower()} changed" if changed else "as the photo"


def _likeness(job: Job) -> list[Spec]:
    """How soft, grainy and strong in tone the piece is, of what the photo is."""
    return [
        ranged(job, (*PHOTO, field), name, "percent", step=10, hint=hint) for field, name, hint in LIKENESS
    ]


def _capital(words: str) -> str:
    return words[0].upper() + words[1:]


def _ground(job: Job) -> list[Spec]:
    """The shape of the ground that letters stand on."""
    if not isinstance(job.blank, Bank):
        return []
    if not job.blank.heights:
        return [link("ground.shape", "", "Shape the ground…", "By heights that are dragged in the photo")]
    return [link("ground.level", "", "The bank as it is", "Without the heights")]


def _folds(job: Job, photo: Photo) -> list[Spec]:
    """What the lettering lies on, and of cloth, its folds."""
    lies = Spec("setting.photo.cloth", "Lies on", _lies_on, _laid_on, "choice", options=LIES)
    folds = photo.folds
    if folds is None:
        return [lies]
    path = (*PHOTO, "folds")
    fields = [
        lies,
        ranged(job, (*path, "wide_mm"), "A fold", "length", step=5, hint="From valley to valley."),
        link("folds.wide", "", "Show a fold…", "A line across it"),
        ranged(job, (*path, "deep"), "Depth", "percent", step=10, hint="Of what its light says."),
        ranged(job, (*path, "light_deg"), "Light from", "angle", step=5, hint="0° right, 90° above."),
        link("folds.light", "", "Show the light…", "A line towards where it comes from"),
        ranged(job, (*path, "shade"), "Shade", "percent", step=10, hint="The cloth's light and dark."),
        link("folds.pull", "", "Pull by hand…", "Where the picture misleads"),
    ]
    if folds.pulls:
        fields.append(link("folds.unpull", "", "Let all pulls go", "As the picture says"))
    return fields


def _lies_on(job: Job) -> str:
    photo = job.setting.photo
    return "flat" if photo is None or photo.folds is None else "cloth"


def _laid_on(job: Job, how: str) -> Job:
    photo = job.setting.photo
    assert photo is not None
    if how == "flat":
        return change(job, (*PHOTO, "folds"), None)
    if photo.folds is not None:
        return job
    job = change(job, (*PHOTO, "folds"), Folds(wide_mm=round(FOLD * radius_of_job(job), 1)))
    return change(job, (*PHOTO, "shown"), "lettering")


def _grown(job: Job) -> list[Spec]:
    """Only where something stands on the ground."""
    if stance_shown(job) == "hung":
        return []
    return [
        ranged(job, (*PHOTO, "grown_mm"), "Grass", "length", step=10, hint="So high it hides the feet.")
    ]


def _lens(job: Job) -> float:
    """The lens of the record, or the one that was found."""
    photo = job.setting.photo
    if photo is None or photo.lens_mm is not None:
        return USUAL_LENS_MM if photo is None else photo.lens_mm or USUAL_LENS_MM
    try:
        return round(stood_for(photo).lens_mm, 1)
    except KilnError:
        return USUAL_LENS_MM


def _told(job: Job, photo: Photo) -> list[Spec]:
    told: Any = photo.told
    size = "In life; drag its corners in the picture to where they are."
    if told.kind == "rectangle":
        return [
            ranged(job, (*TOLD, "width_mm"), "Wide", "length", step=10, hint=size),
            ranged(job, (*TOLD, "height_mm"), "Tall", "length", step=10, hint=size),
            at((*TOLD, "on"), "Lies on", "choice", options=ON),
        ]
    if told.kind == "lines":
        return [
            ranged(job, (*TOLD, "length_mm"), "Measured", "length", step=10, hint="The line by itself."),
            at((*TOLD, "way"), "Runs", "choice", options=WAYS),
            at((*TOLD, "on"), "Lies on", "choice", options=ON),
        ]
    if told.kind == "rims":
        return [
            ranged(job, (*TOLD, "diameter_mm"), "Diameter", "length", step=1),
            ranged(job, (*TOLD, "foot_mm"), "Foot", "length", step=1, hint="Across; 0: as the rim."),
            ranged(job, (*TOLD, "height_mm"), "Tall", "length", step=1, hint="0 where it is not known."),
        ]
    return [ranged(job, (*TOLD, "eye_mm"), "Eye height", "length", step=50, hint="Of the camera.")]


def _kind(job: Job) -> str:
    photo = job.setting.photo
    return "" if photo is None else photo.told.kind


def _told_by(job: Job, kind: str) -> Job:
    photo = job.setting.photo
    assert photo is not None
    return change(job, TOLD, beginning(kind, (photo.width_px, photo.height_px)))
