"""What a person keeps by name on this machine: one file of rows, read again when it changes."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Any, Generic, TypeVar

from pydantic import Field, ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Value
from kilnchisel.core.paths import state_folder
from kilnchisel.core.writing import write_whole


class Named(Value):
    """A value with a name of its own."""

    name: Annotated[str, Field(min_length=1, max_length=80)]


T = TypeVar("T", bound=Named)


class Shelf(Generic[T]):
    """Values of one model in a file. ``word``: what one of them is called in a refusal."""

    def __init__(self, model: type[T], file: str, word: str) -> None:
        self._model, self._file, self._word = model, file, word

    def all(self, path: Path | None = None) -> tuple[T, ...]:
        """Those that are kept; rows that cannot be read are left out."""
        kept = path or state_folder() / self._file
        try:
            state = kept.stat()
        except OSError:
            return ()
        return _rows(kept, state.st_mtime_ns, state.st_size, self._model)

    def save(self, value: T, path: Path | None = None) -> None:
        """Keep one, in place of one of the same name. Raises KilnError when it cannot be written."""
        self._keep([*(known for known in self.all(path) if known.name != value.name), value], path)

    def forget(self, name: str, path: Path | None = None) -> None:
        """Drop one. Raises KilnError when there is none of that name."""
        saved = self.all(path)
        kept = [known for known in saved if known.name != name]
        if len(kept) == len(saved):
            raise KilnError(f"There is no saved {self._word} “{name}”.")
        self._keep(kept, path)

    def _keep(self, values: list[T], path: Path | None) -> None:
        rows = [known.model_dump(mode="json") for known in values]
        write_whole(path or state_folder() / self._file, json.dumps(rows, indent=1).encode())


@lru_cache(maxsize=8)
def _rows(path: Path, changed_ns: int, size: int, model: type[Any]) -> tuple[Any, ...]:
    """The rows of a file as it is now; it is asked for at every edit."""
    try:
        rows = json.loads(path.read_text())
    except (OSError, ValueError):
        return ()
    found = []
    for row in rows if isinstance(rows, list) else []:
        try:
            found.append(model.model_validate(row))
        except ValidationError:
            continue
    return tuple(found)
