"""Every control of the ticket does what it promises: what its words name changes, and what they do not name
stays as it was."""

import io
import re
import unittest
from functools import lru_cache

import numpy as np
import shapely
from PIL import Image

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Form
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.photo import Photo, Told
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.job.turning import CRAFTS, FINISHES, with_craft
from kilnchisel.core.kinds import named
from kilnchisel.core.photo.marks import beginning
from kilnchisel.core.photo.masks import kept_mask
from kilnchisel.core.scene.onfolds import warp_of
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from kilnchisel.ui.ticket.sections import SECTIONS, specs
from tests.each import each, spread
from tests.outside.test_fields import ramp

GROUPS = frozenset(
    ("letters", "fit", "arrangement", "outline", "around", "single", "rules")
    + ("lights", "lamp0", "lamp1", "ground", "camera", "exposure", "photo")
)
NO_VALUE = ("link", "group", "letter", "scope")  # these open something, or choose what others are about


def rounded(values):
    return tuple(np.round(np.ravel(values), 5).tolist())


def face(panel):
    return None if panel.face is None else rounded(panel.face[::6, ::6])


class Seen:
    """What can be seen and measured of a job, aspect by aspect, each worked out when it is asked for."""

    def __init__(self, job):
        self.job = job

    @property
    def _laid(self):
        return lettering_laid(self.job, 0)

    def body(self, detail=Detail.ROUGH):
        body = body_of(self.job.blank, detail=detail)
        shells = [
            (x.name, len(x.mesh.faces), rounded(x.mesh.bounds), rounded(area(x.mesh))) for x in body.shells
        ]
        sheets = [
            (
                x.side.name,
                rounded(x.side.domain.bounds),
                rounded(x.side.domain.area),
                round(x.side.wall_mm, 4),
            )
            + tuple(
                (i.name, rounded(i.area.area), rounded(i.area.bounds), round(i.height_mm, 5))
                for i in x.insets
            )
            + (
                ()
                if x.net is None
                else (rounded(x.side.to_body(x.net.points, np.zeros(len(x.net.points)))),)
            )
            for x in body.sheets
        ]
        return shells, sheets

    def ink(self):
        """The form of the lettering, wherever it lies."""
        laid = self._laid
        layers = [
            (x.kind, x.raster is not None, *measures(x.region), round(x.height, 4))
            for x in laid.outline.layers
        ]
        middle = np.array(shapely.centroid(laid.outline.ink).coords[0])
        letters = [x.region for x in laid.outline.letters if not x.region.is_empty]
        apart = [rounded(np.array(shapely.centroid(x).coords[0]) - middle) for x in letters]
        lines = [rounded(line) for line in laid.outline.lines]
        return layers, apart, lines, len(laid.placing.copies), measures(laid.ink)[:2], laid.outline.as_drawn

    def place(self):
        laid = self._laid
        return laid.side.name, rounded(laid.frame), rounded(shapely.centroid(laid.ink).coords)

    def relief(self):
        """The solid parts of the lettering, and the ground that it changes."""
        parts = [x for x in piece_of(self.job).parts if x.lettering is not None or not x.uncut]
        return [
            (x.name, x.role, len(x.mesh.faces), rounded(x.mesh.bounds), rounded(area(x.mesh)))
            for x in parts
        ]

    def lamps(self):
        lamps = scene_of_job(self.job).lamps
        return None if lamps is None else (len(lamps.start), rounded(lamps.radius), rounded(lamps.radiance))

    def _materials(self, wanted):
        items = {item.name: item.material for item in scene_of_job(self.job).items}
        # of what only lettering is seen of, some parts are not there
        return [items.get(part.name) for part in piece_of(self.job).parts if wanted(part)]

    def behind(self):
        return self._materials(lambda part: part.role == "lamp")

    def letters(self):
        return self._materials(lambda part: part.lettering == 0 and part.role != "blank")

    def blank(self):
        return self._materials(lambda part: part.lettering is None and part.role == "blank")

    def rim(self):
        return self._materials(lambda part: part.role == "rim")

    def detail(self):
        return self._materials(lambda part: part.role == "detail")

    def plates(self):
        return self._materials(lambda part: part.role == "number plate")

    def light(self):
        scene = scene_of_job(self.job)
        panels = tuple(
            (rounded(panel.middle), rounded(panel.half), rounded(panel.radiance), panel.throws, face(panel))
            for panel in scene.panels
        )
        return rounded(scene.room.radiance.mean(axis=(0, 1))), round(scene.room.turn, 5), panels

    def exposure(self):
        return rounded(scene_of_job(self.job).gain)

    def ground(self):
        scene = scene_of_job(self.job)
        behind = rounded(scene.backdrop.seen(view_of(self.job)).mean(axis=(0, 1)))
        if scene.base is None:
            return None, 0, behind
        return scene.base.material, len(scene.base.mesh.points), behind

    def glow(self):
        return scene_of_job(self.job).glow

    def stance(self):
        return rounded(scene_of_job(self.job).stance)

    def camera(self):
        view = view_of(self.job)
        sharp = round(view.opening_mm, 4), round(view.focus_mm, 4)
        return rounded(view.eye), rounded(view.ahead), round(view.tall, 6), sharp

    def taken(self):
        """What the mockup is told of how it is to belong to its photo; tests/outside/test_photo_truth.py
        sees it done."""
        taken = scene_of_job(self.job).photo.photo
        own = taken.halo, taken.packed, taken.blacks, taken.whites
        return taken.soft, taken.grain, taken.grown_mm, *own

    def stands(self):
        """What nothing in its photo hides; tests/outside/test_photo_truth.py sees it done."""
        return scene_of_job(self.job).before

    def warp(self):
        """Where the lettering goes on cloth, and in which light and dark."""
        size = (150, 100)
        warp = warp_of(scene_of_job(self.job), view_of(self.job, 1.5), size)
        return None if warp is None else [rounded(one[::7, ::7]) for one in (warp.x, warp.y, warp.shade)]

    def verdict(self):
        told = [(check.key, check.level, check.says) for check in checks(self.job, 0)]
        return told, [(one.key, round(one.value, 5)) for one in readings(self.job, 0)]


@lru_cache(maxsize=200)
def seen(job, aspect):
    """One aspect of a job: many controls are shown by the same one."""
    return getattr(Seen(job), aspect)()


def area(mesh):
    a, b, c = (mesh.points[mesh.faces[:, k]] for k in range(3))
    return np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2


def measures(region):
    left, low, right, high = region.bounds if not region.is_empty else (0, 0, 0, 0)
    return round(region.area, 5), round(region.length, 4), round(right - left, 5), round(high - low, 5)


GEOMETRY = ("body", "ink", "place", "relief")
LOOKS = ("letters", "blank", "rim", "detail")
SCENE = ("light", "exposure", "ground", "stance", "camera")
# what a control's key ends in -> what must change | what must stay
PROMISES: tuple[tuple[str, tuple[str, ...], tuple[str, ...]], ...] = (
    (r"blank\.stock_mm|blank\.keep_mm", ("verdict",), ("body", "ink")),
    (r"blank\.(brightness|light_colour)", ("blank",), ("body", "ink", "relief")),
    (r"blank\.lit", ("behind",), ("body", "ink", "relief")),
    (r"blank\..*", ("body",), ()),
    (r"letterings\.0\.finish\..*", ("letters",), ("body", "ink", "blank", "rim")),
    (r"letter\.\d+\.(finish|colour)", ("letters",), ("body", "blank", "rim")),
    (r"rim_finish\..*", ("rim",), GEOMETRY + ("letters", "detail")),
    (r"detail_finish\..*", ("detail",), GEOMETRY + ("rim",)),
    (r"finish\..*", ("blank",), GEOMETRY + ("rim", "detail")),
    (r"plates\..*", ("plates",), GEOMETRY + LOOKS),
    (r"wear\..*", ("blank",), GEOMETRY),
    (r".*craft\.kind", ("relief",), ("body",)),
    (
        r".*craft\.(darkened|glow|underprint|lets_through)|.*craft\.(carrier|ground|border|glow|own)_colour",
        ("letters",),
        ("body", "relief"),
    ),
    (r".*craft\.return_finish\..*", ("letters",), ("body", "relief")),
    (r".*craft\.(colour|light_colour|brightness)", ("shining",), ("body", "relief")),
    (r".*craft\.(lit)", ("lamps",), ("body", "relief")),
    (r".*craft\.light", ("letters",), ("body", "ink")),
    (r".*craft\..*", ("relief",), ("body", "camera")),
    (r".*lay\.(stretch_limit|seam_deg)", ("verdict",), ("body", "ink")),
    (r".*lay\.(along_mm|across_mm)|along_deg", ("place",), ("body",)),
    (r".*lay\.(turn_deg|mirrored|side|at place)", ("place",), ("body",)),
    (r"letterings\.\d+\.before", ("stands",), GEOMETRY + SCENE),
    (r".*lay\.(both|wrap|cone)", ("relief",), ("body",)),
    (r"spread_deg", ("ink",), ("body",)),
    (r".*repeat\..*|.*lay\.repeat\..*", ("relief",), ("body",)),
    (
        r"setting\.photo\.(soft|grain|grown_mm|halo|packed|blacks|whites)",
        ("taken",),
        GEOMETRY + ("camera", "letters", "blank"),
    ),
    (r"setting\.photo\.(cloth|folds\..*)", ("warp",), GEOMETRY),
    (r"setting\.photo\.shown", ("blank",), GEOMETRY),
    (r"setting\.photo\..*", ("camera",), GEOMETRY + ("letters", "rim", "detail")),
    (r"setting\.camera\.(f_number|focus_mm)", ("camera",), GEOMETRY + LOOKS + ("light", "stance")),
    (r"setting\.camera\..*", ("camera",), GEOMETRY + LOOKS + ("light", "ground")),
    (r"setting\.set", ("light", "ground", "camera"), GEOMETRY + LOOKS),
    (r"setting\.(exposure|white_kelvin)", ("exposure",), GEOMETRY + LOOKS + ("light", "camera")),
    (r"setting\.light\..*", ("light",), GEOMETRY + LOOKS + ("camera", "stance")),
    (r"setting\.exposure_stops", ("exposure",), GEOMETRY + LOOKS + ("light", "camera")),
    (r"setting\.ground\..*", ("ground",), GEOMETRY + LOOKS + ("light", "camera")),
    (r"setting\.stance", ("stance",), GEOMETRY + LOOKS),
    (r"setting\.glow\..*", ("glow",), GEOMETRY + LOOKS + ("light", "camera")),
    (r".*\.standard", ("verdict",), GEOMETRY + LOOKS),
    (r".*backing\.height", ("relief",), ("body",)),
    (r".*(backing|contour)\.(own|colour)|.*(backing|contour)\.finish.*", ("letters",), ("body", "ink")),
    (
        r"letter\..*|text|drawn|.*\.there|shape\.kind|fit\.by|.*content\..*|arrangement\.kind",
        ("ink",),
        ("body",),
    ),
)
# what only one sample shows: the key's end -> the value to try, instead of a step from the present one
TRIED = {
    "longest_mm": 200.0,
    "return_finish.kind": "brass",
    "bend": 4.0,
    "seed": 7,
    "fillet_mm": 0.12,
    "stretch_limit": 0.0,
    "seam_deg": 20.0,
    "standard": "tactile sign",
    "gap_mm": 30.0,
    "iso": 60.0,
    "us": 9.0,
    "round_mm": 0.4,
    "cutter_mm": 1.2,
    "slot_mm": 4.0,
    "uneven": 60.0,
    "patina": 70.0,
}


def samples():
    """Jobs that show every control between them, by name."""
    found = {kind: fresh_job(kind, "RS 8\nOVAL") for kind in KINDS}
    found["in a set"] = fitted(fresh_job("plaque", "RS8"), "table by a window")
    base = change(fresh_job("plaque", "RS8"), ("blank", "thickness_mm"), 20.0)
    base = change(base, ("letterings", 0, "content", "cap_height_mm"), 24.0)
    for kind in CRAFTS:
        job = change(base, ("letterings", 0, "content"), ramp()) if kind == "relief" else base
        if kind == "tube":  # more than one tube is long
            job = change(job, ("letterings", 0, "content", "cap_height_mm"), 90.0)
        found[f"craft {kind}"] = with_craft(job, 0, kind)
    found["letters stand on a slope"] = with_craft(fresh_job("bank", "RS8"), 0, "standing")
    for kind in FINISHES:
        if kind not in ("ink", "as the blank"):
            found[f"finish {kind}"] = change(base, ("finish",), {"kind": kind})
    for kind in named(Told):
        found[f"in a photo, by {kind}"] = in_a_photo(base, kind)
    hides = kept_mask(np.pad(np.ones((200, 150)), ((0, 0), (0, 150))), "half")
    behind = in_a_photo(base, "rectangle")
    found["behind what hides it in a photo"] = change(behind, ("setting", "photo", "before"), hides)
    for kind in named(Form):
        found[f"shape {kind}"] = change(
            base, ("letterings", 0, "content"), {"kind": "shape", "form": {"kind": kind}}
        )
    return found


@lru_cache(maxsize=1)
def grey_photo():
    data = io.BytesIO()
    y, x = np.mgrid[:200, :300]
    folded = 140 + 30 * np.sin((0.8 * x + 0.6 * y) / 6)  # as cloth is light and dark
    Image.fromarray(np.repeat(folded[..., None], 3, axis=2).astype(np.uint8)).save(data, "PNG")
    return keep_asset(data.getvalue(), "grey.png")


def in_a_photo(job, kind):
    told = beginning(kind, (300, 200))
    if kind == "rectangle":  # straight on, so that the lens is not told by it
        told = told.model_copy(
            update={"corners": ((90.0, 140.0), (210.0, 140.0), (210.0, 60.0), (90.0, 60.0))}
        )
        told = told.model_copy(update={"width_mm": 1200.0, "height_mm": 800.0})
    photo = Photo(sha256=grey_photo(), name="grey.png", width_px=300, height_px=200, told=told)
    return change(job, ("setting", "photo"), photo)


@lru_cache(maxsize=1)
def controls():
    """Every control once, with the first job that shows it: name -> (section, key, job). Options of choices
    and switches are gone into one step, for what they bring along."""
    found = {}

    def note(job):
        for section in SECTIONS:
            for spec in specs(job, section, 0, GROUPS):
                if spec.kind not in NO_VALUE and spec.key != "craft.recipe":
                    found.setdefault(re.sub(r"^\d+\.", "", spec.key), (section, spec.key, job))

    jobs, tried = samples(), set()
    for job in jobs.values():
        note(job)
    for job in jobs.values():
        one = job.letterings[0]
        for section in SECTIONS:
            for spec in specs(job, section, 0, GROUPS):
                chosen = spec.kind in ("choice", "switch", "menu")
                if not chosen or spec.key in ("blank.kind", "craft.recipe"):
                    continue
                for value, _ in spec.options[:16]:
                    # one choice brings the same along on every blank, but not with every craft; in the
                    # setting, with these too
                    about = () if section == "setting" else (one.craft.kind, one.content.kind)
                    step = spec.key, str(value), *about
                    if step in tried:
                        continue
                    try:
                        note(spec.put(job, value))
                    except KilnError:
                        continue  # refused with a sentence: nothing comes of it
                    tried.add(step)
    return found


def values_for(spec, job):
    """Other values to try: the first that is taken is used."""
    value, end = spec.get(job), spec.key.rsplit(".", 1)[-1]
    tried = next((other for key, other in TRIED.items() if spec.key.endswith(key)), None)
    if tried is not None:
        return [tried]
    if spec.kind in ("choice", "switch", "menu", "set"):
        return [option for option, _ in spec.options if option not in (value, "own", "")]
    if spec.kind == "colour":
        return ["#20a010"]
    if spec.kind in ("words", "line"):
        return ["0 0; 50 100; 100 20" if end == "profile" else "XY"]
    if spec.kind in ("angle", "stops"):
        return [value + 7 if spec.kind == "angle" else value + 1]
    if spec.kind in ("count", "carat"):
        return [value + 2, value - 2, value + 1, value - 1]
    return [value * 1.3, value * 0.8] if value else [5.0, 1.0, 0.3]


@spread
class Promises(unittest.TestCase):
    @each(SECTIONS)
    def test_each_control_of(self, section):
        mine = {name: at for name, at in controls().items() if at[0] == section}
        for name, (_, key, job) in mine.items():
            with self.subTest(name):
                self.kept(section, key, job)

    def kept(self, section, key, job):
        spec = next(x for x in specs(job, section, 0, GROUPS) if x.key == key)
        plain = re.sub(r"^\d+\.", "", key)
        promise = next((p for p in PROMISES if re.fullmatch(p[0], plain)), None)
        self.assertIsNotNone(promise, "a control of which nobody says what it changes")
        for value in values_for(spec, job):
            try:
                made = spec.put(job, value)
            except KilnError:
                continue
            if made != job:
                break
        else:
            self.fail("no other value is taken")
        _, changes, stays = promise
        if changes == ("shining",):  # tubes are lamps, what is lit evenly is a material
            told = [(seen(one, "lamps"), seen(one, "letters")) for one in (job, made)]
            self.assertNotEqual(*told)
        else:
            for aspect in changes:
                told = seen(job, aspect), seen(made, aspect)
                if told[0] == told[1] and aspect == "body":  # it may be what a rough one leaves out
                    told = tuple(Seen(one).body(Detail.FINE) for one in (job, made))
                self.assertNotEqual(*told, f"{aspect}, {value}")
        for aspect in stays:
            self.assertEqual(seen(job, aspect), seen(made, aspect), f"{aspect} too, {value}")

    def test_sizes_come_out_as_they_are_typed(self):
        job = fresh_job("mug", "TARN 8")
        path = ("letterings", 0, "content")
        laid = lettering_laid(job, 0)
        larger = lettering_laid(change(job, (*path, "cap_height_mm"), 2 * laid.outline.cap_height_mm), 0)
        self.assertAlmostEqual(larger.height_mm / laid.height_mm, 2.0, delta=1e-3)
        moved = lettering_laid(change(job, ("letterings", 0, "lay", "along_mm"), 12.5), 0)
        shift = np.subtract(shapely.centroid(moved.ink).coords[0], shapely.centroid(laid.ink).coords[0])
        np.testing.assert_allclose(shift, (12.5, 0.0), atol=1e-6)
        turned = lettering_laid(change(job, ("letterings", 0, "lay", "turn_deg"), 30.0), 0)
        edge = turned.frame[1] - turned.frame[0]
        self.assertAlmostEqual(np.degrees(np.arctan2(edge[1], edge[0])), 30.0, places=4)
        spaced = lettering_laid(change(job, (*path, "letter_spacing_mm"), 2.0), 0)
        gaps = len("TARN 8") - 1
        self.assertAlmostEqual(spaced.width_mm - laid.width_mm, 2.0 * gaps, delta=0.2)

    def test_depths_and_heights_come_out_as_they_are_typed(self):
        for kind, field, value in (("engraved", "depth_mm", 0.7), ("raised", "height_mm", 1.9)):
            job = with_craft(fresh_job("plaque", "I"), 0, kind)
            job = change(job, ("letterings", 0, "craft", field), value)
            points = np.concatenate([p.mesh.points for p in piece_of(job).parts if p.lettering == 0])
            front = body_of(job.blank).sheet("front").side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 1]
            wanted = value if kind == "engraved" else -value  # the front faces -y
            far = points[np.abs(points[:, 1] - front).argmax(), 1] - front
            self.assertAlmostEqual(float(far), wanted, places=6)


if __name__ == "__main__":
    unittest.main()
