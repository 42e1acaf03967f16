"""The box round what is in the picture."""

import numpy as np

from arabesque.arrays import Floats
from arabesque.model import Document
from arabesque.reading import Regions


def model_box(document: Document) -> tuple[Floats, Floats]:
    """Lowest and highest corner round everything that is shown, or round everything when nothing is; zeros for none."""
    items = [item for item in document if document.shows(item)] or list(document)
    points = [item.shape.points.reshape(-1, 3) for item in items if not isinstance(item.shape, Regions)]
    if not points:
        return np.zeros(3), np.zeros(3)
    return np.min([p.min(axis=0) for p in points], axis=0), np.max([p.max(axis=0) for p in points], axis=0)
