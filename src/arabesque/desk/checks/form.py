"""Curvature of patches in colours."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from arabesque.checking import FormKind
from arabesque.desk.checks.base import Check
from arabesque.desk.kinds.base import Pen
from arabesque.desk.patches import form_of
from arabesque.desk.session import Session


@dataclass(frozen=True)
class FormLook:
    """Which curvature. radius: mm at which the colours are full; 0 for the patches' own range."""

    kind: FormKind = FormKind.MEAN
    radius: float = 0.0


class PatchForm(Check):
    """Hollow islands, and where a form speeds up."""

    id = "form"
    key = "9"
    word = "patch form"
    Look = FormLook

    def prepare(self, pen: Pen) -> None:
        look: FormLook = pen.looks.of(self)
        pen.form = look.kind
        pen.set(curvature_range=form_range(pen.session, look), curvature_words=look.kind.value[1])


def form_range(session: Session, look: FormLook) -> float:
    """1/mm at which the curvature colours of patches are full; their few tightest places do not decide."""
    if look.radius > 0:
        return 1 / look.radius
    values = [
        session.kept(form_of, item.shape, measured, look.kind)
        for item in session.patches
        if (measured := session.distances(item)) is not None
    ]
    return float(np.percentile(np.abs(np.concatenate(values)), 95)) or 1e-9 if values else 1e-9
