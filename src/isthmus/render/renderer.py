"""Draw the rig in its haze with moderngl, in any context; no window system is needed.

Passes: structures (kept while the camera stands), bodies, linear depth at the beam buffer's size,
beams gathered in half floats, haze, pools on the planes of the stage, lenses, and the composite.
Light is scattered analytically: one quad a beam (see beam.frag).
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import fields
from importlib import resources

import moderngl
import numpy as np
from numpy.typing import NDArray

from isthmus.render import meshes
from isthmus.render.gobo_plate import ANGLES, OFFSETS, radon
from isthmus.render.look import Look
from isthmus.render.packing import (
    PLAIN,
    SHADES,
    SHAPED,
    Plane,
    pack_beams,
    planes_of,
    pool_rows,
    shaped,
    within,
)
from isthmus.render.scene import Scene
from isthmus.render.shading import Blocks, light_on_bodies
from isthmus.stage.camera import Camera
from isthmus.stage.drawing import FALLS
from isthmus.stage.ground import WATER_LEVEL
from isthmus.stage.rig import Beams, Bodies

UPSIDE_DOWN = np.diag(
    [1.0, -1.0, 1.0, 1.0]
)  # rows are read from the top, so nothing has to be turned over afterwards
ONE_MINUS_SRC_COLOR = 0x0301
EXPOSURE = 3.8  # with one beam; the eye closes as more are lit
DST_COLOR = 0x0306
_LAYOUT = {
    PLAIN: ("4f 4f 4f 4f 4f/i", "iA", "iD", "iC", "iE", "iS"),
    SHAPED: ("4f 4f 4f 4f 4f 4f 4f 4f 4f/i", "iA", "iD", "iC", "iE", "iS", "iR", "iB", "iG", "iH"),
}


# beams as they are, with a gobo or a blade in them, with a box before them, with both
KINDS = ("", " shaped", " shaded", " shaped shaded")
_SHADE = "// shade.glsl\n"


def _source(name: str, *defines: str, prefix: str = "") -> str:
    text = (resources.files("isthmus.render") / "shaders" / name).read_text()
    if prefix:
        text = (resources.files("isthmus.render") / "shaders" / prefix).read_text() + text
    if _SHADE in text:
        inner = (resources.files("isthmus.render") / "shaders" / "shade.glsl").read_text()
        text = text.replace(_SHADE, inner)
    return text.replace(
        "#version 330\n", "#version 330\n" + "".join(f"#define {d}\n" for d in defines), 1
    )


class Renderer:
    """Owns its buffers; `render` draws one picture and `read_into` takes it out as RGBA rows from
    the top.
    """

    def __init__(self, context: moderngl.Context) -> None:
        self.c = context

        def program(
            vert: str, frag: str, prefix: str = "", defines: tuple[str, ...] = ()
        ) -> moderngl.Program:
            return context.program(
                vertex_shader=_source(vert, *defines, prefix=prefix),
                fragment_shader=_source(frag, *defines),
            )

        self.programs = {
            "mesh": program("mesh.vert", "surface.frag"),
            "body": program("body.vert", "surface.frag", defines=("FLAT",)),
            "flare": program("flare.vert", "flare.frag"),
            "depth": program("full.vert", "depth.frag"),
            "haze": program("full.vert", "haze.frag"),
            "tone": program("full.vert", "tone.frag"),
            "composite": program("full.vert", "composite.frag"),
        }
        for name, vert, frag, prefix in (
            ("quad", "quad.vert", "beam.frag", "beam.glsl"),
            ("cone", "cone.vert", "beam.frag", "beam.glsl"),
            ("pool", "pool.vert", "pool.frag", ""),
        ):
            for kind in KINDS:
                made = program(vert, frag, prefix, tuple(kind.upper().split()))
                self.programs[name + kind] = made
        full = self._buffer(np.array([(-1, -1, 0), (3, -1, 0), (-1, 3, 0)]))
        self.full = {
            name: context.vertex_array(self.programs[name], [(full, "3f", "p")])
            for name in ("depth", "haze", "tone", "composite")
        }
        field = meshes.noise()
        self.noise = context.texture(field.shape, 1, field.tobytes())
        self.noise.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self.shapes = [self._buffer(meshes.unit_box()), self._buffer(meshes.unit_drum())]
        self.edges = self._buffer(meshes.unit_edges())
        self.own_shapes = len(self.shapes)
        self.plates: moderngl.TextureArray | None = None
        self.gobos: moderngl.TextureArray | None = None
        self.quad = self._buffer(np.array([(-1, 0, 0), (1, 0, 0), (-1, 1, 0), (1, 1, 0)]))
        self.square = self._buffer(np.array([(-1, -1, 0), (1, -1, 0), (-1, 1, 0), (1, 1, 0)]))
        self.cone = self._buffer(_cone(8))
        self.size: tuple[int, int] | None = None
        self.scale = 0
        self.samples = 0
        self._targets: list = []
        self._kept: object = None
        self._statics: moderngl.VertexArray | None = None
        self._still_mesh: moderngl.Buffer | None = None
        self.planes: list[Plane] = []
        self.deck = (0.0, 0.0, 0.0, 0.0)
        self.ground = WATER_LEVEL
        self.set_scene(Scene(()))

    def _buffer(self, array: NDArray) -> moderngl.Buffer:
        return self.c.buffer(np.ascontiguousarray(array, np.float32).tobytes())

    def set_scene(self, scene: Scene) -> None:
        """Take other structures, bodies and gobos."""
        structures = scene.structures
        parts = [meshes.structure_mesh(s, scene.pieces.get(s.mesh)) for s in structures]
        ground = meshes.ground_of(structures)
        still = np.concatenate([meshes.ground_mesh(ground), *parts])
        for old in (self._statics, self._still_mesh):
            if old is not None:
                old.release()
        self._still_mesh = self._buffer(still)
        self._statics = self.c.vertex_array(
            self.programs["mesh"], [(self._still_mesh, "3f 3f 3f", "p", "n", "c")]
        )
        self.planes = planes_of(structures)
        self.ground = ground.level
        self.blocks = Blocks(structures, ground.level)
        for program in self.programs.values():
            boxes = program.get("boxes", None)
            if isinstance(boxes, moderngl.Uniform):
                boxes.write(self.blocks.matrices)
        hull = next((s for s in structures if s.kind == "hull"), None)
        self.deck = (0.0, 0.0, 0.0, 0.0)
        if hull:
            x, y = hull.position[:2]
            self.deck = (
                x - hull.size[0] / 2,
                x + hull.size[0] / 2,
                y - hull.size[1] / 2,
                y + hull.size[1] / 2,
            )
        for shape in self.shapes[self.own_shapes :]:
            shape.release()
        self.shapes[self.own_shapes :] = [
            self._buffer(triangles.reshape(-1, 3)) for triangles in scene.bodies
        ]
        self._set_gobos(scene.gobos)
        self._kept = None

    def _set_gobos(self, gobos: Sequence[NDArray[np.uint8]]) -> None:
        for old in (self.plates, self.gobos):
            if old is not None:
                old.release()
        self.plates = self.gobos = None
        if gobos:
            size, many = gobos[0].shape[0], len(gobos)
            self.plates = self.c.texture_array(
                (OFFSETS, ANGLES, many), 1, np.stack([radon(g) for g in gobos]).tobytes()
            )
            self.gobos = self.c.texture_array((size, size, many), 1, np.stack(gobos).tobytes())
            for texture in (self.plates, self.gobos):
                texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
                texture.repeat_x = False
                texture.repeat_y = texture is self.plates

    def _resize(self, size: tuple[int, int], scale: int, samples: int) -> None:
        if self.size == size and self.scale == scale and self.samples == samples:
            return
        for target in self._targets:
            target.release()
        self.size, self.scale, self.samples, self._kept = size, scale, samples, None
        c = self.c
        small = (max(1, -(-size[0] // scale)), max(1, -(-size[1] // scale)))
        self.small = small
        self.scene = c.texture(size, 4)
        self.scene_depth = c.depth_texture(size)
        self.scene_depth.compare_func = ""
        self.scene_depth.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.scene_fb = c.framebuffer([self.scene], self.scene_depth)
        still, still_depth = c.texture(size, 4), c.depth_texture(size)
        smooth, smooth_depth = (
            c.renderbuffer(size, 4, samples=samples),
            c.depth_renderbuffer(size, samples=samples),
        )
        self.still_fb = c.framebuffer([still], still_depth)
        self.smooth_fb = c.framebuffer([smooth], smooth_depth)
        self.linear = c.texture(small, 1, dtype="f4")
        self.linear.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.linear_fb = c.framebuffer([self.linear])
        self.light = c.texture(small, 4, dtype="f2")
        self.light.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self.light.repeat_x = self.light.repeat_y = False
        self.light_fb = c.framebuffer([self.light])
        self.toned = c.texture(small, 4)
        self.toned.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self.toned.repeat_x = self.toned.repeat_y = False
        self.toned_fb = c.framebuffer([self.toned])
        self.over_fb = c.framebuffer([self.scene])
        self._targets = [
            self.scene,
            self.scene_depth,
            self.scene_fb,
            self.still_fb,
            self.smooth_fb,
            self.linear,
            self.linear_fb,
            self.light,
            self.light_fb,
            self.toned,
            self.toned_fb,
            self.over_fb,
            still,
            still_depth,
            smooth,
            smooth_depth,
        ]

    def _set(self, **values: object) -> None:
        for program in self.programs.values():
            for name, value in values.items():
                member = program.get(name, None)
                if isinstance(member, moderngl.Uniform):
                    member.value = value

    def render(
        self,
        size: tuple[int, int],
        camera: Camera,
        beams: Beams,
        bodies: Bodies,
        tint: NDArray,
        look: Look,
    ) -> None:
        """tint: (units, 3) colour of the bodies of each unit."""
        drawing = look.drawing
        self._resize(size, look.scale, drawing.samples)
        c, view = self.c, camera.view()
        vp = UPSIDE_DOWN @ camera.projection(size[0] / size[1]) @ view
        half = math.tan(math.radians(camera.fov) / 2)
        lit = beams.rgb.max(axis=1, initial=0) > 1e-4
        packed = pack_beams(beams, within(beams.origin, look.space))[lit].astype(np.float32)
        kind = beams.kind[lit]
        lenses, packed = packed[kind != 1], packed[kind != 2]
        exposure = EXPOSURE * drawing.strength * drawing.exposure / (1 + len(packed) / 110)
        glow = (
            (packed[:, 8:11] * packed[:, 3:4]).sum(axis=0)
            * 0.5
            * drawing.strength
            * drawing.exposure
            / (1 + 0.02 * len(packed))
        )
        glow = np.round(glow * 20) / 20  # in steps, so that the still layer outlives small changes
        self._set(
            vp=tuple(vp.T.astype("f4").ravel()),
            cam=camera.eye,
            fwd=tuple(-view[2, :3]),
            rgt=tuple(view[0, :3]),
            upv=tuple(-view[1, :3]),
            tanf=(half * size[0] / size[1], half),
            px=2 * half / self.small[1],
            nf=(camera.near, camera.far),
            sc=look.scale,
            room=look.room * drawing.exposure,
            amb=tuple(glow),
            floorz=self.ground,
            fall=float(FALLS.index(drawing.fall)),
            expo=exposure * drawing.haze,
            time=look.time * drawing.drift,
            depth=camera.distance * 0.9 * drawing.depth,
            uneven=drawing.uneven,
            grain=1.0 / max(drawing.grain, 0.1),
            dep=0,
            hw=0,
            noise=1,
            plates=2,
            gobos=3,
            light=0,
            deck=self.deck,
        )
        self._draw_still(vp, size, look, tuple(glow))
        light = self._light_on(bodies, beams, exposure if drawing.shade else 0.0)
        self._draw_bodies(bodies, tint, light, drawing.bodies == "outlines")
        if not len(packed) and not len(lenses):
            return
        c.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._into(self.linear_fb, self.small)
        self.scene_depth.use(0)
        self.full["depth"].render()
        self._into(self.light_fb, self.small)
        self.light_fb.clear()
        c.enable(moderngl.BLEND)
        c.blend_func = moderngl.ONE, moderngl.ONE
        self.linear.use(0)
        self.noise.use(1)
        if self.plates is not None and self.gobos is not None:
            self.plates.use(2)
            self.gobos.use(3)
        if drawing.haze > 0:
            self._draw_beams(packed[packed[:, 15] > 0], camera, drawing.shade)
            c.blend_func = DST_COLOR, moderngl.ZERO
            self.full["haze"].render()
            c.blend_func = moderngl.ONE, moderngl.ONE
        self._set(expo=exposure)
        self._draw_pools(packed, drawing.shade)
        self._instanced("flare", self.square, lenses[:, :PLAIN], _LAYOUT[PLAIN])
        c.disable(moderngl.BLEND)
        self._into(self.toned_fb, self.small)
        self.light.use(0)
        self.full["tone"].render()
        self._into(self.over_fb, size)
        self.toned.use(0)
        c.enable(moderngl.BLEND)
        c.blend_func = moderngl.ONE, ONE_MINUS_SRC_COLOR  # screen blend is exponential tone mapping
        self.full["composite"].render()
        c.disable(moderngl.BLEND)

    def read_into(self, target: memoryview | bytearray) -> None:
        """RGBA bytes, rows from the top."""
        self.over_fb.read_into(target, components=4)

    def _into(self, target: moderngl.Framebuffer, size: tuple[int, int]) -> None:
        target.use()
        target.viewport = (0, 0, *size)

    def _draw_still(
        self, vp: NDArray, size: tuple[int, int], look: Look, glow: tuple[float, ...]
    ) -> None:
        """Structures, smoothed, kept as long as the camera and the room light stay."""
        key = (vp.tobytes(), size, look.room * look.drawing.exposure, glow)
        if key != self._kept and self._statics is not None:
            self._into(self.smooth_fb, size)
            self.c.enable(moderngl.DEPTH_TEST)
            self.c.disable(moderngl.CULL_FACE | moderngl.BLEND)
            self.smooth_fb.clear(0.003, 0.005, 0.007, 1.0, depth=1.0)
            self._statics.render()
            self.c.copy_framebuffer(self.still_fb, self.smooth_fb)
            self._kept = key
        self.c.copy_framebuffer(self.scene_fb, self.still_fb)

    def _light_on(self, bodies: Bodies, beams: Beams, exposure: float) -> NDArray:
        """(m, 6): whence light of the beams comes to each body part, and how much."""
        lit = np.flatnonzero((beams.rgb.max(axis=1, initial=0) > 1e-4) & (beams.kind != 2))
        if not len(lit) or not len(bodies.unit) or not exposure:
            return np.zeros((len(bodies.unit), 6))
        some = Beams(**{f.name: getattr(beams, f.name)[lit] for f in fields(Beams)})
        lamp, rgb = light_on_bodies(bodies, some, pack_beams(some), self.blocks.shade)
        return np.concatenate([lamp, rgb * exposure], axis=1)

    def _draw_bodies(self, bodies: Bodies, tint: NDArray, light: NDArray, lines: bool) -> None:
        self._into(self.scene_fb, self.size or (1, 1))
        self.c.enable(moderngl.DEPTH_TEST)
        self.c.disable(moderngl.CULL_FACE)
        for shape, solid in enumerate(self.shapes):
            mesh = self.edges if lines and shape == 0 else solid
            here = bodies.shape == shape
            if here.any():
                matrix = bodies.matrix[here, :3].reshape(-1, 12)
                rows = np.concatenate(
                    [matrix, tint[bodies.unit[here]], light[here]], axis=1
                ).astype(np.float32)
                self._instanced(
                    "body",
                    mesh,
                    rows,
                    ("4f 4f 4f 3f 3f 3f/i", "iR0", "iR1", "iR2", "iC", "iL", "iK"),
                    moderngl.LINES if mesh is self.edges else moderngl.TRIANGLES,
                )

    def _instanced(
        self,
        program: str,
        mesh: moderngl.Buffer,
        rows: NDArray,
        layout: tuple[str, ...],
        mode: int = moderngl.TRIANGLE_STRIP,
    ) -> None:
        if not len(rows):
            return
        data = self.c.buffer(np.ascontiguousarray(rows, np.float32).tobytes())
        used = self.programs[program]
        names = [n for n in layout[1:] if n in used]
        formats = layout[0].removesuffix("/i").split()
        kept = (
            " ".join(
                f if n in used else f"{int(f[0]) * 4}x"
                for f, n in zip(formats, layout[1:], strict=True)
            )
            + "/i"
        )
        array = self.c.vertex_array(used, [(mesh, "3f", "p"), (data, kept, *names)])
        array.render(mode, instances=len(rows))
        array.release()
        data.release()

    def _draw_beams(self, packed: NDArray, camera: Camera, shade: bool) -> None:
        to = np.array(camera.eye, np.float32) - packed[:, :3]
        axial = (to * packed[:, 4:7]).sum(axis=1)
        off = np.sqrt(np.maximum((to * to).sum(axis=1) - axial**2, 0))
        inside = (axial > -0.5) & (off < np.maximum(axial, 0) * packed[:, 3] * 1.3 + 0.6)
        special = shaped(packed) if self.plates is not None else np.zeros(len(packed), bool)
        packed = packed.copy()
        packed[:, 15] = packed[:, 11]
        if shade:
            packed[:, 15] = self.blocks.ends(packed)
            packed[:, SHADES] = self.blocks.shading_haze(packed)
        for kind, width, which in _by_kind(packed, special):
            self._instanced(
                "quad" + kind, self.quad, packed[which & ~inside][:, :width], _LAYOUT[width]
            )
            if (which & inside).any():
                self.c.enable(moderngl.CULL_FACE)
                self.c.cull_face = "back"  # upside down, so the other way round
                self._instanced(
                    "cone" + kind,
                    self.cone,
                    packed[which & inside][:, :width],
                    _LAYOUT[width],
                    moderngl.TRIANGLES,
                )
                self.c.disable(moderngl.CULL_FACE)

    def _draw_pools(self, packed: NDArray, shade: bool) -> None:
        for plane in self.planes:
            rows = pool_rows(packed, plane, self.deck)
            if len(rows):
                normal = np.array(plane.normal)
                self._set(
                    plane=(*plane.normal, float(-normal @ np.array(plane.centre))),
                    centre=plane.centre,
                    along=plane.along,
                    across=plane.across,
                    albedo=plane.albedo,
                )
                special = shaped(rows) if self.gobos is not None else np.zeros(len(rows), bool)
                box = rows[:, SHAPED:]
                if shade:
                    rows[:, SHADES] = self.blocks.shading_pools(rows, plane)
                for kind, width, which in _by_kind(rows, special):
                    formats, *names = _LAYOUT[width]
                    layout = (formats.replace("/i", " 4f/i"), *names, "iQ")
                    self._instanced(
                        "pool" + kind,
                        self.square,
                        np.concatenate([rows[which][:, :width], box[which]], axis=1),
                        layout,
                    )


def _by_kind(
    packed: NDArray, special: NDArray[np.bool_]
) -> Iterator[tuple[str, int, NDArray[np.bool_]]]:
    """For each kind of beams: its name, how many floats it takes, and which they are."""
    dark = packed[:, SHADES.start] >= 0
    for kind in KINDS:
        which = (special == ("shaped" in kind)) & (dark == ("shaded" in kind))
        if which.any():
            yield kind, SHAPED if "shaped" in kind else PLAIN, which


def _cone(sides: int) -> NDArray[np.float64]:
    angle = np.arange(sides) / sides * 2 * np.pi
    point = lambda i, z: (math.cos(angle[i % sides]), math.sin(angle[i % sides]), z)  # noqa: E731
    rows = []
    for i in range(sides):
        rows += [
            point(i, 0),
            point(i + 1, 0),
            point(i + 1, 1),
            point(i, 0),
            point(i + 1, 1),
            point(i, 1),
        ]
        if 0 < i < sides - 1:
            rows += [
                point(0, 0),
                point(i + 1, 0),
                point(i, 0),
                point(0, 1),
                point(i, 1),
                point(i + 1, 1),
            ]
    return np.array(rows, float)


def standalone_context() -> moderngl.Context:
    """A private EGL context: no window, no X. Raises whatever the driver raises."""
    return moderngl.create_context(standalone=True, backend="egl")  # type: ignore[arg-type]
