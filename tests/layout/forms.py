"""Forms with known numbers of handles and openings, as scans."""

import numpy as np
import trimesh

from arabesque.arrays import Floats
from arabesque.demo.implicit import ImplicitMaster
from arabesque.scan import Scan, ready_to_fit


def blob(steps: int = 5) -> Scan:
    """A closed bulging form of about 100 mm; 20,480 triangles after five steps."""
    mesh = trimesh.creation.icosphere(subdivisions=steps)
    unit = np.asarray(mesh.vertices)
    bulge = 1 + 0.18 * np.sin(3 * unit[:, :1]) * np.cos(2 * unit[:, 1:2] + unit[:, 2:])
    return ready_to_fit(Scan(50 * unit * bulge, np.asarray(mesh.faces)))


def egg() -> Scan:
    """A closed form alike on both sides of y = 0."""
    mesh = trimesh.creation.icosphere(subdivisions=5)
    unit = np.asarray(mesh.vertices)
    points = unit * [60, 40, 30] * (1 + 0.1 * np.sin(3 * unit[:, :1]) * np.cos(2 * unit[:, 1:2]))
    return ready_to_fit(Scan(points, np.asarray(mesh.faces)))


def ring(sections: int = 160) -> Scan:
    """A torus of radii 40 and 15 mm."""
    mesh = trimesh.creation.torus(40, 15, major_sections=sections, minor_sections=sections // 2)
    return ready_to_fit(Scan(np.asarray(mesh.vertices), np.asarray(mesh.faces)))


def sheet(n: int = 100) -> Scan:
    """A bent rectangular sheet of 120 x 80 mm with four corners."""
    x, y = np.meshgrid(np.linspace(0, 120, n), np.linspace(0, 80, n), indexing="ij")
    z = 12 * np.sin(x / 40) * np.cos(y / 50)
    index = np.arange(n * n).reshape(n, n)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    return ready_to_fit(Scan(np.stack([x, y, z], -1).reshape(-1, 3), faces))


def limb(noise: float = 0.04) -> Scan:
    """A bent limb of 150 mm, thicker at its ends, with knuckles and a scanner's noise, mm; 82k triangles."""
    mesh = trimesh.creation.icosphere(subdivisions=6)
    unit = np.asarray(mesh.vertices)
    round_, along = np.arctan2(unit[:, 1], unit[:, 0]), np.arcsin(np.clip(unit[:, 2], -1, 1)) / (np.pi / 2)
    radius = 16 * np.sqrt(np.clip(1 - unit[:, 2] ** 2, 0, 1)) * (1 + 0.35 * unit[:, 2] ** 4)
    for turns, at, wide, high in ((3, 0.4, 0.25, 0.12), (2, -0.45, 0.2, 0.15)):
        radius *= 1 + high * np.cos(turns * round_ + 1) * np.exp(-(((along - at) / wide) ** 2))
    bent = 25 * (1 - np.cos(1.1 * along))
    points = np.column_stack([radius * np.cos(round_) + bent, radius * np.sin(round_), 70 * along])
    calm = Scan(points, np.asarray(mesh.faces))
    off = noise * np.random.default_rng(0).normal(size=(len(points), 1))
    return ready_to_fit(Scan(points + off * calm.point_normals, calm.triangles))


def creased(n: int = 160) -> tuple[Scan, Floats]:
    """A sheet of 120 x 80 mm with a bent crease from rim to rim, and the crease."""
    x, y = np.meshgrid(np.linspace(0, 120, n), np.linspace(0, 80, n), indexing="ij")
    z = 10 * np.abs(np.sin((y - 40 - 8 * np.sin(x / 30)) / 60))
    flat = sheet(n)
    along = np.linspace(0, 120, 150)
    crease = np.column_stack([along, 40 + 8 * np.sin(along / 30), 0 * along])
    return ready_to_fit(Scan(np.stack([x, y, z], -1).reshape(-1, 3), flat.triangles)), crease


class _Rings(ImplicitMaster):
    """Tori of radii 20 and 7 mm in a row, grown together."""

    def __init__(self, handles: int) -> None:
        self._handles = handles
        self.box = np.array([-30.0, -30, -10]), np.array([38.0 * (handles - 1) + 30, 30, 10])
        self.area = 4 * np.pi**2 * 20 * 7 * handles

    def equations(self) -> list[str]:
        """In words."""
        return ["tori of 20 and 7 mm, 38 mm apart"]

    def value(self, x: Floats, y: Floats, z: Floats) -> Floats:
        """The smallest of the tori's distances, rounded where two meet."""
        each = [np.hypot(np.hypot(x - 38.0 * k, y) - 20.0, z) - 7.0 for k in range(self._handles)]
        return np.asarray(-3.0 * np.log(np.sum([np.exp(-one / 3.0) for one in each], axis=0)))


def pretzel(handles: int, triangles: int = 30_000) -> Scan:
    """A closed form with so many handles."""
    points, _, faces = _Rings(handles).triangulated(triangles, np.random.default_rng(0))
    return ready_to_fit(Scan(points, faces))
