"""A film made by the command in a process of its own: the window stays free, and to stop it is to end that;
the frames that there are stay for the next time."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from kilnchisel.core.errors import KilnError
from kilnchisel.core.motion.film import ENDINGS
from kilnchisel.core.motion.tracks import BY_CHANCE, Film
from kilnchisel.ui.away import away
from kilnchisel.ui.folder import Handing
from kilnchisel.ui.targets import ask_target

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window


def make_film(window: Window) -> None:
    """Let the person choose a film, and where it goes, and make it."""
    from kilnchisel.ui.filmpage import FilmPage

    page = FilmPage(window.session.job, window)
    if not page.exec():
        return
    path = ask_target(window, "Film to a file", ENDINGS, "Films")
    if path is not None:
        write_film(window, page.film, path)


def write_film(window: Window, film: Film, path: Path) -> None:
    """Make a film of the window's job, the window staying free."""
    arguments = ["-o", str(path), "--track", film.track, f"--seconds={film.seconds}", f"--fps={film.fps}"]
    arguments += [f"--size={film.size[0]}x{film.size[1]}"]
    arguments += [f"--seed={film.seed}"] if film.track in BY_CHANCE else []
    arguments.append(f"--samples={film.samples}" if film.samples else "--draft")
    arguments += [f"--ease={film.ease}", "--loop" if film.loops else "--no-loop"]
    if film.track == "places":
        arguments.append(f"--places={','.join(film.places)}")
    handing = Handing("motion")
    job = window.session.job
    try:
        away(partial(handing.write, job, arguments), f"Making {path.name}", window, handing.stop)
    except KilnError as error:
        window.tell(str(error))
        return
    window.say(f"Film written to {path}.")
