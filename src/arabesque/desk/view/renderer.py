"""Draws a scene with OpenGL 3.3 through moderngl."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from importlib.resources import files
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QOpenGLContext

from arabesque.arrays import Floats
from arabesque.desk import theme
from arabesque.desk.theme import rgb
from arabesque.desk.view.camera import Camera
from arabesque.desk.view.scene import Discs, Gloss, GlossKind, Lines, Paint, Scene, Triangles

SEE_THROUGH = 0.45
SMOOTH = 4
"""Samples a pixel of pictures that are written."""


class _Loader:
    """Looks GL functions up through Qt, so that it works on GLX and EGL alike."""

    def load_opengl_function(self, name: str) -> int:
        address = QOpenGLContext.currentContext().getProcAddress(name.encode())
        return int(address) if address else 0

    load = load_opengl_function

    def __enter__(self) -> _Loader:
        return self

    def __exit__(self, *_: object) -> None:
        """Nothing is held."""

    def release(self) -> None:
        """Nothing is held."""


@dataclass(frozen=True)
class Tile:
    """A part of a picture, in pixels from its upper left corner."""

    x: int
    y: int
    width: int
    height: int

    def of(self, whole: tuple[float, ...]) -> Floats:
        """(4, 4) that blows this part of a picture of ``whole`` pixels up to all of the target."""
        wide, high = whole
        matrix = np.eye(4)
        matrix[0, 0], matrix[1, 1] = wide / self.width, high / self.height
        matrix[0, 3] = (wide - 2 * self.x - self.width) / self.width
        matrix[1, 3] = -(high - 2 * self.y - self.height) / self.height
        return matrix


@dataclass
class _Uploaded:
    """A mesh on the graphics card, and what it was uploaded from."""

    points: object
    values: object
    triangles: object
    vertex_buffer: moderngl.Buffer
    index_buffer: moderngl.Buffer
    array: moderngl.VertexArray
    formed: bool
    nets: moderngl.Texture | None = None
    form: object = None

    def release(self) -> None:
        for part in (self.array, self.vertex_buffer, self.index_buffer, self.nets):
            if part is not None:
                part.release()


def _vertices(mesh: Triangles) -> NDArray[np.float32]:
    vertices = np.empty((len(mesh.points), 7 if mesh.form is None else 9), dtype="f4")
    if mesh.form is not None:
        vertices[:, 7:] = mesh.form.places
    vertices[:, :3] = mesh.points
    vertices[:, 3:6] = mesh.normals
    vertices[:, 6] = 0.0 if mesh.values is None else mesh.values
    return vertices


def _source(name: str) -> str:
    return files("arabesque.desk.view").joinpath("shaders", name).read_text(encoding="utf-8")


class Renderer:
    """Owns the GL objects; all methods need the view's context to be current."""

    def __init__(self) -> None:
        loader: Any = _Loader()
        self._gl: Any = moderngl.create_context(context=loader)
        self._programs = {
            name: self._gl.program(vertex_shader=_source(f"{name}.vert"), fragment_shader=_source(f"{name}.frag"))
            for name in ("mesh", "line", "disc", "backdrop")
        }
        self._backdrop = self._gl.vertex_array(self._programs["backdrop"], [])
        self._meshes: dict[str, _Uploaded] = {}
        self._stream = self._gl.buffer(reserve=1 << 16, dynamic=True)

    def release(self) -> None:
        """Free everything on the graphics card."""
        for mesh in self._meshes.values():
            mesh.release()
        self._meshes.clear()
        self._stream.release()
        self._backdrop.release()
        for program in self._programs.values():
            program.release()

    def draw(self, framebuffer: int, camera: Camera, scale: float, scene: Scene) -> None:
        """Draw the scene into a framebuffer; scale: device pixels per logical pixel."""
        width, height = (round(n * scale) for n in camera.size)
        self._paint(self._gl.detect_framebuffer(framebuffer), camera, scale, scene, Tile(0, 0, width, height))
        drawn = {t.slot for t in scene.triangles}
        # a scan and its coarse stand-in take turns: keep whichever is not drawn just now
        turns = {f"{slot} coarse" for slot in drawn} | {slot.removesuffix(" coarse") for slot in drawn}
        self._drop_unused(drawn | turns)

    def tile(self, camera: Camera, scale: float, scene: Scene, tile: Tile, clear: bool) -> bytes:
        """A part of a picture that is larger than the window: its pixels from the top, four bytes each, colours times
        alpha. clear: nothing behind the scene."""
        gl, size = self._gl, (tile.width, tile.height)
        samples = min(SMOOTH, gl.max_samples)
        smooth = gl.framebuffer(
            [gl.renderbuffer(size, 4, samples=samples)], gl.depth_renderbuffer(size, samples=samples)
        )
        plain = gl.framebuffer([gl.renderbuffer(size, 4)])
        try:
            self._paint(smooth, camera, scale, scene, tile, clear)
            gl.copy_framebuffer(plain, smooth)
            rows = np.frombuffer(plain.read(components=4, alignment=1), dtype=np.uint8).reshape(tile.height, -1)
            return rows[::-1].tobytes()
        finally:
            for buffer in (smooth, plain):
                for part in (*buffer.color_attachments, buffer.depth_attachment, buffer):
                    if part is not None:
                        part.release()

    def _paint(self, target: Any, camera: Camera, scale: float, scene: Scene, tile: Tile, clear: bool = False) -> None:
        gl = self._gl
        target.use()
        gl.viewport = (0, 0, tile.width, tile.height)
        gl.enable_only(moderngl.NOTHING)
        target.depth_mask = True
        target.clear(0.0, 0.0, 0.0, 0.0 if clear else 1.0, depth=1.0)
        if not clear:
            high = camera.size[1] * scale
            share = (high - tile.y - tile.height) / high, tile.height / high
            self._set("backdrop", sky=rgb(theme.now().sky), ground=rgb(theme.now().ground), share=share)
            self._backdrop.render(moderngl.TRIANGLES, vertices=3)
        self._frame(camera, scale, scene, tile)
        gl.enable_only(moderngl.DEPTH_TEST)
        gl.depth_func = "<"
        solid = [t for t in scene.triangles if not t.see_through]
        for mesh in solid:
            self._draw_mesh(mesh, scene, 1.0)
        self._draw_edges([t for t in scene.triangles if t.edges])
        gl.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        # the picture itself stays opaque, whatever is blended into it
        over = (moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA) if clear else (moderngl.ZERO, moderngl.ONE)
        gl.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, *over
        self._draw_lines([line for line in scene.lines if not line.on_top], scale)
        self._draw_see_through([t for t in scene.triangles if t.see_through], scene)
        gl.enable_only(moderngl.BLEND)
        self._draw_lines([line for line in scene.lines if line.on_top], scale)
        self._draw_discs(scene.discs, scale)
        gl.enable_only(moderngl.NOTHING)

    def _draw_see_through(self, meshes: list[Triangles], scene: Scene) -> None:
        """Only the nearest layer of each mesh is blended: calm, and the same in whatever order triangles come.

        The depth of the nearest layer is laid down first, fully transparent;
        then the triangles that reach that depth are drawn.
        """
        for mesh in meshes:
            self._draw_mesh(mesh, scene, 0.0)
            self._gl.depth_func = "<="
            self._draw_mesh(mesh, scene, SEE_THROUGH)
            self._gl.depth_func = "<"

    def _draw_edges(self, meshes: list[Triangles]) -> None:
        """The edges of triangles as thin lines, a little before the triangles."""
        if not meshes:
            return
        self._gl.wireframe = True
        self._gl.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        for mesh in meshes:
            uploaded = self._uploaded(mesh)
            self._set(
                "mesh", gloss=0, mode=0, colour=rgb(theme.now().view_ink), alpha=0.35, dimmed=0.0, bias=mesh.lift + 0.05
            )
            uploaded.array.render(moderngl.TRIANGLES)
        self._gl.wireframe = False
        self._gl.enable_only(moderngl.DEPTH_TEST)

    def _frame(self, camera: Camera, scale: float, scene: Scene, tile: Tile) -> None:
        view = camera.view_matrix().T.astype("f4").tobytes()
        whole = tuple(n * scale for n in camera.size)
        projection = (tile.of(whole) @ camera.projection_matrix()).T.astype("f4").tobytes()
        size = float(tile.width), float(tile.height)
        for name in ("mesh", "line", "disc"):
            self._programs[name]["view"].write(view)
            self._programs[name]["projection"].write(projection)
        for name in ("line", "disc"):
            self._set(name, viewport=size)
        gloss = scene.gloss or Gloss(GlossKind.STUDIO)
        self._programs["mesh"]["to_world"].write(np.ascontiguousarray(camera.axes, dtype="f4").tobytes())
        self._set("mesh", gloss_axis=gloss.axis, gloss_count=gloss.count, gloss_turn=gloss.turn, gloss_size=gloss.size)
        self._set("mesh", gloss_dark=gloss.dark, material=gloss.material.value[1])
        t = theme.now()
        self._set(
            "mesh", is_perspective=int(camera.perspective), tolerance=scene.tolerance, range=scene.distance_range,
            curvature_range=scene.curvature_range or 1.0,
            bulging=rgb(t.bulging),
            hollow=rgb(t.hollow),
            above_near=rgb(t.above_near), above_far=rgb(t.above_far), below_near=rgb(t.below_near),
            below_far=rgb(t.below_far), unmeasured=rgb(t.unmeasured), ink=rgb(t.view_ink),
        )  # fmt: skip
        self._set(
            "disc", ink=rgb(t.view_ink), accent=rgb(t.accent), paper=(1.0, 1.0, 1.0), radius=3.5 * scale, bias=0.0
        )

    def _set(self, program: str, **uniforms: Any) -> None:
        for name, value in uniforms.items():
            self._programs[program][name].value = value

    def _draw_mesh(self, mesh: Triangles, scene: Scene, alpha: float) -> None:
        uploaded = self._uploaded(mesh)
        mode = 0
        if mesh.values is not None and mesh.paint is not None:
            mode = mesh.paint.value if mesh.paint is Paint.CURVATURE or scene.show_distance else 0
            if mesh.paint is Paint.SHORT:
                mode = 0 if scene.short_of is None else Paint.DISTANCE.value
        gloss = scene.gloss.kind.value[1] if scene.gloss is not None and mesh.glossy else 0
        exact = gloss > 0 and mesh.form is not None
        self._set("mesh", gloss=gloss, exact=int(exact))
        if exact:
            self._use_form(uploaded, mesh)
        self._set("mesh", mode=mode, colour=rgb(mesh.colour), alpha=alpha, dimmed=0.7 * mesh.dimmed, bias=mesh.lift)
        uploaded.array.render(moderngl.TRIANGLES)

    def _use_form(self, uploaded: _Uploaded, mesh: Triangles) -> None:
        """Have the mesh's Bézier nets as a texture: a span a row, a control point a texel."""
        assert mesh.form is not None
        nets = mesh.form.nets
        su, sv, pu, pv, _ = nets.shape
        size = (pu * pv, su * sv)
        if uploaded.form is not mesh.form:
            data = nets.astype("f4").tobytes()
            if uploaded.nets is not None and uploaded.nets.size == size:
                uploaded.nets.write(data)
            else:
                if uploaded.nets is not None:
                    uploaded.nets.release()
                uploaded.nets = self._gl.texture(size, 4, data, dtype="f4")
            uploaded.form = mesh.form
        assert uploaded.nets is not None
        uploaded.nets.use(0)
        self._set("mesh", nets=0, layout_of_nets=(pu, pv, su, sv))

    def _uploaded(self, mesh: Triangles) -> _Uploaded:
        """The mesh on the card; uploaded when new, its vertices rewritten in place when only they changed."""
        known = self._meshes.get(mesh.slot)
        formed = mesh.form is not None
        if known is not None and known.triangles is mesh.triangles and known.formed == formed:
            if known.points is not mesh.points or known.values is not mesh.values:
                known.vertex_buffer.write(_vertices(mesh))
                known.points, known.values = mesh.points, mesh.values
            return known
        if known is not None:
            known.release()
        buffer = self._gl.buffer(_vertices(mesh))
        index = self._gl.buffer(mesh.triangles.astype("u4"))
        names = ("position", "normal", "value", *(("place",) if formed else ()))
        layout = "3f 3f 1f 2f" if formed else "3f 3f 1f"
        array = self._gl.vertex_array(self._programs["mesh"], [(buffer, layout, *names)], index_buffer=index)
        self._meshes[mesh.slot] = _Uploaded(mesh.points, mesh.values, mesh.triangles, buffer, index, array, formed)
        return self._meshes[mesh.slot]

    def _drop_unused(self, used: set[str]) -> None:
        for slot in set(self._meshes) - used:
            self._meshes.pop(slot).release()

    def _draw_lines(self, lines: Iterable[Lines], scale: float) -> None:
        for group in lines:
            if len(group.segments):
                self._set("line", colour=(*rgb(group.colour), group.alpha), width=group.width * scale, bias=group.lift)
                self._instances("line", group.segments.reshape(-1, 6), "3f 3f/i", ("start", "end"))

    def _draw_discs(self, discs: Iterable[Discs], scale: float) -> None:
        for group in discs:
            if len(group.points):
                ink = theme.now().view_ink if group.colour is None else group.colour
                self._set("disc", radius=group.radius * scale, ink=rgb(ink))
                data = np.column_stack([group.points, group.states])
                self._instances("disc", data, "3f 1f/i", ("centre", "state"))

    def _instances(self, program: str, data: Floats, layout: str, names: tuple[str, ...]) -> None:
        packed = np.ascontiguousarray(data, dtype="f4")
        if packed.nbytes > self._stream.size:
            self._stream.orphan(2 * packed.nbytes)
        self._stream.write(packed)
        array = self._gl.vertex_array(self._programs[program], [(self._stream, layout, *names)])
        array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(packed))
        array.release()
