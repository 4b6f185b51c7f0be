"""The job: one value that holds every decision."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, Field, StringConstraints

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Colour, Value
from kilnchisel.core.job.blank import Blank, Mug
from kilnchisel.core.job.finish import Enamel, SurfaceFinish, Wear
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.listing import Listing
from kilnchisel.core.job.photo import Stands
from kilnchisel.core.job.setting import Copies, Setting, Stance

MOST_OTHERS = 8
MOST_PROOFS = 60
MOST_ON_A_PLATE = 10
ON_PLATES = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÜ0123456789 .-")


def _for_plates(words: str) -> str:
    """Capitals, as plates have them. Raises KilnError for what is on none."""
    capitals = words.upper()
    wrong = next((letter for letter in capitals if letter not in ON_PLATES), None)
    if wrong is not None:
        raise KilnError(
            f"“{wrong}” cannot be on a number plate, only letters, figures, spaces, dots, dashes."
        )
    return capitals


class Plates(Value):
    """The number plates of a vehicle: what is written on them, and their colours in front and behind. Its
    letters are dark on pale plates, pale on dark ones. They are seen in pictures, and not made here."""

    registration: Annotated[str, Field(max_length=MOST_ON_A_PLATE), AfterValidator(_for_plates)] = ""
    colour: Colour = "#f3f2ec"
    rear_colour: Colour = "#f3f2ec"


class Made(Value):
    """What is made: a blank, its finishes and what is lettered on it."""

    blank: Blank = Mug()
    finish: SurfaceFinish = Enamel()
    rim_finish: SurfaceFinish = Enamel(colour="#1d2a4d")
    detail_finish: SurfaceFinish = Enamel(colour="#2b2d2f")  # windows, inlays, fittings
    plates: Plates = Plates()
    wear: Wear = Wear()
    letterings: Annotated[tuple[Lettering, ...], Field(max_length=200)] = ()


class Other(Made):
    """Another piece in the photo of a job, and where in it that is."""

    stands: Stands
    stance: Stance = "lying"
    copies: Copies = ()


class Work(Made):
    """All that is decided about a piece: blank, letterings, finishes, setting. ``others``: what else stands
    in its photo."""

    setting: Setting = Setting()
    others: Annotated[tuple[Other, ...], Field(max_length=MOST_OTHERS)] = ()


class Shot(Value):
    """The picture of a proof, held in the job by its content."""

    sha256: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]

    @property
    def name(self) -> str:
        """What it is called where it cannot be read."""
        return "picture of a proof"


class Proof(Value):
    """An alternative that was kept: the whole job as it was, under a name. ``work``: a ``Work`` as JSON, so
    that a job with many proofs is no slower to change and to send than one without."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    note: Annotated[str, Field(max_length=2000)] = ""
    picture: Shot | None = None
    work: Annotated[str, Field(max_length=4_000_000)]


class Job(Work):
    """A piece on order, the proofs that are kept of it, and the list of names that is laid beside it."""

    name: Annotated[str, Field(min_length=1, max_length=200)] = "Untitled job"
    proofs: Annotated[tuple[Proof, ...], Field(max_length=MOST_PROOFS)] = ()
    listing: Listing | None = None
