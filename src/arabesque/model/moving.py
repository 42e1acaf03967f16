"""Moving items: a rigid motion of any shape."""

from dataclasses import replace

from arabesque.arrays import Floats
from arabesque.geometry import Curve, Elementary, Surface, apply
from arabesque.model.document import Document, Shape
from arabesque.reading import LineSet, Regions, moved
from arabesque.scan import Scan


def moved_shape(shape: Shape, matrix: Floats) -> Shape:
    """The shape after a (4, 4) rigid motion; regions move with their scan."""
    if isinstance(shape, Scan):
        return moved(shape, matrix)
    if isinstance(shape, Elementary):
        return shape.moved(matrix)
    if isinstance(shape, Surface | Curve):
        return shape.with_points(apply(matrix, shape.points))
    if isinstance(shape, LineSet):
        return replace(shape, points=apply(matrix, shape.points))
    return shape


def others_moved(document: Document, matrix: Floats) -> Document:
    """The document with all curves, surfaces and lines moved; scans and their regions stay.

    Where patches follow their mirror images, the twin planes move with them.
    """
    if any(item.twin is not None for item in document):
        layers = (replace(one, plane=one.plane.moved(matrix)) if one.plane else one for one in document.layers)
        document = replace(document, plane=document.plane.moved(matrix), layers=tuple(layers))
    for item in list(document):
        if not isinstance(item.shape, Scan | Regions):
            document = document.with_shape(item.id, moved_shape(item.shape, matrix))
    return document
