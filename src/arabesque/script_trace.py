"""The Trace step from Python: curves, sections, and what stands on them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import ArrayLike

from arabesque.errors import ArabesqueError
from arabesque.fitting import PatchFit
from arabesque.geometry import Curve, Element, Elementary, Relation, Sketch, frame_of
from arabesque.model import Item, edits
from arabesque.model.rebuild import given
from arabesque.recipes import (
    BlendCurve,
    CurveOnScan,
    CurveThrough,
    CutBySurface,
    DrawnOut,
    EndOf,
    LineTaken,
    NetworkOfCurves,
    PatchOfCurves,
    ProjectedCurve,
    Pushed,
    Recipe,
    SectionCurve,
    SetOffCurve,
    SweepAlong,
    Turned,
)
from arabesque.script_base import AnyItem, Lends
from arabesque.tracing import (
    MEETS,
    USUAL_POLES,
    Crossing,
    Cut,
    FittedCurve,
    LoftWay,
    Meeting,
    NetworkFit,
    Traced,
    every_crossing,
    in_order,
    lines_and_arcs,
    outward_loft,
    planes_across,
    planes_along,
    planes_round,
    solved,
    taken,
    trace_sections,
)


class Traces(Lends):
    """Curves and the surfaces on them; ``script.Project`` is one."""

    _fits: dict[str, PatchFit]
    _traced: dict[str, FittedCurve]
    _networks: dict[str, NetworkFit]

    # curves

    def curve(
        self,
        places: ArrayLike,
        closed: bool = False,
        corners: Iterable[int] = (),
        degree: int = 3,
        square: bool = False,
    ) -> AnyItem:
        """Draw a curve through (n, 3) places on the reference scan; it clings to it between them.

        corners: numbers of places at which it turns sharply. square: where it ends on the twin plane, it crosses that
        at a right angle. It follows the scan and the tolerance.
        """
        recipe = CurveOnScan(np.array(places, dtype=float), closed, tuple(corners), degree, square)
        return self._derived("curve drawn", "Curve", recipe)

    def take_line(self, item: AnyItem, place: ArrayLike, poles: int | None = None) -> AnyItem:
        """A curve along the rim, feature line, edge or curve of an item that passes a (3,) place; it follows it.

        poles: between corners; as few as the tolerance needs where that is not given.
        """
        recipe = LineTaken(self.item(item.id).id, np.array(place, dtype=float), poles or 0)
        return self._derived("line taken", "Curve", recipe)

    def sections(
        self,
        along: str | ArrayLike | AnyItem = "z",
        spacing: float | None = None,
        count: int | None = None,
        poles: int | None = USUAL_POLES,
        tolerance: float | None = None,
        round_axis: bool = False,
        place: ArrayLike = (0.0, 0.0, 0.0),
        half: bool = False,
        side: ArrayLike | None = None,
        between: tuple[float, float] | None = None,
        degree: int = 3,
        guide: AnyItem | None = None,
        alike: bool = False,
    ) -> list[AnyItem]:
        """Cut the reference scan into sections and fit each by so many poles, or to a tolerance with ``poles=None``.

        along: "x", "y", "z", a direction, or a curve's item that the planes stand square to; with round_axis the
        axis round which they are turned, through ``place``. half: of a radial section only one side. side: a
        direction; only what lies that way of ``place`` counts. between: mm along the direction, the first and the
        last plane. guide: a curve near which closed sections begin. alike: what goes by a tolerance gets as many poles
        as the section that needs most, for a light loft. The curves follow the scan; edit one and a loft through it
        follows.
        """
        keep = None if side is None else np.array([np.asarray(place, dtype=float), np.asarray(side, dtype=float)])
        cuts = self._cuts(along, spacing, count, round_axis, place, half, between)
        cuts = cuts if keep is None else [Cut(cut.plane, keep) for cut in cuts]
        fit = self.tolerance if tolerance is None and poles is None else tolerance
        begun = None if guide is None else self.item(guide.id).shape
        made = trace_sections(self.scan, cuts, poles, fit, degree, begun, alike, self._progress)
        # one that goes by a tolerance of its own, or by others, keeps the poles that this took
        counts = [poles or (0 if tolerance is None and not alike else one.poles) for one in made]
        recipes = [(SectionCurve.of(one, n, degree), one.fitted.curve) for one, n in zip(made, counts, strict=True)]
        before = set(self.document.items)
        self._do(edits.curves.traced(self.document, recipes))
        found = [item for item in self.items if item.id not in before]
        self._traced |= {item.id: one.fitted for item, one in zip(found, made, strict=True)}
        return found

    def traced_of(self, item: AnyItem) -> FittedCurve:
        """How a section stands to its cut of the scan; raises ArabesqueError for one that was not traced here."""
        traced = self._traced.get(item.id)
        if traced is None:
            raise ArabesqueError(f"{item.name} was not traced here", "Ask for a curve that .sections returned")
        return traced

    def loft(
        self,
        sections: Iterable[AnyItem],
        degree: int = 3,
        closed: bool = False,
        reach: tuple[float, float] = (0.0, 0.0),
        ordered: bool = False,
        guides: Iterable[AnyItem] = (),
        square: tuple[float, float] = (0.0, 0.0),
    ) -> AnyItem:
        """Lay a surface through curves; it follows them. reach: mm beyond the first and the last.

        ordered: their order is found, whatever it was, so that the surface looks the way the scan does. guides: curves
        that it passes between them. square: how strongly it leaves the first and the last section square to their
        planes. Raises FitProblem, naming the section, where they do not correspond.
        """
        items = [self.item(item.id) for item in sections]
        if ordered:
            items = [items[k] for k in in_order([item.shape for item in items])]
        led = [self.item(item.id) for item in guides]
        way = LoftWay(degree, closed, *reach, square_first=square[0], square_last=square[1])
        scan = self.document.reference_scan if ordered else None
        made = outward_loft([item.shape for item in items], way, scan, [item.shape for item in led])
        keys = [items[k].id for k in made.order]
        change = edits.curves.lofted(self.document, keys, made, [item.id for item in led])
        self._do(change)
        assert change.select is not None
        return self.document[change.select]

    def patch_over(self, curves: Iterable[AnyItem], degree: tuple[int, int] | None = None) -> AnyItem:
        """Lay a patch whose sides are parts of four curves that meet or cross, in any order, or over two that face each
        other; it follows them. See ``network`` for three."""
        recipe = PatchOfCurves(tuple(self.item(item.id).id for item in curves), degree)
        fit = recipe.fit(given(self.document, recipe), self._progress)
        item = self._derived(
            f"patch of {fit.surface.count} points over {len(recipe.of)} curves", "Patch", recipe, fit.surface
        )
        self._fits[item.id] = fit
        return item

    def curve_through(self, places: ArrayLike, closed: bool = False, corners: Iterable[int] = ()) -> AnyItem:
        """A smooth curve through (n, 3) places in space; corners: numbers of places at which it turns sharply."""
        recipe = CurveThrough(np.array(places, dtype=float), closed, tuple(corners))
        return self._derived("curve drawn in space", "Curve", recipe)

    def cut_by(self, surface: AnyItem, near: ArrayLike, offset: float = 0.0, poles: int | None = None) -> AnyItem:
        """The line in which a patch or true shape, set off by ``offset`` mm, cuts the reference scan near a place."""
        recipe = CutBySurface(self.item(surface.id).id, np.array(near, dtype=float), offset, poles or 0)
        return self._derived("scan cut by a surface", "Curve", recipe)

    def project(self, curve: AnyItem, onto: AnyItem | None = None, direction: ArrayLike | None = None) -> AnyItem:
        """See ``project_curve``."""
        return self.project_curve(curve, onto, direction)

    def project_curve(self, curve: AnyItem, onto: AnyItem | None = None, direction: ArrayLike | None = None) -> AnyItem:
        """A curve brought onto a patch, or onto the reference scan: along a direction, or to the closest places."""
        way = None if direction is None else np.array(direction, dtype=float)
        recipe = ProjectedCurve(self.item(curve.id).id, "" if onto is None else self.item(onto.id).id, way)
        return self._derived("curve projected", "Curve", recipe)

    def set_off(self, curve: AnyItem, distance: float) -> AnyItem:
        """The line on the scan ``distance`` mm beside a curve, measured over the scan; below 0 to its right."""
        return self._derived("curve at a distance", "Curve", SetOffCurve(self.item(curve.id).id, distance))

    def blend_ends(
        self, one: tuple[AnyItem, ArrayLike], two: tuple[AnyItem, ArrayLike], order: int = 2, reach: float = 1.0
    ) -> AnyItem:
        """The curve between two ends, each an item (a curve, or a patch for its edge) and a place near it, with G1 to
        G3. reach: how far it sets out at both, as a share of the gap."""
        ends = [EndOf(self.item(item.id).id, np.array(at, dtype=float)) for item, at in (one, two)]
        return self._derived("curves blended", "Curve", BlendCurve(ends[0], ends[1], order, reach, reach))

    def split_everywhere(
        self, curves: Iterable[AnyItem], tolerance: float | None = None
    ) -> tuple[list[AnyItem], tuple[Crossing, ...]]:
        """Cut curves at every crossing with each other within a tolerance, mm; two of the project's if not given.

        Returns all parts, and where they nearly meet: ``Crossing`` with the gap, and numbers in the order given.
        """
        items = [self.item(item.id) for item in curves]
        within = MEETS * self.tolerance if tolerance is None else tolerance
        found = every_crossing([item.shape for item in items], within)
        before = set(self.document.items)
        self._do(edits.curves.split_at(self.document, items, found.found))
        kept = {item.id for item in items}
        return [item for item in self.items if item.id in kept or item.id not in before], found.nearly

    # surfaces

    def network_of_curves(
        self,
        curves: Iterable[AnyItem],
        meeting: str = "G1",
        sharp: Iterable[AnyItem] = (),
        beside: Iterable[AnyItem] = (),
        guides: Iterable[AnyItem] = (),
    ) -> AnyItem:
        """Fill the three- to five-sided meshes of curves with patches, fitted together to the scan.

        meeting: "G0", "G1" or "G2" over inner borders. sharp: curves along which patches meet at an angle. beside:
        patches that outer borders lie on, met likewise. guides: curves that patches pass. See ``network_of`` for what
        the fit told.
        """
        words = {"G0": Meeting.TOUCHING, "G1": Meeting.TANGENT, "G2": Meeting.CURVATURE}
        if meeting not in words:
            raise ArabesqueError(f"'{meeting}' is no continuity of a network", "Give G0, G1 or G2")
        keys = [tuple(self.item(item.id).id for item in some) for some in (curves, sharp, beside, guides)]
        recipe = NetworkOfCurves(keys[0], words[meeting], keys[1], keys[2], keys[3])
        fit = recipe.fit(given(self.document, recipe), self._progress)
        shape = recipe.shape_of(fit)
        count = len(fit.made.surfaces)
        item = self._derived(f"{count} patches over {len(keys[0])} curves", "Network", recipe, shape)
        self._networks[item.id] = fit
        return item

    def network_of(self, item: AnyItem) -> NetworkFit:
        """What the fit of a network told; raises ArabesqueError for one that was not laid here."""
        fit = self._networks.get(item.id)
        if fit is None:
            raise ArabesqueError(f"{item.name} was not fitted here", "Ask for what .network returned")
        return fit

    def sweep(self, sections: Iterable[AnyItem], rails: Iterable[AnyItem]) -> AnyItem:
        """The surface that one or two sections sweep along one or two rails; it follows them."""
        recipe = SweepAlong(*(tuple(self.item(item.id).id for item in some) for some in (sections, rails)))
        return self._derived("sweep", "Sweep", recipe)

    def draw_out(
        self, curve: AnyItem, ahead: float, back: float = 0.0, direction: ArrayLike | None = None, angle: float = 0.0
    ) -> AnyItem:
        """The ruled surface from a curve along a direction, or along the scan's normals; angle: degrees of lean."""
        way = None if direction is None else np.array(direction, dtype=float)
        recipe = DrawnOut(self.item(curve.id).id, ahead, back, way, angle)
        return self._derived("surface drawn out", "Drawn out", recipe)

    def revolve(self, profile: Iterable[AnyItem], origin: ArrayLike, axis: ArrayLike, angle: float = 360.0) -> AnyItem:
        """Turn curves or sketches about an axis: cylinders, cones, spheres and tori where they are such."""
        keys = tuple(self.item(item.id).id for item in profile)
        recipe = Turned(keys, np.array(origin, dtype=float), np.array(axis, dtype=float), angle)
        return self._true("profile turned", recipe)

    def extrude(self, profile: Iterable[AnyItem], direction: ArrayLike, low: float, high: float) -> AnyItem:
        """Push curves or sketches along a direction, from ``low`` to ``high`` mm: planes and cylinders where they are
        such."""
        keys = tuple(self.item(item.id).id for item in profile)
        return self._true("profile pushed", Pushed(keys, np.array(direction, dtype=float), low, high))

    # sketches

    def sketch(
        self,
        origin: ArrayLike,
        normal: ArrayLike,
        flat: ArrayLike = (),
        elements: Iterable[Element] = (),
        relations: Iterable[Relation] = (),
        towards: ArrayLike | None = None,
    ) -> AnyItem:
        """Draw in a plane: points (n, 2) of it, elements and relations, which are solved.

        towards: where its x looks. Raises ArabesqueError, naming them, where relations contradict each other.
        """
        points = np.array(flat, dtype=float).reshape(-1, 2)
        drawn = Sketch(frame_of(origin, normal, towards), points, tuple(elements), tuple(relations))
        found = solved(drawn)
        if found.against:
            raise ArabesqueError(f"The sketch is {found.words}", "Take one of these away")
        return self._added("sketch drawn", "Sketch", found.sketch)

    def sketch_of_section(
        self,
        section: AnyItem | ArrayLike,
        origin: ArrayLike,
        normal: ArrayLike,
        tolerance: float | None = None,
        closed: bool = False,
        towards: ArrayLike | None = None,
        relations: bool = True,
    ) -> tuple[AnyItem, Traced]:
        """Turn a section (a curve's item, or (n, 3) places) into lines and arcs within a tolerance, mm.

        relations: those that the tolerance allows are taken: right angles, level and upright lines, equal radii.
        """
        if isinstance(section, Item):
            curve: Curve = self.item(section.id).shape
            places = curve.at(np.linspace(*curve.domain, 400))
            closed = bool(np.linalg.norm(places[0] - places[-1]) < 1e-6)
            places = places[:-1] if closed else places
        else:
            places = np.array(section, dtype=float)
        within = self.tolerance if tolerance is None else tolerance
        traced = lines_and_arcs(frame_of(origin, normal, towards), places, closed, within)
        if relations and traced.offered:
            traced = taken(traced, traced.offered)
        return self._added("section turned into lines and arcs", "Sketch", traced.sketch), traced

    # inside

    def _true(self, label: str, recipe: Recipe) -> AnyItem:
        shape = recipe.build(given(self.document, recipe), self._progress)
        name = shape.kind.value.capitalize() if isinstance(shape, Elementary) else "Form"
        return self._derived(label, name, recipe, shape)

    def _cuts(
        self,
        along: str | ArrayLike | AnyItem,
        spacing: float | None,
        count: int | None,
        round_axis: bool,
        place: ArrayLike,
        half: bool,
        between: tuple[float, float] | None,
    ) -> list[Cut]:
        if isinstance(along, Item):
            guide = self.item(along.id).shape
            if not isinstance(guide, Curve):
                raise ArabesqueError(f"{along.name} is no curve", "Give a curve that the sections stand square to")
            return planes_across(guide, spacing, count)
        if isinstance(along, str):
            if along not in ("x", "y", "z"):
                raise ArabesqueError(f"'{along}' is no axis", "Give x, y, z, a direction or a curve")
            along = np.eye(3)["xyz".index(along)]
        way = np.asarray(along, dtype=float)
        if not round_axis:
            return planes_along(self.scan, way, spacing, count, None, between)
        return planes_round(np.asarray(place, dtype=float), way, count or 0, half)
