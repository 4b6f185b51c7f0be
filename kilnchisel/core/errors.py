"""The one error a person ever sees: a sentence that says what is wrong, where, and what to do."""


class KilnError(Exception):
    """Something the person can act on. ``str(error)`` is the whole sentence, ready to show."""
