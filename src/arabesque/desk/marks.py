"""What is marked on a scan: a mask over its triangles that several tools share."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from arabesque.arrays import Bools, Ints
from arabesque.scan import Scan

MOST_STEPS = 50


class Marks(QObject):
    """The mask of one scan at a time, with its earlier states."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._scan: Scan | None = None
        self._mask: Bools | None = None
        self._before: list[Bools | None] = []
        self._triangles: Ints | None = None

    def of(self, scan: Scan | None) -> Bools | None:
        """(m,) the mask over a scan's triangles; None when nothing of it is marked."""
        return self._mask if scan is not None and scan is self._scan else None

    def count(self, scan: Scan | None) -> int:
        """How many triangles of a scan are marked."""
        mask = self.of(scan)
        return 0 if mask is None else int(mask.sum())

    def put(self, scan: Scan, mask: Bools | None, remember: bool = True) -> None:
        """Mark other triangles; remember: the present state can be returned to."""
        if scan is not self._scan:
            self._before = []
            self._mask = None
        elif remember:
            self._before = [*self._before[-MOST_STEPS:], self._mask]
        if scan is not self._scan and remember:
            self._before = [None]
        self._scan = scan
        self._mask = mask if mask is not None and mask.any() else None
        self._triangles = None
        self.changed.emit()

    def back(self) -> bool:
        """The state before; False when there is none."""
        if not self._before:
            return False
        self._mask = self._before.pop()
        self._triangles = None
        self.changed.emit()
        return True

    def clear(self) -> None:
        """Nothing is marked."""
        if self._scan is not None:
            self.put(self._scan, None)

    def triangles(self, scan: Scan) -> Ints | None:
        """(k, 3) the marked triangles, the same array until the mask changes."""
        mask = self.of(scan)
        if mask is None:
            return None
        if self._triangles is None:
            self._triangles = np.ascontiguousarray(scan.triangles[mask])
        return self._triangles
