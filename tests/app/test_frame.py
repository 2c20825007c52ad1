"""Where things lie on the twin views: ways there and back, for random cameras, planes, sizes and scales."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF

from evenpalette.app.views.frame import Frame
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView


def random_frames(count: int) -> list[Frame]:
    rng = np.random.default_rng(8)
    found = []
    for _ in range(count):
        target = rng.uniform(-3, 3, 3)
        camera = OrbitCamera(
            tuple(target), float(rng.uniform(0, 360)), float(rng.uniform(-80, 80)), float(rng.uniform(0.2, 9))
        )
        plane = PlaneView((float(rng.uniform(-1, 2)), float(rng.uniform(-1, 2))), float(rng.uniform(0.01, 5)))
        width, height = int(rng.integers(500, 3840)), int(rng.integers(260, 2160))
        found.append(
            Frame(width, height, float(rng.choice([1, 1.25, 1.5, 2])), float(rng.uniform(0.15, 0.85)), camera, plane)
        )
    return found


@pytest.mark.parametrize("frame", random_frames(12))
def test_a_texel_is_found_again_where_flat_shows_it_and_stays_there_when_zoomed(frame: Frame) -> None:
    for u, v in np.random.default_rng(1).uniform(-1, 2, (20, 2)):
        place = frame.place_on_flat(float(u), float(v))
        assert frame.uv_on_flat(place) == pytest.approx((u, v), abs=1e-9)
    place = QPointF(frame.flat.center())
    under = frame.uv_on_flat(place)
    assert frame.zoomed(1.7, place).uv_on_flat(place) == pytest.approx(under, abs=1e-9)
    moved = frame.moved(QPointF(31, -12), form=False)
    assert moved.uv_on_flat(place + QPointF(31, -12)) == pytest.approx(under, abs=1e-9)


@pytest.mark.parametrize("frame", random_frames(12))
def test_the_ray_through_the_pixel_of_a_point_meets_the_point(frame: Frame) -> None:
    form, camera = frame.form, frame.camera
    rays = camera.rays(form.width(), form.height())
    rng = np.random.default_rng(2)
    points = np.array(camera.target) + rng.uniform(-0.2, 0.2, (20, 3)) * camera.span
    for point, (x, y) in zip(points, frame.places_on_form(points), strict=True):
        assert (x, y) == pytest.approx((frame.place_on_form(point).x(), frame.place_on_form(point).y()), abs=1e-3)
        ray = rays @ np.array([x, form.height() - y, 1.0])
        there = point - camera.eye
        off = there - ray * (there @ ray) / (ray @ ray)
        assert np.linalg.norm(off) < 1e-3 * camera.span
    assert frame.form_scale == pytest.approx(min(form.width(), form.height()) / camera.span, rel=1e-3)


@pytest.mark.parametrize("frame", random_frames(8))
def test_form_and_flat_fill_the_window_and_device_pixels_count_from_below(frame: Frame) -> None:
    form, flat = frame.form, frame.flat
    assert form.width() + 2 + flat.width() == frame.width
    x, y, width, height = frame.device(flat)
    assert (x + width, y) == pytest.approx((round(frame.width * frame.ratio), 0), abs=1)
    assert frame.form_pixel(QPointF(0, 0)) == (0, height - 1)
    assert frame.form_pixel(QPointF(0, frame.height - 1e-6))[1] in (0, -1)
    assert not frame.is_on_form(QPointF(flat.left(), 5))
    assert frame.is_on_flat(QPointF(flat.left(), 5))


def test_a_face_is_seen_from_the_front_and_its_texel_in_the_middle() -> None:
    for normal in np.random.default_rng(4).normal(size=(20, 3)):
        normal /= np.linalg.norm(normal)
        frame = random_frames(1)[0].looking_from(normal, 0.3, 0.8)
        if abs(normal[1]) < 0.98:
            assert frame.camera.axes()[2] @ normal > 0.999
        place = frame.place_on_flat(0.3, 0.8)
        assert (place - QPointF(frame.flat.center())).manhattanLength() < 3
