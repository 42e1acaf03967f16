"""Fairness energy of a surface: how much its curvature changes."""

from functools import lru_cache
from itertools import pairwise

import numpy as np

from arabesque.arrays import Floats
from arabesque.geometry import Surface, basis_matrix, breakpoints


def gram_matrix(knots: Floats, degree: int, derivative: int) -> Floats:
    """(n, n) integrals of products of basis function derivatives over the unit-scaled knot range.

    Gauss-Legendre quadrature with degree + 1 nodes a span, exact for these
    polynomials.
    """
    return _gram(np.asarray(knots, dtype=np.float64).tobytes(), degree, derivative)


@lru_cache(maxsize=256)
def _gram(knots_as_bytes: bytes, degree: int, derivative: int) -> Floats:
    knots = np.frombuffer(knots_as_bytes)
    n = len(knots) - degree - 1
    if derivative > degree:
        return np.zeros((n, n))
    nodes, weights = np.polynomial.legendre.leggauss(degree + 1)
    breaks = breakpoints(knots)
    width = breaks[-1] - breaks[0]
    total = np.zeros((n, n))
    for a, b in pairwise(breaks):
        basis = basis_matrix(knots, degree, (a + b) / 2 + (b - a) / 2 * nodes, derivative)
        total += basis.T @ (basis * weights[:, None]) * (b - a) / 2
    result: Floats = total * width ** (2 * derivative - 1)
    result.setflags(write=False)
    return result


def fairness_matrix(surface: Surface) -> Floats:
    """(nu nv, nu nv) matrix of the third-derivative energy, the same for x, y and z.

    Minimum curvature variation: the integral of |Xuuu|² + 3|Xuuv|² + 3|Xuvv|²
    + |Xvvv|² over the unit square, each term scaled for the side lengths so
    that a long patch is not stiffer one way. After Moreton and Séquin,
    "Functional optimization for fair surface design", SIGGRAPH 1992.
    """
    long, wide = side_lengths(surface)
    return energy_over(surface.knots, surface.degree, wide / long)


def energy_over(knots: tuple[Floats, Floats], degree: tuple[int, int], aspect: float) -> Floats:
    """The matrix of ``fairness_matrix`` for a net whose sides along v are ``aspect`` times as long as those along u."""
    u, v = ([gram_matrix(knots[axis], degree[axis], k) for k in range(4)] for axis in (0, 1))
    return (
        aspect**3 * np.kron(u[3], v[0])
        + 3 * aspect * np.kron(u[2], v[1])
        + 3 / aspect * np.kron(u[1], v[2])
        + aspect**-3 * np.kron(u[0], v[3])
    )


def side_lengths(surface: Surface) -> tuple[float, float]:
    """Mean lengths of the control rows along u and along v, mm; never zero."""
    along_u = np.linalg.norm(np.diff(surface.points, axis=0), axis=2).sum(axis=0).mean()
    along_v = np.linalg.norm(np.diff(surface.points, axis=1), axis=2).sum(axis=1).mean()
    tiny = 1e-6 * max(along_u, along_v, 1e-6)
    return max(float(along_u), tiny), max(float(along_v), tiny)


def roughness(surface: Surface) -> float:
    """How unevenly a surface bends, mm: the root of its fairness energy; 0 for a plane or a paraboloid."""
    points = surface.points.reshape(-1, 3)
    return float(np.sqrt(max(0.0, np.einsum("nc,nc->", points, fairness_matrix(surface) @ points))))
