"""What is made between recorded frames never looks across a hard cut in them."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import numpy.typing as npt
import pytest
from av.video.frame import VideoFrame

from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, making, nesting, pacing
from chronoxis.core.model.export_formats import MKV
from chronoxis.core.model.project import Place, Project
from chronoxis.core.model.settings import ResultSettings
from chronoxis.core.picture.rgb import rgb16
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.measuring import measured_plan
from chronoxis.core.render.target import export_target
from chronoxis.core.timing.frame_making import Between, EachFrame, Fill
from chronoxis.core.traces.store import TraceStore

ONLY = Place(0, 0)
CUT, FRAMES = 20, 40


@pytest.fixture(scope="module")
def cut_film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A noisy, compressed film of two scenes through which the camera moves: one reddish, one bluish."""
    path = tmp_path_factory.mktemp("cut") / "film.mp4"
    rng = np.random.default_rng(3)
    scenes = []
    for tint in ([1.0, 0.35, 0.2], [0.2, 0.35, 1.0]):
        rough = cv2.GaussianBlur(rng.normal(0, 1, (400, 700)), (0, 0), 5)
        scenes.append(np.clip(0.5 + 0.2 * rough / rough.std(), 0, 1)[..., None] * tint)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "23", "preset": "veryfast"})
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for number in range(FRAMES):
            left = 20 + 2 * number
            seen = scenes[int(number >= CUT)][60:240, left : left + 320]
            noisy = seen + rng.normal(0, 0.02, seen.shape)
            frame = VideoFrame.from_ndarray((np.clip(noisy, 0, 1) * 255).astype(np.uint8), "rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def redness(codes: npt.NDArray[np.uint16]) -> float:
    means = codes.astype(float).mean(axis=(0, 1))
    return float((means[0] - means[2]) / 65535)


def shown(film: Path, folder: Path, speed: Fraction, change: object, *, nest: bool) -> list[float]:
    """How reddish each result frame is; red above 0, blue below."""
    source = open_source(film)
    project = arranging.begin_with(Project(settings=ResultSettings(MKV)), footage_of(source.facts))
    key = project.footage[0].key
    if nest:  # two shots that meet in a cut, of which neither has one
        project = pacing.set_speed(project, [ONLY], Fraction(1))
        project = arranging.cut_shot(project, 0, Fraction(CUT, 25))
        project = nesting.nest(project, [0, 1], "Both")
    project = pacing.set_speed(project, [ONLY], speed)
    project = change(project)  # type: ignore[operator]
    plan = measured_plan(project, {key: source}, TraceStore(folder))
    target = export_target(plan)
    return [redness(rgb16(frame, target.colour)) for frame in result_frames(plan, target)]


@pytest.mark.sampled(1)
@pytest.mark.parametrize("nest", [False, True])
@pytest.mark.parametrize("way", ["long exposure", "blur", "blend", "motion"])
def test_no_light_of_the_next_scene_comes_in(cut_film: Path, tmp_path: Path, way: str, nest: bool) -> None:
    def change(project: Project) -> Project:
        if way in ("blend", "motion"):
            return making.set_between(project, [ONLY], Between(way))
        each = EachFrame.LONG_EXPOSURE if way == "long exposure" else EachFrame.ONE
        return making.set_fill(making.set_each_frame(project, [ONLY], each), [ONLY], Fill.QUICK)

    speed = Fraction(1, 3) if way in ("blend", "motion") else Fraction(5)
    seen = np.array(shown(cut_film, tmp_path, speed, change, nest=nest))
    red = float(np.median(seen[seen > 0]))
    blue = float(np.median(seen[seen < 0]))
    number = int(CUT / speed)
    assert np.all(np.abs(seen[:number] - red) < 0.03 * (red - blue))
    assert np.all(np.abs(seen[number:] - blue) < 0.03 * (red - blue))
