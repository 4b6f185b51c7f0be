"""The job: one value that holds every decision."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from kilnchisel.core.job.base import Value
from kilnchisel.core.job.blank import Blank, Mug
from kilnchisel.core.job.finish import Enamel, SurfaceFinish, Wear
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.photo import Stands
from kilnchisel.core.job.setting import Copies, Setting, Stance

MOST_OTHERS = 8


class Made(Value):
    """What is made: a blank, its finishes and what is lettered on it."""

    blank: Blank = Mug()
    finish: SurfaceFinish = Enamel()
    rim_finish: SurfaceFinish = Enamel(colour="#1d2a4d")
    detail_finish: SurfaceFinish = Enamel(colour="#2b2d2f")  # windows, inlays, fittings
    wear: Wear = Wear()
    letterings: Annotated[tuple[Lettering, ...], Field(max_length=200)] = ()


class Other(Made):
    """Another piece in the photo of a job, and where in it that is."""

    stands: Stands
    stance: Stance = "lying"
    copies: Copies = ()


class Job(Made):
    """A piece on order: blank, letterings, finishes, setting. ``others``: what else stands in its photo."""

    name: Annotated[str, Field(min_length=1, max_length=200)] = "Untitled job"
    setting: Setting = Setting()
    others: Annotated[tuple[Other, ...], Field(max_length=MOST_OTHERS)] = ()
