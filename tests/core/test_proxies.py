"""Proxies: the very moments, small; made part by part, within a budget, and never read for anything else."""

import os
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from chronoxis.core.errors import Cancelled, FootageError
from chronoxis.core.footage.decoding_cost import DecodingCost, measure_cost
from chronoxis.core.footage.kinds import footage_of, open_source
from chronoxis.core.model import arranging, composing, pacing
from chronoxis.core.model.making import set_each_frame
from chronoxis.core.model.project import Project
from chronoxis.core.picture.framed import reduced
from chronoxis.core.render.chain import result_frames
from chronoxis.core.render.plan import Plan
from chronoxis.core.render.planning import make_plan
from chronoxis.core.render.playing_demand import is_heavy, recorded_rates
from chronoxis.core.render.target import export_target, preview_target
from chronoxis.core.timing.frame_making import EachFrame
from chronoxis.core.traces import proxies, proxy_store
from chronoxis.core.traces.proxies import ProxyReader, kept_proxy, make_proxy, proxied, proxy_of
from chronoxis.core.traces.proxy_store import ProxyStore
from tests.footage_makers import make_recording
from tests.photo_makers import make_photos

FRAMES = 60
KINDS = {
    "plain.mp4": {},
    "ten-bit.mp4": {
        "codec": "libx265",
        "pixel_format": "yuv420p10le",
        "options": {"x265-params": "log-level=none"},
    },
    "full-range.mkv": {"codec": "mjpeg", "pixel_format": "yuvj422p", "options": {"q": "3"}},
    "upright.mp4": {"rotation": 90},
    "odd.mkv": {"codec": "ffv1", "size": (97, 63), "pixel_format": "yuv444p", "options": {}},
}


@pytest.fixture(autouse=True)
def small_proxies(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(proxies, "PROXY_HEIGHT", 32)
    for module in (proxies, proxy_store):
        monkeypatch.setattr(module, "PART_FRAMES", 16)


@pytest.fixture
def store(tmp_path: Path) -> ProxyStore:
    return ProxyStore(tmp_path / "proxies", budget=10_000_000)


def plan_of(path: Path, speed: Fraction, each: EachFrame = EachFrame.ONE) -> Plan:
    source = open_source(path)
    project = arranging.begin_with(Project(), footage_of(source.facts))
    project = composing.set_canvas(project, source.facts.picture.canvas)
    project = set_each_frame(pacing.set_speed(project, project.places(), speed), project.places(), each)
    return make_plan(project, {project.footage[0].key: source})


def played(plan: Plan, store: ProxyStore) -> Plan:
    source = plan.sources[0]
    proxy = make_proxy(source, store, lambda *_: None)
    assert proxy.is_whole
    return replace(plan, sources=(proxied(source, proxy),))


@pytest.mark.parametrize("name", KINDS)
def test_a_proxy_is_of_the_very_frame(tmp_path: Path, store: ProxyStore, name: str) -> None:
    source = open_source(make_recording(tmp_path / name, **KINDS[name]))  # type: ignore[arg-type]
    picture, proxy = source.facts.picture, make_proxy(source, store, lambda *_: None)
    needed = picture.lying(proxy.size)
    reader, original = proxied(source, proxy).reader(0, needed), source.reader(0)
    with reader, original:
        assert isinstance(reader, ProxyReader)
        for number in (0, 1, 15, 16, 40, FRAMES - 1):
            mine = reader.frame(number).to_ndarray().astype(float)
            whole = reduced(original.frame(number), picture, needed)
            assert np.abs(mine - whole.to_ndarray()).mean() < 4
            assert (reader.frame(number).width, reader.frame(number).height) == proxy.size
        assert [number for number, _ in reader.frames([50, 3, 17])] == [3, 17, 50]


@pytest.mark.parametrize("each", [EachFrame.ONE, EachFrame.LONG_EXPOSURE, EachFrame.BRIGHTEST])
def test_what_plays_is_what_is_exported_in_small(tmp_path: Path, store: ProxyStore, each: EachFrame) -> None:
    plan = plan_of(make_recording(tmp_path / "take.mp4"), Fraction(3), each)
    quick, target = played(plan, store), preview_target(plan, 32)
    exported = [frame.to_ndarray(format="rgb24") for frame in result_frames(plan, export_target(plan))]
    shown = [frame.to_ndarray() for frame in result_frames(quick, target)]
    small = [cv2.resize(each, shown[0].shape[1::-1], interpolation=cv2.INTER_AREA) for each in exported]
    assert len(shown) == len(small)
    for number, picture in enumerate(shown):
        apart = [np.abs(picture.astype(float) - other).mean() for other in small]
        assert int(np.argmin(apart)) == number  # the same moment, and no neighbour of it
        assert apart[number] < 10


def test_what_needs_more_than_a_proxy_is_read_from_the_recording(tmp_path: Path, store: ProxyStore) -> None:
    plan = plan_of(make_recording(tmp_path / "take.mp4"), Fraction(3))
    quick, target = played(plan, store), export_target(plan)
    pairs = zip(result_frames(plan, target), result_frames(quick, target), strict=True)
    assert all(np.array_equal(one.to_ndarray(), other.to_ndarray()) for one, other in pairs)


def test_a_proxy_that_was_stopped_is_gone_on_with(tmp_path: Path, store: ProxyStore) -> None:
    source = open_source(make_recording(tmp_path / "take.mp4"))
    assert kept_proxy(source, store) is None

    def stop(_proxy: object, share: float) -> None:
        if share > 0.6:
            raise Cancelled

    with pytest.MonkeyPatch.context() as patch, pytest.raises(Cancelled):
        patch.setattr(proxies, "_TELL_SECONDS", 0.0)
        make_proxy(source, store, stop)
    proxy = kept_proxy(source, store)
    assert proxy is not None
    assert not proxy.is_whole
    assert proxy.lacking() == [2, 3]
    assert [path.name for path in proxy.folder.iterdir() if path.name.startswith(".")] == []
    with proxied(source, proxy).reader(0, (48, 32)) as reader, source.reader(0) as original:
        sizes = {number: (frame.width, frame.height) for number, frame in reader.frames(range(28, 40))}
        assert sizes[31] == proxy.size
        assert sizes[32] == (96, 64)  # the frame itself
        assert np.array_equal(reader.frame(35).to_ndarray(), original.frame(35).to_ndarray())
        before = proxy.part(0).stat().st_mtime_ns
        assert make_proxy(source, store, lambda *_: None).is_whole
        assert proxy.part(0).stat().st_mtime_ns == before
        assert (reader.frame(36).width, reader.frame(36).height) == proxy.size  # made meanwhile


@pytest.mark.parametrize("damage", [b"", b"rubbish" * 99, None])
def test_a_damaged_part_is_read_from_the_recording_and_made_anew(
    tmp_path: Path, store: ProxyStore, damage: bytes | None
) -> None:
    source = open_source(make_recording(tmp_path / "take.mp4"))
    proxy = make_proxy(source, store, lambda *_: None)
    part = proxy.part(1)
    part.write_bytes(part.read_bytes()[:900] if damage is None else damage)
    with proxied(source, proxy).reader(0, (48, 32)) as reader:
        assert reader.frame(20).width == 96
        assert reader.frame(40).width == proxy.size[0]
    assert proxy.lacking() == [1]
    assert make_proxy(source, store, lambda *_: None).lacking() == []


def test_the_budget_is_kept(tmp_path: Path) -> None:
    takes = [make_recording(tmp_path / f"{name}.mp4", frames=FRAMES + name) for name in range(3)]
    sources = [open_source(take) for take in takes]
    free = ProxyStore(tmp_path / "proxies", budget=10_000_000)
    each = make_proxy(sources[0], free, lambda *_: None).bytes
    tight = ProxyStore(tmp_path / "proxies", budget=round(each * 2.3))
    make_proxy(sources[1], tight, lambda *_: None)
    os.utime(proxy_of(sources[0], tight).folder / "used", (1, 1))
    make_proxy(sources[2], tight, lambda *_: None)
    assert [kept_proxy(source, tight) is not None for source in sources] == [False, True, True]
    assert sum(path.stat().st_size for path in (tmp_path / "proxies").rglob("*.zip")) <= each * 2.3
    with pytest.raises(FootageError, match="no room for more proxies"):
        make_proxy(sources[0], ProxyStore(tmp_path / "others", budget=each // 2), lambda *_: None)


def test_a_place_that_may_not_be_written_to_is_said_in_one_line(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("no folder")
    source = open_source(make_recording(tmp_path / "take.mp4"))
    with pytest.raises(FootageError, match="cannot be kept in") as caught:
        make_proxy(source, ProxyStore(tmp_path / "file" / "proxies"), lambda *_: None)
    assert "\n" not in str(caught.value)


def test_photos_have_proxies_by_the_photo_whatever_their_course(tmp_path: Path, store: ProxyStore) -> None:
    make_photos(tmp_path / "run", range(20), interval=Fraction(5))
    plan = plan_of(tmp_path / "run", Fraction(1))
    quick, target = played(plan, store), preview_target(plan, 32)
    for one, other in zip(result_frames(plan, target), result_frames(quick, target), strict=True):
        assert np.abs(one.to_ndarray().astype(float) - other.to_ndarray()).mean() < 6


def test_what_decoding_costs_is_measured_and_held_against_what_is_asked(tmp_path: Path) -> None:
    path = make_recording(tmp_path / "take.mp4", frames=120, options={"g": "30", "crf": "20"})
    cost = measure_cost(open_source(path), (96, 64))
    assert cost.group == 30
    assert 0 < cost.each < cost.pointing
    fast, slow = (recorded_rates(plan_of(path, Fraction(speed)))["take"] for speed in (10, 1))
    assert fast == pytest.approx(250, rel=0.1)
    assert slow == pytest.approx(25, rel=0.1)
    heavy = DecodingCost(each=0.01, leap=0.01, group=1)
    assert is_heavy(heavy, fast)
    assert not is_heavy(heavy, slow)
    assert is_heavy(replace(heavy, group=250), slow)  # pointing takes a second
