"""What a router does for a job: the pieces of stock, and what is done to each."""

from __future__ import annotations

from kilnchisel.core.build import sides_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Pressed, Raised, Relief, Standing
from kilnchisel.core.job.model import Job
from kilnchisel.core.shop.paths.cutout import letters_out
from kilnchisel.core.shop.paths.facework import faced_side, panel_side
from kilnchisel.core.shop.paths.flatwork import Work, flat_work, on_side, without_work
from kilnchisel.core.shop.paths.inlays import inlay
from kilnchisel.core.shop.paths.roundwork import is_rolled, turned_side
from kilnchisel.core.shop.paths.routerwork import Routed, Routing
from kilnchisel.core.shop.paths.surface import faced, is_faced

ROUTED = (Engraved, CutThrough, Raised, Carved, Relief, Pressed, Standing)


def not_routed(job: Job) -> str:
    """Why a job has nothing for a router; empty where it has, be it the blank alone."""
    return "" if panel_side(job) is not None else not_lettered(job)


def not_lettered(job: Job) -> str:
    """Why a router has nothing to do with a job's lettering; empty where it has."""
    if why := without_work(job, "cut, carved or of letters that stand", *ROUTED):
        return why
    if sides_of_job(job) is None:
        return "a mesh has no flat side"
    crafts = [i for i in job.letterings if not i.hidden and isinstance(i.craft, ROUTED)]
    for item in crafts:
        side = item.lay.side
        if isinstance(item.craft, Standing) or is_faced(job, side) or is_rolled(job, item.craft, side):
            return ""
    return "it is lettered on no flat side, nor round an axis"


def not_flat(job: Job) -> list[str]:
    """What of a job a router would cut, but for that its side is not flat, in words."""
    works = (w for w in flat_work(job, *ROUTED) if not isinstance(w.craft, Standing))
    return [
        f"{work.name}: left out, the {work.side} is not flat"
        for work in works
        if not is_faced(job, work.side) and not is_rolled(job, work.craft, work.side)
    ]


def routed(job: Job, how: Routing) -> list[Routed]:
    """What a router does for a job: each flat side that is worked, the inlays and letters that are cut out
    of sheet, and the blank itself where that is wanted, or all there is. Raises KilnError."""
    how.checked()
    if why := not_routed(job):
        raise KilnError(f"There is nothing for a router: {why}.")
    works = flat_work(job, *ROUTED)
    standing = [w for w in works if isinstance(w.craft, Standing)]
    lying = [w for w in works if not isinstance(w.craft, Standing)]
    sides = list(dict.fromkeys(w.side for w in lying))
    panel = panel_side(job) if how.blank or not works else None
    if panel is not None and panel not in sides:
        sides.append(panel)
    found: list[Routed] = []
    refused: list[str] = []
    inlaid: list[Work] = []
    for name in sides:
        mine = [w for w in lying if w.side == name]
        if is_faced(job, name):
            mine, told = on_side(faced(job, name), mine)
            found.append(faced_side(job, name, mine, told, how, cut_out=name == panel))
            inlaid += [w for w in mine if isinstance(w.craft, CutThrough) and w.craft.fill == "inlay"]
        elif mine := [w for w in mine if is_rolled(job, w.craft, name)]:
            try:
                found.append(turned_side(job, name, mine, how))
            except KilnError as error:  # the others are made all the same
                refused.append(str(error))
    found += [inlay(job, work, how) for work in inlaid]
    found += letters_out(job, standing, how)
    if refused and not found:
        raise KilnError(refused[0])
    if refused:
        found[0].left.extend(refused)
    return found
