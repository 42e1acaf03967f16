"""True surfaces of the kernel as exact rational ones, with its parameters in theirs. Runs only inside the worker."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_Cone, GeomAbs_Cylinder, GeomAbs_Sphere, GeomAbs_Torus

from arabesque.arrays import Floats
from arabesque.errors import InvalidShape
from arabesque.geometry import Elementary, ElementaryKind

FULL = 2 * np.pi
Turned = Callable[[Floats], Floats]


def true_face(face: Any) -> tuple[Elementary, Turned, bool] | None:
    """A face's cylinder, cone, sphere or torus as far as the face goes; how (n, 2) parameters of the kernel become its
    own; and whether it looks to the other side than the kernel's. None for other surfaces, and odd bounds."""
    adaptor = BRepAdaptor_Surface(face)
    kinds = {
        GeomAbs_Cylinder: (ElementaryKind.CYLINDER, "Cylinder"),
        GeomAbs_Cone: (ElementaryKind.CONE, "Cone"),
        GeomAbs_Sphere: (ElementaryKind.SPHERE, "Sphere"),
        GeomAbs_Torus: (ElementaryKind.TORUS, "Torus"),
    }
    if adaptor.GetType() not in kinds:
        return None
    kind, name = kinds[adaptor.GetType()]
    shape = getattr(adaptor, name)()
    axes = shape.Position()
    frame = np.eye(4)
    for column, one in enumerate((axes.XDirection(), axes.YDirection(), axes.Direction(), axes.Location())):
        frame[:3, column] = one.X(), one.Y(), one.Z()
    other_hand = not axes.Direct()
    if other_hand:
        frame[:3, 1] *= -1
    sign = -1.0 if other_hand else 1.0
    slant = 1.0
    if kind is ElementaryKind.CONE:
        sizes: tuple[float, ...] = (float(shape.RefRadius()), float(shape.SemiAngle()))
        slant = float(np.cos(sizes[1]))  # the kernel counts along the slant
    elif kind is ElementaryKind.TORUS:
        sizes = (float(shape.MajorRadius()), float(shape.MinorRadius()))
    else:
        sizes = (float(shape.Radius()),)
    u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
    u = sorted((sign * u0, sign * u1))
    v = [slant * v0, slant * v1]
    for bounds, round_ in ((u, True), (v, kind is ElementaryKind.TORUS)):
        if round_ and bounds[1] - bounds[0] > FULL:
            bounds[1] = bounds[0] + FULL
    try:
        made = Elementary.make(kind, frame, sizes, ((u[0], u[1]), (v[0], v[1])))
    except InvalidShape:
        return None
    return made, lambda places: made.parameters_of(places * [sign, slant]), other_hand
