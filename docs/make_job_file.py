"""Writes docs/job-file.md from the models. Run: .venv/bin/python docs/make_job_file.py"""

from __future__ import annotations

import json
from pathlib import Path

from kilnchisel.core.job.file import VERSION, schema

TEXT = """# The job file

A job is saved as one file ending in `.kcj`: a ZIP container holding

| entry | what |
|---|---|
| `job.json` | the job, described by the schema below |
| `assets/<sha256>` | artwork, pictures and the mesh that the job uses, and font files that were opened from disk, by the SHA-256 of their content; of fonts only those whose OS/2 `fsType` allows embedding |
| `preview.png` | a small picture of the piece, for the start page |

Lengths are millimetres (`_mm`), angles degrees (`_deg`), colours sRGB `#rrggbb`, shares per cent. Body
coordinates are right-handed, z up; the front of a blank faces -y. A side's sheet runs `along` to the reader's
right from the middle of the front, and `across` upward: from the foot on a mug, from the middle elsewhere. A
lettering on `any spot` of a mesh names the place by `spot`, x, y, z in mm as the mesh stands (its middle over the
origin, its lowest point at z = 0); `along` and `across` are then measured from there over the surface.

- **Version.** This is version {version}. A newer file is refused with a sentence; files of older versions are
  brought up to date on opening (version 1 held words only, and did not say so;
  version 2 knew nine kinds of blank and no third finish; version 3 three crafts, and no shared ways;
  version 4 no wear, no fittings, no glass; up to version 5 the outside of a signet began at the front, under
  its head, and fonts were named by their path; up to version 6 a lettering's `content` was its `wording`;
  up to version 7 gold that did not say its carats was fine gold).
- **Proofs** (`proofs`) each hold a `Work`: all of a job but its name and its proofs. What they share is in
  `assets` once; so is the picture of each.
- **Unknown fields** are kept and written back, so that a job survives a visit to an older version.
- **Writing is all or nothing**: to a temporary file in the same folder, brought to the disk, then renamed.
- **Limits**: 1 GiB packed or unpacked, 2000 entries, 16 MiB of `job.json`, 512 MiB an asset. A job is read in a
  process of its own; what is damaged, locked or too large is refused in one sentence.
- **The same job gives the same bytes** (entries carry a fixed date).
- **No folder of anyone's machine is in it.** A font is named by its file's name and content; it is looked for
  where a font of that content was last opened here, then in the job itself. No other file is read for a job.

`kilnchisel schema` prints this schema. Every value of a job can be written by hand or by a script; what is out
of range is refused with the field, the value and the limit.

```json
{schema}
```
"""


def main() -> None:
    """Write the page."""
    text = TEXT.replace("{version}", str(VERSION))
    text = text.replace("{schema}", json.dumps(schema(), indent=1, ensure_ascii=False))
    (Path(__file__).parent / "job-file.md").write_text(text)


if __name__ == "__main__":
    main()
