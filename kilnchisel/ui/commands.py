"""Every command of the window in one table: menus, keys and the page of keys read it, and so do tests."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """A thing the person can do. ``does`` is the name of a method of the window; ``anywhere``: on the start
    page too, where no job is open."""

    does: str
    words: str
    keys: str = ""
    group: str = "Job"
    in_menu: bool = True
    anywhere: bool = False


COMMANDS = (
    Command("new_job", "New job from the start page", "Ctrl+N", anywhere=True),
    Command("open_job", "Open a job…", "Ctrl+O", anywhere=True),
    Command("new_on_mesh", "New job on a mesh from a file…", "Ctrl+Shift+O", anywhere=True),
    Command("save_job", "Save", "Ctrl+S"),
    Command("save_job_as", "Save under another name…", "Ctrl+Shift+S"),
    Command("hand_over_all", "All that this job can give…", "Ctrl+Shift+H", "Hand-over"),
    Command("watch_router", "Watch it being cut…", "Ctrl+Shift+W", "Hand-over"),
    Command("make_film", "Make a film…", "Ctrl+Shift+M", "Hand-over"),
    Command("lay_list", "A list of names…", "Ctrl+Shift+N", "Hand-over"),
    Command("hand_over_picture", "Picture to a file…", "Ctrl+E", "Hand-over"),
    Command("copy_picture", "Copy the picture as it is shown", "Ctrl+Shift+C", "Hand-over"),
    Command("hand_over_mesh", "Solid to a file…", "Ctrl+M", "Hand-over"),
    Command("hand_over_outline", "Outlines to a file…", "Ctrl+Shift+E", "Hand-over"),
    Command("keep_proof", "Keep this one as a proof", "Ctrl+Shift+K", "Proofs"),
    Command("compare_proofs", "Compare proofs…", "Ctrl+Shift+D", "Proofs"),
    Command("try_range", "Try a range…", "Ctrl+Shift+T", "Proofs"),
    Command("undo", "Undo", "Ctrl+Z", "Edit", in_menu=False),
    Command("redo", "Redo", "Ctrl+Shift+Z", "Edit", in_menu=False),
    Command("add_lettering", "Add lettering", "Ctrl+L", "Edit"),
    Command("add_artwork", "Add artwork…", "Ctrl+Shift+L", "Edit"),
    Command("add_shape", "Add a shape", "", "Edit"),
    Command("duplicate_lettering", "Duplicate this lettering", "Ctrl+D", "Edit"),
    Command("raise_lettering", "Lettering on top of the next", "Ctrl+Alt+Up", "Edit"),
    Command("lower_lettering", "Lettering below the one before", "Ctrl+Alt+Down", "Edit"),
    Command("hide_lettering", "Hide or show this lettering", "Ctrl+H", "Edit"),
    Command("lock_lettering", "Lock or unlock this lettering", "Ctrl+K", "Edit"),
    Command("remove_lettering", "Remove this lettering", "Ctrl+Backspace", "Edit"),
    Command("centre_lettering", "Centre it on its side", "Ctrl+J", "Edit"),
    Command("between_zones", "Half way between its neighbours", "Ctrl+Shift+J", "Edit"),
    Command("look_square_on", "Square-on", "Ctrl+1", "Look", in_menu=False),
    Command("look_walk_round", "Walk round", "Ctrl+2", "Look", in_menu=False),
    Command("look_from_afar", "From afar…", "Ctrl+3", "Look", in_menu=False),
    Command("into_photo", "Put it into a photo…", "Ctrl+Shift+P", "Look"),
    Command("measure_points", "Measure between two points", "Ctrl+B", "Look"),
    Command("toggle_stretch", "Show the stretch under the lettering", "Ctrl+R", "Look"),
    Command("look_home", "Camera back to its place", "Ctrl+0", "Look"),
    Command("toggle_evening", "Evening theme", "Ctrl+T", "Window", anywhere=True),
    Command("toggle_inches", "Show inches", "Ctrl+U", "Window", anywhere=True),
    Command("show_keys", "Keys and gestures", "F1", "Window", anywhere=True),
    Command("show_about", "About", "", "Window", anywhere=True),
    Command("close", "Close", "Ctrl+Q", "Window", anywhere=True),
)

# What is done with the pointer and plain keys on the picture; listed on the same page.
GESTURES = (
    (
        "Drag the lettering",
        "move it; it catches in the middle, between zones, by other letterings; Shift moves freely",
    ),
    ("Drag a round handle", "make it larger or smaller"),
    ("Drag the bar below it", "bend the row up or down"),
    ("Drag the bar beside it", "set the letters apart"),
    ("Ctrl-click on the object", "put the chosen lettering there, on whatever side that is"),
    ("Double-click beside the lettering", "new lettering there"),
    ("Drag the handle on the stem", "turn it; it catches every 15°, Shift turns freely"),
    ("Drag a letter", "kern and raise it, while the ticket's Single letters are unfolded"),
    ("Drag a point of the line", "bend the curve or slope that letters stand on"),
    ("Drop a file on the window", "a job to open, a font to use, artwork to add"),
    ("Arrow keys", "1 mm; with Shift 0.1 mm"),
    ("B, held down", "in a photo: the photo as it came"),
    ("Shift while a mark in a photo is dragged", "it catches on nothing"),
    ("Escape while dragging", "put it back"),
    ("Double-click the lettering", "type on the object; Escape or a click beside it ends that"),
    ("Drag beside the lettering", "walk round; square-on: move the sheet; in a photo: move the piece"),
    ("Drag a mark of the photo", "tell where it was taken, while the ticket's Photo is unfolded"),
    ("Shift-drag beside it", "aim the camera elsewhere"),
    ("Drag from *Drag the picture out*", "the picture as it is shown, into another window"),
    ("Two clicks while measuring", "their distance over the surface; Escape ends it"),
    ("Wheel on the picture", "nearer or farther"),
    ("1 to 7", "open a section of the ticket"),
    ("Wheel or arrow keys in a number", "one step; with Shift a tenth, with Ctrl ten"),
    ("In a number", "units and sums work: 3/8 in, 84/2 - 1, 1,5 cm"),
)
