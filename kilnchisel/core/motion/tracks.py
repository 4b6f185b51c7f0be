"""What moves, and how: each track gives the job, and how far the piece is turned, at any time of a film."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.easing import eased
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.boards import BoxSign
from kilnchisel.core.job.cameras import place_named, walked_to
from kilnchisel.core.job.crafts import CutThrough, Engraved, Standing, Tube
from kilnchisel.core.job.edits import letter_change, with_letter
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Camera
from kilnchisel.core.job.traits import traits_of
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.scene.onphoto import light_turned
from kilnchisel.core.scene.stance import stance_shown
from kilnchisel.core.units import within_turn

Array = NDArray[Any]

FRAMES, EASES = ("png", "exr"), ("even", "soft")
SWING_DEG, SWEEP_DEG = 35.0, 140.0  # to either side; of a light
LEAST_BRIGHT = 5.0  # per cent: the dimmest that a tube can be told to be
MOST_STOPPED = 90.0  # f-number: beyond, it is closed to a point
STRIKES_S = (0.15, 0.9)  # a gas takes so long to strike, once there is voltage: from memory
TRIES_S, WARM_S = 0.7, 2.5  # it flickers so long, and is so long at coming to its brightness: from memory
COLD = 0.55  # of its brightness when it has struck
# how bright it is where no pulse is, and how far a pulse reaches: along a tube, of its length, and over
# letterings that are no tubes
REST, REACH, WHOLE_REACH = 0.2, 0.16, 0.4
# what glows at the electrodes before a gas has struck: how bright, and how far from an end, of a tube's
# length: from memory
ENDS, ENDS_FAR = 0.22, 0.05
EDGE = 0.02  # of a tube's length: how soft the end of what is lit so far is
STAYS = 1.5  # all that appears is there when one part in this of the film has gone


Along = Callable[[int, Array], Array]  # a lettering's number, places (n,) along its tubes: shares (n,)


@dataclass(frozen=True)
class Moment:
    """A job at one time of a film; ``turn_deg``: how far its piece is turned on what it stands on;
    ``along``: how bright its tubes are along their length, where that is not everywhere the same;
    ``began``: the camera that it began with, where that goes."""

    job: Job
    turn_deg: float = 0.0
    along: Along | None = None
    began: Camera | None = None


@dataclass(frozen=True)
class Film:
    """How a film is made. ``places``: camera places that it goes between; ``samples``: a pixel, 0 for quick
    pictures; ``loop``: its end goes on into its beginning: a track that does not end where it began goes
    there and back."""

    track: str = "turntable"
    seconds: float = 6.0
    fps: int = 25
    size: tuple[int, int] = (1280, 720)
    samples: int = 0
    seed: int = 1
    places: tuple[str, ...] = ()
    frames_as: str = "png"  # in a folder, or "exr"
    clear: bool = False  # frames without ground and what is behind, in a folder
    ease: str = "even"  # or "soft": slow at both ends
    loop: bool | None = None  # None: as its track goes

    @property
    def loops(self) -> bool:
        """Whether its end goes on into its beginning."""
        return self.track in LOOPS if self.loop is None else self.loop

    @property
    def frames(self) -> int:
        """How many pictures it has."""
        return max(round(self.seconds * self.fps), 1)

    def checked(self) -> Film:
        """The same, if it can be made. Raises KilnError."""
        if self.track not in TRACKS:
            raise KilnError(f"“{self.track}” moves nothing; there is {', '.join(TRACKS)}.")
        if not 0.2 <= self.seconds <= 600:
            raise KilnError("A film lasts from 0.2 s to 10 minutes.")
        if not 1 <= self.fps <= 120:
            raise KilnError("A film has from 1 to 120 frames a second.")
        if self.ease not in EASES:
            raise KilnError(f"“{self.ease}” is no way to go; there is {', '.join(EASES)}.")
        if self.frames_as not in FRAMES:
            raise KilnError(f"“{self.frames_as}” is no way to keep frames; there is {', '.join(FRAMES)}.")
        if (self.clear or self.frames_as == "exr") and not self.samples:
            raise KilnError("EXR and a clear ground come from the mockup, not from quick pictures.")
        if min(self.size) < 16 or max(self.size) > 7680:
            raise KilnError("A film is from 16 to 7680 pixels wide and tall.")
        return self


Track = Callable[[Job, Film, float], Moment]  # of the job, the film and the share of it that has gone


def moment(job: Job, film: Film, frame: int) -> Moment:
    """The job at a frame of its film, the first being 0. Raises KilnError where the job has nothing that
    would move so."""
    share = frame / film.frames if film.loops else frame / max(film.frames - 1, 1)
    if film.loops and film.track not in LOOPS:
        share = 1 - abs(1 - 2 * share)
    if film.ease == "soft":
        share = eased(share)
    return TRACKS[film.track](job, film, share)


def _turntable(job: Job, film: Film, share: float) -> Moment:
    stays = traits_of(job.blank).stays or stance_shown(job) == "hung"
    if job.setting.photo is not None or stays:
        raise KilnError("What hangs, or stands in a photo, does not turn; “swing” goes round it.")
    return Moment(job, 360.0 * share)


def _swing(job: Job, film: Film, share: float) -> Moment:
    camera = job.setting.camera
    turn = camera.turn_deg + SWING_DEG * math.sin(2 * math.pi * share)
    walked = camera.model_copy(update={"turn_deg": walked_to(job, turn)})
    return Moment(_seen(job, walked), began=camera)


def _between(job: Job, film: Film, share: float) -> Moment:
    """From place to place, slowly at each."""
    cameras = [place_named(job, name).camera for name in film.places]
    if len(cameras) < 2:
        raise KilnError("The camera goes between two places at least: --places front,detail")
    at = share * (len(cameras) - 1)
    leg = min(int(at), len(cameras) - 2)
    part = eased(at - leg)
    old, new = cameras[leg], cameras[leg + 1]
    update: dict[str, Any] = {}
    for name in ("tilt_deg", "shift_mm", "rise_mm", "focus_mm"):
        update[name] = (1 - part) * getattr(old, name) + part * getattr(new, name)
    # by how wide the lens is open: 0 is closed to a point, not open beyond all measure
    wide = [1 / camera.f_number if camera.f_number else 0.0 for camera in (old, new)]
    opening = (1 - part) * wide[0] + part * wide[1]
    update["f_number"] = 1 / opening if opening > 1 / MOST_STOPPED else 0.0
    for name in ("distance_mm", "lens_mm"):  # by ratio: as fast near as far
        update[name] = float(getattr(old, name) ** (1 - part) * getattr(new, name) ** part)
    round_it = within_turn(new.turn_deg - old.turn_deg)
    update["turn_deg"] = within_turn(old.turn_deg + part * round_it)
    return Moment(_seen(job, old.model_copy(update=update)), began=cameras[0])


def _light(job: Job, film: Film, share: float) -> Moment:
    """The lights that are set up, the key light and the room go round together, there and back."""
    by = SWEEP_DEG / 2 * math.sin(2 * math.pi * share)
    setting = job.setting.model_copy(update={"light": light_turned(job.setting.light, by)})
    return Moment(job.model_copy(update={"setting": setting}))


def _start_up(job: Job, film: Film, share: float) -> Moment:
    """Switched on: each tube strikes when its gas does, flickers, and comes to its brightness."""
    time = share * film.seconds

    def bright(number: int) -> float:
        rng = np.random.default_rng((film.seed, number))
        strikes = rng.uniform(*STRIKES_S)
        if time < strikes:
            return 0.0
        since = time - strikes
        warm = COLD + (1 - COLD) * (1 - math.exp(-3 * since / WARM_S))
        if since < TRIES_S:  # on and off in short bursts, on the longer the later it is
            bursts = rng.uniform(0.02, 0.14, 24).cumsum()
            on = int(np.searchsorted(bursts, since)) % 2 == 0 or rng.random() < since / TRIES_S
            return warm if on else 0.0
        return warm

    def ends(index: int, places: Array) -> Array:
        """The ends of a tube glow first."""
        glow = ENDS * np.exp(-np.minimum(places, 1 - places) / ENDS_FAR)
        return glow if index in dark else np.ones(len(places))

    dark: set[int] = set()
    lit = _lit(job, bright).job
    items = list(lit.letterings)
    for number, index in enumerate(_shining(job)):
        craft = job.letterings[index].craft
        if time > 0 and isinstance(craft, Tube) and craft.form == "glass" and not bright(number):
            items[index] = items[index].model_copy(update={"craft": craft})
            dark.add(index)
    return Moment(lit.model_copy(update={"letterings": tuple(items)}), along=ends if dark else None)


def _flicker(job: Job, film: Film, share: float) -> Moment:
    """A tube that is about to fail: steady, with dips and short breaks."""
    time = share * film.seconds

    def bright(number: int) -> float:
        rng = np.random.default_rng((film.seed, number, 7))
        breaks = rng.uniform(0, film.seconds, max(round(1.5 * film.seconds), 1))
        wide = rng.uniform(0.04, 0.16, len(breaks))
        deep = rng.uniform(0.2, 1.0, len(breaks))
        here = np.abs(time - breaks) < wide / 2
        return 1.0 - float(deep[here].max()) if here.any() else 1.0

    return _lit(job, bright)


def _pulse(job: Job, film: Film, share: float) -> Moment:
    """A pulse that goes from lettering to lettering, along the tubes of those that are tubes."""
    order = _shining(job)
    count = max(len(order) + _face_shines(job), 1)

    def pulse(at: Any, reach: float) -> Any:
        far = np.abs((share * count - at + count / 2) % count - count / 2)
        return REST + (1 - REST) * np.exp(-((far / reach) ** 2))

    def along(index: int, places: Array) -> Array:
        if index not in order:
            return np.ones(len(places))
        return np.asarray(pulse(order.index(index) + places, REACH))

    def bright(number: int) -> float:
        tube = number < len(order) and isinstance(job.letterings[order[number]].craft, Tube)
        return 1.0 if tube else float(pulse(number + 0.5, WHOLE_REACH))

    tubes = any(isinstance(job.letterings[index].craft, Tube) for index in order)
    return replace(_lit(job, bright), along=along if tubes else None)


def _on_off(job: Job, film: Film, share: float) -> Moment:
    return _lit(job, lambda number: 1.0 if share < 0.5 else 0.0)


def _in_order(job: Job, film: Film, share: float) -> Moment:
    """One letter after the other appears, tubes light up along their length, what has no letters comes as a
    whole; all of it stays for the last third."""
    counts = {k: _units(item) for k, item in enumerate(job.letterings) if not item.hidden}
    if not counts:
        raise KilnError("There is no lettering that could appear.")
    gone = min(share * STAYS, 1.0) * sum(counts.values())
    items, lit = list(job.letterings), {}
    for index, count in counts.items():
        there = min(max(gone, 0.0), count)
        item = items[index]
        if isinstance(item.craft, Tube) and item.craft.lit:
            lit[index] = there / count
        elif there <= 0:
            items[index] = item.model_copy(update={"hidden": True})
        elif there < count and isinstance(item.content, Wording):
            items[index] = item.model_copy(update={"content": _with_first(item.content, math.ceil(there))})
        gone -= count

    def along(index: int, places: Array) -> Array:
        if index not in lit:
            return np.ones(len(places))
        end = lit[index] * (1 + EDGE)
        return np.clip((end - places) / EDGE, 0.0, 1.0)

    return Moment(job.model_copy(update={"letterings": tuple(items)}), along=along if lit else None)


def _units(item: Lettering) -> int:
    """How many parts of a lettering appear one after the other."""
    return max(len(_seen_letters(item.content)), 1) if isinstance(item.content, Wording) else 1


def _seen_letters(wording: Wording) -> list[int]:
    """The places in the text of what is no space."""
    return [at for at, letter in enumerate(wording.text) if not letter.isspace()]


def _with_first(wording: Wording, count: int) -> Wording:
    """A wording with only so many of its letters shown; the others keep their room."""
    for at in _seen_letters(wording)[count:]:
        wording = with_letter(wording, letter_change(wording, at).model_copy(update={"hidden": True}))
    return wording


def _shining(job: Job) -> list[int]:
    """The letterings that shine."""
    return [k for k, item in enumerate(job.letterings) if not item.hidden and _shines(item.craft)]


def _shines(craft: Any) -> bool:
    if isinstance(craft, Tube):
        return craft.lit
    if isinstance(craft, Standing):
        return craft.light != "none"
    if isinstance(craft, CutThrough):
        return craft.behind == "light"
    return isinstance(craft, Engraved) and craft.glow > 0


def _lit(job: Job, bright: Callable[[int], float]) -> Moment:
    """What shines at a share of its brightness, the first lettering being number 0, a lit face the last.
    Raises KilnError where nothing does."""
    face = _face_shines(job)
    if not face and not _shining(job):
        raise KilnError("Nothing on it shines: tubes, lit letters, faces and openings do.")
    items, number = [], 0
    for item in job.letterings:
        if not item.hidden and _shines(item.craft):
            item = item.model_copy(update={"craft": _at(item.craft, bright(number))})
            number += 1
        items.append(item)
    update: dict[str, Any] = {"letterings": tuple(items)}
    if face and isinstance(job.blank, BoxSign):
        bright_face = job.blank.brightness * bright(number)
        update["blank"] = job.blank.model_copy(update={"brightness": bright_face})
    return Moment(job.model_copy(update=update))


def _face_shines(job: Job) -> bool:
    """Whether the piece is a sign whose face is lit from inside."""
    return isinstance(job.blank, BoxSign) and job.blank.brightness > 0


def _at(craft: Any, share: float) -> Any:
    """A craft at a share of its brightness; dimmer than it can be told to be it is off."""
    if isinstance(craft, Engraved):
        return craft.model_copy(update={"glow": craft.glow * share})
    bright = craft.brightness * share
    if bright >= LEAST_BRIGHT:
        return craft.model_copy(update={"brightness": bright})
    if isinstance(craft, Tube):
        return craft.model_copy(update={"lit": False})
    if isinstance(craft, Standing):
        return craft.model_copy(update={"light": "none"})
    return craft.model_copy(update={"brightness": LEAST_BRIGHT})


def _seen(job: Job, camera: Camera) -> Job:
    setting = job.setting.model_copy(update={"camera": camera})
    return job.model_copy(update={"setting": setting})


TRACKS: dict[str, Track] = {
    "turntable": _turntable,
    "swing": _swing,
    "places": _between,
    "light": _light,
    "start-up": _start_up,
    "flicker": _flicker,
    "pulse": _pulse,
    "on-off": _on_off,
    "in-order": _in_order,
}
BY_CHANCE = ("start-up", "flicker")  # in which a seed counts
LOOPS = ("turntable", "swing", "light", "pulse", "on-off")  # whose end is their beginning
