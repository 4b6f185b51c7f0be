"""All that a job can be handed over as, and writing what is chosen of it into one folder.

A kind is a row of ``KINDS``: what it is called, why a job has none of it, and what writes it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.bendingplan import bending_files
from kilnchisel.core.handover.die import die_files, without_die
from kilnchisel.core.handover.holetemplate import template_files
from kilnchisel.core.handover.laserfiles import laser_files
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.mapfiles import SIZES, MapOrder, map_files
from kilnchisel.core.handover.meshes import MTL, mesh_files, mtl_bytes, with_materials
from kilnchisel.core.handover.outlines import OUTLINE_ENDINGS, OutlineOrder, outline_bytes, outlined_sides
from kilnchisel.core.handover.paper.sheets import PAPERS, Paper
from kilnchisel.core.handover.picturefiles import FileOrder, file_bytes, wish_for
from kilnchisel.core.handover.pictures import Easel, PictureOrder, made_picture, usual_samples, with_record
from kilnchisel.core.handover.plans import named_for
from kilnchisel.core.handover.plotterfiles import plotter_files
from kilnchisel.core.handover.printed3mf import print_files, without_two
from kilnchisel.core.handover.printsheet import sheet_files
from kilnchisel.core.handover.programs import Written, router_files, tried, written
from kilnchisel.core.handover.proof import Choice, proof_bytes
from kilnchisel.core.handover.sidebyside import one_light, pictures_of
from kilnchisel.core.handover.sidemaps import without_maps
from kilnchisel.core.handover.stitchlist import stitch_files
from kilnchisel.core.handover.texturedmesh import textured_glb, textured_parts
from kilnchisel.core.handover.usdz import textured_usdz
from kilnchisel.core.handover.worksheet import worksheet_bytes
from kilnchisel.core.job.crafts import Embroidered, Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.proofs import as_job, number_of, present
from kilnchisel.core.job.words.differences import differences
from kilnchisel.core.picture.refined import Refined
from kilnchisel.core.shop.amounts import Amount, Rates, read_rates
from kilnchisel.core.shop.bender import without_tubes
from kilnchisel.core.shop.holes import without_holes
from kilnchisel.core.shop.paths.flatwork import without_work
from kilnchisel.core.shop.paths.knife import Knife
from kilnchisel.core.shop.paths.laser import MOST_KERF_MM, not_lasered
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.shop.paths.routing import not_lettered, not_routed
from kilnchisel.core.writing import make_folder, write_whole

Progress = Callable[[float], None]
Stop = Callable[[], bool]


@dataclass(frozen=True)
class Wanted:
    """How what is handed over is made."""

    size: tuple[int, int] = (1600, 1000)
    samples: int = 128
    draft: bool = False
    knife: Knife = field(default_factory=Knife)
    routing: Routing = field(default_factory=Routing)
    kerf_mm: float = 0.15  # of a laser's beam
    paper: Paper = PAPERS["A4"]
    maps: MapOrder = field(default_factory=MapOrder)
    head: Letterhead = field(default_factory=Letterhead)
    rates: Path | None = None  # a shop's own, for the work sheet
    work: tuple[Amount, ...] = ()  # by hand
    proofs: tuple[str, ...] = ()  # to choose from on the proof sheet, by name; ALL_PROOFS: all there are

    def checked(self) -> None:
        """Raises KilnError where something of it cannot be."""
        self.knife.checked()
        self.routing.checked()
        self.head.checked()
        self.maps.checked()
        if not 0 <= self.kerf_mm <= MOST_KERF_MM:
            raise KilnError(f"A beam's kerf goes from 0 to {MOST_KERF_MM:g} mm.")
        if self.rates is not None:
            read_rates(self.rates)


@dataclass(frozen=True)
class Files:
    """What a kind gives: bytes by a file's name, and in words what it is or uses."""

    data: dict[str, bytes]
    words: str


@dataclass
class Run:
    """One handing over: whether it is still wanted, who hears how far it is, and what more than one kind is
    made from."""

    stop: Stop = lambda: False
    progress: Progress = lambda share: None
    made: dict[Any, Any] = field(default_factory=dict)
    easel: Easel = field(default_factory=Easel)

    def picture(self, job: Job, order: PictureOrder) -> Refined | None:
        """A picture, traced once; None when stopped."""
        if order not in self.made:
            self.made[order] = made_picture(job, order, self.stop, self.progress, easel=self.easel)
        found: Refined | None = self.made[order]
        return found

    def programs(self, job: Job, how: Routing) -> list[Written]:
        """The router's programs, worked out once."""
        if how not in self.made:
            self.made[how] = written(job, how)
        found: list[Written] = self.made[how]
        return found


@dataclass(frozen=True)
class Kind:
    """A way of handing a job over. ``missing``: why a job has none of it, empty where it has; ``make``: its
    files. Both raise KilnError."""

    name: str
    title: str
    formats: str
    group: str
    missing: Callable[[Job], str]
    make: Callable[[Job, Wanted, Run], Files]


def _always(_: Job) -> str:
    return ""


def _lettered(job: Job) -> str:
    return "" if any(not item.hidden for item in job.letterings) else "nothing is lettered on it"


def _picture(job: Job, wanted: Wanted, run: Run) -> Files:
    return _pictured(job, wanted, "picture.png", FileOrder(), run)


def _cut_out(job: Job, wanted: Wanted, run: Run) -> Files:
    return _pictured(job, wanted, "cut-out.png", FileOrder(transparent=True), run)


def _pictured(job: Job, wanted: Wanted, name: str, how: FileOrder, run: Run) -> Files:
    path, size = Path(name), wanted.size
    draft = wanted.draft and not how.transparent
    samples = usual_samples(job, size, wanted.samples)
    made = run.picture(job, PictureOrder(size, samples, draft, wish=wish_for(path, how)))
    if made is None:
        return Files({}, "")
    how = with_record(how, job, path)
    drawn = "a draft" if draft else f"{samples} samples a pixel"
    return Files({name: file_bytes(made, path, how)}, f"{size[0]} × {size[1]} pixels, {drawn}")


def _solid(job: Job, wanted: Wanted, run: Run) -> Files:
    names = ("piece.glb", "piece.stl", "piece.obj", "piece.ply")
    made = dict(zip(names, mesh_files(job, [Path(name) for name in names]), strict=True))
    made["piece.obj"] = with_materials(made["piece.obj"])
    return Files(made | {MTL: mtl_bytes(job)}, "one closed solid, mm (GLB: m)")


def _maps(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*map_files(job, wanted.maps, run.stop, run.progress))


def _textured(job: Job, wanted: Wanted, run: Run) -> Files:
    parts = textured_parts(job, SIZES[wanted.maps.size], run.stop, run.progress)
    if run.stop():
        return Files({}, "")
    data = {
        "piece-textured.glb": textured_glb(parts),
        "piece-textured.usdz": textured_usdz(job.name, parts),
    }
    return Files(data, f"as crafted, textures of {wanted.maps.size}, m")


def _outlines(job: Job, wanted: Wanted, run: Run) -> Files:
    sides = outlined_sides(job)
    data: dict[str, bytes] = {}
    words = []
    for side in sides:
        name = named_for("outline", side, sides)
        for ending in OUTLINE_ENDINGS:
            data[name + ending], said = outline_bytes(job, Path(name + ending), OutlineOrder(side=side))
        words.append(said if len(sides) == 1 else f"{side} {said}")
    return Files(data, "; ".join(words))


def _plotter(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*plotter_files(job, wanted.knife))


def _sheet(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*sheet_files(job, wanted.paper, SIZES[wanted.maps.size]))


def _router(job: Job, wanted: Wanted, run: Run) -> Files:
    programs = run.programs(job, wanted.routing)
    data, words = router_files(job, wanted.routing, programs)
    for number, one in enumerate(programs):
        run.progress((number + 0.5) / len(programs))
        if run.stop():
            return Files({}, "")
        said, picture = tried(job, one)
        words = f"{words}; {said}"
        if picture:
            data[f"{one.name.removesuffix('.nc')}-as-cut.png"] = picture
    return Files(data, words)


def _laser(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*laser_files(job, wanted.kerf_mm, wanted.routing.sheet))


def _print(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*print_files(job))


def _die(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*die_files(job))


def _worksheet(job: Job, wanted: Wanted, run: Run) -> Files:
    routed = not not_lettered(job) or (wanted.routing.blank and not not_routed(job))
    programs = run.programs(job, wanted.routing) if routed else []
    rates = Rates() if wanted.rates is None else read_rates(wanted.rates)
    data = worksheet_bytes(job, programs, wanted.head, wanted.paper, rates, wanted.work)
    return Files({"work-sheet.pdf": data}, wanted.paper.name)


def _holes(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*template_files(job, wanted.paper))


def _proof(job: Job, wanted: Wanted, run: Run) -> Files:
    samples = usual_samples(job, wanted.size, wanted.samples)
    made = run.picture(
        job, PictureOrder(wanted.size, samples, wanted.draft, wish=wish_for(Path("a.png"), FileOrder()))
    )
    if made is None:
        return Files({}, "")
    choices = _choices(job, wanted, run)
    if run.stop():
        return Files({}, "")
    data = proof_bytes(job, made.pixels, wanted.head, wanted.paper, choices)
    return Files({"proof.pdf": data}, f"{wanted.paper.name}, revision {wanted.head.revision}")


def _choices(job: Job, wanted: Wanted, run: Run) -> list[Choice]:
    """The proofs that a customer is to choose from, each told from the job. Raises KilnError."""
    names = [proof.name for proof in job.proofs] if wanted.proofs == (ALL_PROOFS,) else wanted.proofs
    if not names:
        return []
    jobs = [as_job(job, job.proofs[number_of(job, name)]) for name in names]
    size = min(wanted.size[0], CHOICE_PX), min(wanted.size[0], CHOICE_PX) * wanted.size[1] // wanted.size[0]
    order = PictureOrder(size, usual_samples(job, size, wanted.samples), wanted.draft)
    shown = one_light(jobs)
    pictures = pictures_of(shown, order, run.stop)
    told = [", ".join(differences(present(shown[0]), present(one))) or "as it is" for one in shown]
    return [Choice(name, words, one) for name, words, one in zip(names, told, pictures, strict=False)]


def _stitches(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*stitch_files(job))


def _bending(job: Job, wanted: Wanted, run: Run) -> Files:
    return Files(*bending_files(job, wanted.paper))


ALL_PROOFS, CHOICE_PX = "all", 900
SHOW, RENDER, MAKE, SHOP = "To show", "To render elsewhere", "To make it", "For the shop"
KINDS = (
    Kind("picture", "Picture", "PNG", SHOW, _always, _picture),
    Kind("proof", "Proof to sign", "PDF", SHOW, _lettered, _proof),
    Kind("cut-out", "Picture without ground", "PNG", SHOW, _always, _cut_out),
    Kind("solid", "Solid", "GLB, STL, OBJ, PLY", RENDER, _always, _solid),
    Kind("textured", "Solid with textures", "GLB, USDZ", RENDER, _always, _textured),
    Kind("maps", "Map set", "PNG, TIFF, EXR", RENDER, without_maps, _maps),
    Kind("outline", "Outlines", "SVG, DXF", MAKE, _lettered, _outlines),
    Kind(
        "plotter",
        "Film for a plotter",
        "HPGL, SVG, DXF",
        MAKE,
        lambda job: without_work(job, "printed", Printed),
        _plotter,
    ),
    Kind(
        "sheet",
        "Sheet for a printer",
        "PDF, SVG, PNG",
        MAKE,
        lambda job: without_work(job, "printed", Printed),
        _sheet,
    ),
    Kind("router", "Programs for a router", "RS-274", MAKE, not_routed, _router),
    Kind("laser", "Layers for a laser", "SVG, DXF, PNG", MAKE, not_lasered, _laser),
    Kind(
        "stitches",
        "Stitch list",
        "CSV",
        MAKE,
        lambda job: without_work(job, "embroidered", Embroidered),
        _stitches,
    ),
    Kind("print", "Print in two materials", "3MF", MAKE, without_two, _print),
    Kind("die", "Die for pressing", "STL, SVG, DXF", MAKE, without_die, _die),
    Kind("work-sheet", "Work sheet", "PDF", SHOP, _lettered, _worksheet),
    Kind("holes", "Template for holes", "PDF, DXF", SHOP, without_holes, _holes),
    Kind("bending", "Plan for a bender", "PDF, DXF", SHOP, without_tubes, _bending),
)
CONTENTS = "contents.txt"


def _part(progress: Progress, number: int, count: int) -> Progress:
    """What hears the share done of one of several kinds, and tells that of all."""
    return lambda share: progress((number + share) / count)


def kinds_named(names: str) -> tuple[Kind, ...]:
    """The kinds of a list of names with commas between. Raises KilnError for one that is not known."""
    known = {kind.name: kind for kind in KINDS}
    wanted = [name.strip() for name in names.split(",") if name.strip()]
    for name in wanted:
        if name not in known:
            raise KilnError(f"“{name}” is not handed over; what is: {', '.join(known)}.")
    if not wanted:
        raise KilnError(f"Say what is handed over: {', '.join(known)}.")
    return tuple(known[name] for name in wanted)


def hand_over(
    job: Job,
    folder: Path,
    kinds: tuple[Kind, ...],
    wanted: Wanted | None = None,
    stop: Stop = lambda: False,
    progress: Progress = lambda share: None,
    easel: Easel | None = None,
) -> list[Path]:
    """Write what is chosen of a job into a folder, with a list of its contents; each file whole or not at
    all. Nothing is written where something chosen cannot be made, or when stopped. ``easel``: what the
    quick pictures of other jobs are drawn on as well. Raises KilnError."""
    wanted = wanted or Wanted()
    wanted.checked()
    for kind in kinds:
        if why := kind.missing(job):
            raise KilnError(f"{kind.title} cannot be handed over: {why}.")
    made: dict[str, bytes] = {}
    lines = [job.name, ""]
    run = Run(stop, easel=easel or Easel())
    for number, kind in enumerate(kinds):
        run.progress = _part(progress, number, len(kinds))
        files = kind.make(job, wanted, run)
        if stop():
            return []
        made |= files.data
        lines += [f"{kind.title}: {files.words}", *(f"    {name}" for name in files.data), ""]
        progress((number + 1) / len(kinds))
    make_folder(folder)
    made[CONTENTS] = "\n".join(lines).encode()
    for name, data in made.items():
        write_whole(folder / name, data)
    return [folder / name for name in made]
