"""The grip: laid out by itself over what is left without its features, sewn, parted by the true planes of strap and
foot, its socket drilled where the scan's cylinder says, rims rounded."""

from __future__ import annotations

from typing import Any

import numpy as np

from arabesque.arrays import Floats
from arabesque.demo.pebble import STRAP_NORMAL, STRAP_OFFSET
from arabesque.geometry import Elementary, ElementaryKind, motion
from arabesque.model import Item
from arabesque.script import Project
from arabesque.solid import rounded_value

FOOT, DEEP, RIM = 2.0, 24.0, 0.5
"""mm: where the foot is cut, how deep the socket goes, and the radius of the rims."""
READ, IN_IT = 0.05, 1e-3
QUADS = 400
WIDE = ((-30.0, 30.0), (-30.0, 30.0))


def build(project: Project) -> Item[Any]:
    """The grip from its scan."""
    scan = project.scan
    regions = project.regions(0.5)
    socket = project.true_shape(regions, [8.0, 0, 12])
    middles = scan.points[scan.triangles].mean(axis=1)
    flat = np.abs(middles @ STRAP_NORMAL - STRAP_OFFSET)
    looks = scan.smoothed_normals[scan.triangles].mean(axis=1) @ STRAP_NORMAL
    strap = project.true_shape(regions, middles[int(np.where(looks > 0.99, flat, 9).argmin())])
    foot = project.add("Foot", Elementary.make(ElementaryKind.PLANE, motion(shift=[0, 0, FOOT]), (), WIDE))
    # the features are healed away, so that the layout sees the free form alone
    features = (np.hypot(middles[:, 0], middles[:, 1]) < 9.6) & (middles[:, 2] < 30)
    features |= (middles[:, 2] < 3.4) | ((flat < 0.9) & (looks > 0.6))
    project.heal(features)
    body = project.sew([project.layout(QUADS, close=True)])
    for plane, out in ((strap, STRAP_NORMAL), (foot, np.array([0.0, 0, -1]))):
        body = project.part_body(body, plane, "behind it" if float(plane.shape.axis @ out) > 0 else "before it")
    axis = socket.shape.axis * np.sign(-socket.shape.axis[2])
    mouth = socket.shape.origin + (FOOT - socket.shape.origin[2]) / axis[2] * axis
    radius = rounded_value(float(socket.shape.sizes[0]), READ)
    drilled = project.hole(body, mouth, axis, 2 * radius, DEEP)
    # beside the seam of the bore, which is an edge too
    rounded = project.round_body(drilled, mouth + radius * np.array([0.6, 0.8, 0.0]), RIM)
    return project.round_body(rounded, _rim_in(rounded, strap.shape), RIM)


def _rim_in(body: Item[Any], plane: Elementary) -> Floats:
    """(3,) a place of a body's rim that lies in a plane."""
    places = np.array([rim.surface.at(rim.places(np.array([0.5])))[0] for rim in body.shape.rims()])
    place: Floats = places[np.abs((places - plane.origin) @ plane.axis) < IN_IT][0]
    return place
