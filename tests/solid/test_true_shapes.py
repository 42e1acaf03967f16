"""True shapes leave as true shapes."""

import numpy as np

from arabesque.geometry import Elementary, ElementaryKind, frame_of
from arabesque.reading import TrueShape
from arabesque.solid import FileKind, deliver, read_model
from tests.solid.support import KernelTest

FRAME = frame_of([10.0, 20.0, -5.0], [1.0, 2.0, 3.0])
CASES = (
    (ElementaryKind.PLANE, (), ((-20.0, 20.0), (-10.0, 10.0)), "PLANE("),
    (ElementaryKind.CYLINDER, (8.0,), ((-np.pi, np.pi), (0.0, 30.0)), "CYLINDRICAL_SURFACE("),
    (ElementaryKind.CONE, (10.0, -0.3), ((-1.0, 1.0), (0.0, 20.0)), "CONICAL_SURFACE("),
    (ElementaryKind.SPHERE, (15.0,), ((-0.8, 0.8), (-0.6, 0.6)), "SPHERICAL_SURFACE("),
    (ElementaryKind.TORUS, (30.0, 6.0), ((-0.8, 0.8), (-1.2, 1.2)), "TOROIDAL_SURFACE("),
)


class TrueShapeExportTest(KernelTest):
    def test_exact_in_step_and_iges(self) -> None:
        """STEP (ISO 10303-42) names each shape; what comes back lies on it to 1e-8 mm and covers the same part."""
        shapes = [Elementary.make(kind, FRAME, sizes, bounds) for kind, sizes, bounds, _ in CASES]
        for kind in (FileKind.STEP_AP214, FileKind.STEP_AP242, FileKind.IGES):
            path = self.folder / f"shapes{kind.suffix}"
            deliver(path, [(shape.kind.value, shape) for shape in shapes], kind, self.worker)
            if kind is not FileKind.IGES:
                written = path.read_text(encoding="latin-1")
                for *_, entity in CASES:
                    self.assertIn(entity, written)
            faces = read_model(path, self.worker).faces
            self.assertEqual(len(faces), len(shapes))
            for (_, face), shape in zip(faces, shapes, strict=True):
                (u0, u1), (v0, v1) = face.domain
                t = np.linspace(0, 1, 15)
                points = face.on_grid(u0 + t * (u1 - u0), v0 + t * (v1 - v0))[0, 0].reshape(-1, 3)
                truth = TrueShape(shape.kind, shape.origin, shape.axis, shape.sizes, 0, 0, 0, 1)
                self.assertLess(np.abs(truth.distance(points)).max(), 1e-8)
                ours = shape.on_grid(t, t)[0, 0].reshape(-1, 3)
                np.testing.assert_allclose(points.mean(axis=0), ours.mean(axis=0), atol=0.6)
