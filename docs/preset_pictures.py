"""Makes the small pictures of the presets that ship, from the demo: `python -m docs.preset_pictures`.

Each is a result frame, made by the preset itself.
"""

from dataclasses import replace
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image

from chronoxis.cli.preset_options import with_preset
from chronoxis.core.files.preset_file import save_preset
from chronoxis.core.files.presets import shipped_presets
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging
from chronoxis.core.model.project import Project
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.measuring import measured_plan
from chronoxis.core.render.target import preview_target
from chronoxis.core.traces.store import TraceStore
from chronoxis.demo.larkfield import demo_folder
from chronoxis.demo.shown_presets import part_for

WIDE, HIGH = 320, 180
_QUALITY = 82


SHARES = {"Walk to hyperlapse": 0.4, "Screen recording": 0.6, "Photos of a dawn": 0.9, "Night sky": 0.1}
"""Which share of the result has passed, by the name of a preset."""
USUAL_SHARE = 0.35


def picture(preset_name: str, folder: Path) -> bytes:
    """A JPEG file of 320×180."""
    preset = next(kept.preset for kept in shipped_presets() if kept.preset.name == preset_name)
    source = open_source(part_for(preset_name).origin_in(folder))
    footage = footage_of(source.facts)
    project = arranging.begin_with(Project(), replace(footage, counted=True))
    project = with_preset(project, source, preset)
    plan = measured_plan(project, {project.footage[0].key: source}, TraceStore())
    at = round(SHARES.get(preset_name, USUAL_SHARE) * (len(plan.schedule) - 1))
    (frame,) = result_frames(plan, preview_target(plan, 2 * HIGH), at, at + 1)
    image = Image.fromarray(np.asarray(frame.to_ndarray(), np.uint8))
    side = min(image.width * HIGH, image.height * WIDE)
    cut = side // HIGH, side // WIDE
    left, top = (image.width - cut[0]) // 2, (image.height - cut[1]) // 2
    part = image.crop((left, top, left + cut[0], top + cut[1]))
    file = BytesIO()
    part.resize((WIDE, HIGH), Image.Resampling.LANCZOS).save(file, "JPEG", quality=_QUALITY)
    return file.getvalue()


if __name__ == "__main__":
    for kept in shipped_presets():
        save_preset(replace(kept.preset, picture=picture(kept.preset.name, demo_folder())), kept.path)
