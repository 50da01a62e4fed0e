"""Draw the rig in its haze with moderngl, in any context; no window system is needed.

Passes: structures (kept while the camera stands), bodies, linear depth at the beam buffer's size, beams gathered in
half floats, haze, pools on the planes of the stage, lenses, and the composite. Light is scattered analytically: one
quad a beam (see beam.frag).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from importlib import resources

import moderngl
import numpy as np
from numpy.typing import NDArray

from isthmus.render import meshes
from isthmus.render.look import Look
from isthmus.show.records import Structure
from isthmus.stage.camera import Camera
from isthmus.stage.rig import Beams, Bodies
from isthmus.stage.transforms import matrices

REACH = 34.0  # metres a beam is drawn
HULL = 1.21  # the compact profile reaches 10 % at the field's edge
EXPOSURE = 3.8  # with one beam; the eye closes as more are lit
DST_COLOR = 0x0306
MAX_PLANES = 8


@dataclass(frozen=True)
class Plane:
    centre: tuple[float, float, float]
    along: tuple[float, float, float]
    across: tuple[float, float, float]
    normal: tuple[float, float, float]
    albedo: tuple[float, float, float]


def planes_of(structures: tuple[Structure, ...]) -> list[Plane]:
    """The surfaces pools of light are drawn on: tops of decks and hulls, fronts of walls, the water."""
    found = []
    for s in structures:
        turn = matrices([s.rotation])[0]
        length, depth, height = (v / 2 for v in s.size)
        if s.kind in ("deck", "hull"):
            local, along, across, normal, albedo = (0, 0, height), (length, 0, 0), (0, depth, 0), (0, 0, 1), (1.0, 0.95, 0.88)
        elif s.kind == "wall":
            local, along, across, normal, albedo = (0, -depth, 0), (length, 0, 0), (0, 0, height), (0, -1, 0), (0.9, 0.84, 0.78)
        else:
            continue
        centre = turn @ np.array(local, float) + np.array(s.position)
        turned = [tuple(float(v) for v in turn @ np.array(a, float)) for a in (along, across, normal)]
        found.append(Plane(tuple(float(v) for v in centre), *turned, albedo))  # type: ignore[arg-type]
    reach = meshes.WATER_REACH
    water = Plane((0, 0, meshes.WATER_LEVEL), (reach, 0, 0), (0, reach, 0), (0, 0, 1), (0.16, 0.22, 0.25))
    return [*found[: MAX_PLANES - 1], water]


def _source(name: str, *defines: str, prefix: str = "") -> str:
    text = (resources.files("isthmus.render") / "shaders" / name).read_text()
    if prefix:
        text = (resources.files("isthmus.render") / "shaders" / prefix).read_text() + text
    return text.replace("#version 330\n", "#version 330\n" + "".join(f"#define {d}\n" for d in defines), 1)


class Renderer:
    """Owns its buffers; `render` draws one picture and `read_into` takes it out as RGBA rows from the top."""

    def __init__(self, context: moderngl.Context) -> None:
        self.c = context

        def program(vert: str, frag: str, prefix: str = "", defines: tuple[str, ...] = ()) -> moderngl.Program:
            return context.program(vertex_shader=_source(vert, prefix=prefix), fragment_shader=_source(frag, *defines))

        self.programs = {
            "mesh": program("mesh.vert", "surface.frag"),
            "body": program("body.vert", "surface.frag", defines=("FLAT",)),
            "quad": program("quad.vert", "beam.frag", prefix="beam.glsl"),
            "cone": program("cone.vert", "beam.frag", prefix="beam.glsl"),
            "pool": program("pool.vert", "pool.frag"),
            "flare": program("flare.vert", "flare.frag"),
            "depth": program("full.vert", "depth.frag"),
            "haze": program("full.vert", "haze.frag"),
            "tone": program("full.vert", "tone.frag"),
            "composite": program("full.vert", "composite.frag"),
        }
        full = self._buffer(np.array([(-1, -1, 0), (3, -1, 0), (-1, 3, 0)]))
        self.full = {
            name: context.vertex_array(self.programs[name], [(full, "3f", "p")]) for name in ("depth", "haze", "tone", "composite")
        }
        field = meshes.noise()
        self.noise = context.texture(field.shape, 1, field.tobytes())
        self.noise.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self.shapes = [self._buffer(meshes.unit_box()), self._buffer(meshes.unit_drum())]
        self.quad = self._buffer(np.array([(-1, 0, 0), (1, 0, 0), (-1, 1, 0), (1, 1, 0)]))
        self.square = self._buffer(np.array([(-1, -1, 0), (1, -1, 0), (-1, 1, 0), (1, 1, 0)]))
        self.cone = self._buffer(_cone(8))
        self.size: tuple[int, int] | None = None
        self.scale = 0
        self._targets: list = []
        self._kept: object = None
        self._statics: moderngl.VertexArray | None = None
        self.planes: list[Plane] = []
        self.deck = (0.0, 0.0, 0.0, 0.0)
        self.set_structures(())

    def _buffer(self, array: NDArray) -> moderngl.Buffer:
        return self.c.buffer(np.ascontiguousarray(array, np.float32).tobytes())

    def set_structures(self, structures: tuple[Structure, ...]) -> None:
        parts = [meshes.structure_mesh(s) for s in structures]
        self._statics = self.c.vertex_array(
            self.programs["mesh"], [(self._buffer(np.concatenate([meshes.water(), *parts])), "3f 3f 3f", "p", "n", "c")]
        )
        self.planes = planes_of(structures)
        hull = next((s for s in structures if s.kind == "hull"), None)
        if hull:
            x, y = hull.position[:2]
            self.deck = (x - hull.size[0] / 2, x + hull.size[0] / 2, y - hull.size[1] / 2, y + hull.size[1] / 2)
        self._kept = None

    def _resize(self, size: tuple[int, int], scale: int) -> None:
        if self.size == size and self.scale == scale:
            return
        for target in self._targets:
            target.release()
        self.size, self.scale, self._kept = size, scale, None
        c = self.c
        small = (max(1, -(-size[0] // scale)), max(1, -(-size[1] // scale)))
        self.small = small
        self.scene = c.texture(size, 4)
        self.scene_depth = c.depth_texture(size)
        self.scene_depth.compare_func = ""
        self.scene_depth.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.scene_fb = c.framebuffer([self.scene], self.scene_depth)
        self.still_fb = c.framebuffer([c.texture(size, 4)], c.depth_texture(size))
        self.smooth_fb = c.framebuffer([c.renderbuffer(size, 4, samples=4)], c.depth_renderbuffer(size, samples=4))
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
        self.out_fb = c.framebuffer([c.texture(size, 4)])
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
            self.out_fb,
        ]

    def _set(self, **values: object) -> None:
        for program in self.programs.values():
            for name, value in values.items():
                member = program.get(name, None)
                if isinstance(member, moderngl.Uniform):
                    member.value = value

    def render(self, size: tuple[int, int], camera: Camera, beams: Beams, bodies: Bodies, tint: NDArray, look: Look) -> None:
        """tint: (units, 3) colour of the bodies of each unit."""
        self._resize(size, look.scale)
        c, view = self.c, camera.view()
        vp = camera.projection(size[0] / size[1]) @ view
        half = math.tan(math.radians(camera.fov) / 2)
        packed = pack_beams(beams)
        lit = packed[:, 8:11].max(axis=1, initial=0) > 1e-4
        packed = packed[lit].astype(np.float32)
        exposure = EXPOSURE * look.strength / (1 + len(packed) / 110)
        glow = (packed[:, 8:11] * packed[:, 3:4]).sum(axis=0) * 0.5 * look.strength / (1 + 0.02 * len(packed))
        glow = np.round(glow * 20) / 20  # in steps, so that the still layer outlives small changes
        self._set(
            vp=tuple(vp.T.astype("f4").ravel()),
            cam=camera.eye,
            fwd=tuple(-view[2, :3]),
            rgt=tuple(view[0, :3]),
            upv=tuple(view[1, :3]),
            tanf=(half * size[0] / size[1], half),
            px=2 * half / self.small[1],
            nf=(camera.near, camera.far),
            sc=look.scale,
            room=look.room,
            amb=tuple(glow),
            floorz=meshes.WATER_LEVEL,
            expo=exposure * look.haze,
            time=look.time,
            depth=camera.distance * 0.9,
            uneven=look.uneven,
            dep=0,
            hw=0,
            noise=1,
            scene=1,
            light=0,
            high=size[1],
            deck=self.deck,
        )
        self._draw_still(vp, size, look, tuple(glow))
        self._draw_bodies(bodies, tint)
        c.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._into(self.linear_fb, self.small)
        self.scene_depth.use(0)
        self.full["depth"].render()
        self._into(self.light_fb, self.small)
        self.light_fb.clear()
        if len(packed):
            c.enable(moderngl.BLEND)
            c.blend_func = moderngl.ONE, moderngl.ONE
            self.linear.use(0)
            self.noise.use(1)
            if look.haze > 0:
                self._draw_beams(packed, camera)
                c.blend_func = DST_COLOR, moderngl.ZERO
                self.full["haze"].render()
                c.blend_func = moderngl.ONE, moderngl.ONE
            self._set(expo=exposure)
            self._draw_pools(packed)
            self._instanced("flare", self.square, packed)
            c.disable(moderngl.BLEND)
        self._into(self.toned_fb, self.small)
        self.light.use(0)
        self.full["tone"].render()
        self._into(self.out_fb, size)
        self.toned.use(0)
        self.scene.use(1)
        self.full["composite"].render()

    def read_into(self, target: memoryview | bytearray) -> None:
        """RGBA bytes, rows from the top."""
        self.out_fb.read_into(target, components=4)

    def _into(self, target: moderngl.Framebuffer, size: tuple[int, int]) -> None:
        target.use()
        target.viewport = (0, 0, *size)

    def _draw_still(self, vp: NDArray, size: tuple[int, int], look: Look, glow: tuple[float, ...]) -> None:
        """Structures, smoothed, kept as long as the camera and the room light stay."""
        key = (vp.tobytes(), size, look.room, glow)
        if key != self._kept and self._statics is not None:
            self._into(self.smooth_fb, size)
            self.c.enable(moderngl.DEPTH_TEST)
            self.c.disable(moderngl.CULL_FACE | moderngl.BLEND)
            self.smooth_fb.clear(0.003, 0.005, 0.007, 1.0, depth=1.0)
            self._statics.render()
            self.c.copy_framebuffer(self.still_fb, self.smooth_fb)
            self._kept = key
        self.c.copy_framebuffer(self.scene_fb, self.still_fb)

    def _draw_bodies(self, bodies: Bodies, tint: NDArray) -> None:
        self._into(self.scene_fb, self.size or (1, 1))
        self.c.enable(moderngl.DEPTH_TEST)
        self.c.disable(moderngl.CULL_FACE)
        for shape, mesh in enumerate(self.shapes):
            here = bodies.shape == shape
            if here.any():
                rows = np.concatenate([bodies.matrix[here, :3].reshape(-1, 12), tint[bodies.unit[here]]], axis=1).astype(np.float32)
                self._instanced("body", mesh, rows, ("4f 4f 4f 3f/i", "iR0", "iR1", "iR2", "iC"), moderngl.TRIANGLES)

    def _instanced(
        self,
        program: str,
        mesh: moderngl.Buffer,
        rows: NDArray,
        layout: tuple[str, ...] = ("4f 4f 4f/i", "iA", "iD", "iC"),
        mode: int = moderngl.TRIANGLE_STRIP,
    ) -> None:
        data = self.c.buffer(np.ascontiguousarray(rows, np.float32).tobytes())
        used = self.programs[program]
        names = [n for n in layout[1:] if n in used]
        formats = layout[0].removesuffix("/i").split()
        kept = " ".join(f if n in used else f"{int(f[0]) * 4}x" for f, n in zip(formats, layout[1:], strict=True)) + "/i"
        array = self.c.vertex_array(used, [(mesh, "3f", "p"), (data, kept, *names)])
        array.render(mode, instances=len(rows))
        array.release()
        data.release()

    def _draw_beams(self, packed: NDArray, camera: Camera) -> None:
        to = np.array(camera.eye, np.float32) - packed[:, :3]
        axial = (to * packed[:, 4:7]).sum(axis=1)
        off = np.sqrt(np.maximum((to * to).sum(axis=1) - axial**2, 0))
        inside = (axial > -0.5) & (off < np.maximum(axial, 0) * packed[:, 3] * 1.3 + 0.6)
        if (~inside).any():
            self._instanced("quad", self.quad, packed[~inside])
        if inside.any():
            self.c.enable(moderngl.CULL_FACE)
            self.c.cull_face = "front"
            self._instanced("cone", self.cone, packed[inside], mode=moderngl.TRIANGLES)
            self.c.disable(moderngl.CULL_FACE)

    def _draw_pools(self, packed: NDArray) -> None:
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
                self._instanced("pool", self.square, rows, ("4f 4f 4f 4f/i", "iA", "iD", "iC", "iQ"))


def pool_rows(packed: NDArray, plane: Plane, deck: tuple[float, float, float, float]) -> NDArray:
    """The beams that reach a plane, (k, 16): the beam, then the box of its pool in the plane's own axes (−1…1)."""
    normal, centre = np.array(plane.normal), np.array(plane.centre)
    apex, axis, tan = packed[:, :3], packed[:, 4:7], packed[:, 3]
    height = (apex - centre) @ normal
    facing = -(axis @ normal)
    near = (height > 0.02) & (facing > 0.03) & (height / np.maximum(facing, 1e-3) < REACH)
    packed, apex, axis, tan, height, facing = (a[near] for a in (packed, apex, axis, tan, height, facing))
    if not len(packed):
        return np.zeros((0, 16))
    lean = axis + normal * facing[:, None]
    size = np.linalg.norm(lean, axis=1)
    lean = np.where(size[:, None] > 1e-4, lean / np.maximum(size, 1e-4)[:, None], np.array(plane.along) / np.linalg.norm(plane.along))
    angle, half = np.arctan2(size, facing), np.arctan(tan)
    low, high = height * np.tan(np.maximum(angle - half, -1.3)), height * np.tan(np.minimum(angle + half, 1.3))
    wide = np.maximum(tan * np.hypot(height, np.maximum(np.abs(low), np.abs(high))), (high - low) / 2)
    foot, side = apex - centre - normal * height[:, None], np.cross(normal, lean)
    middle, reach = foot + lean * ((low + high) / 2)[:, None], (high - low) / 2
    boxes = []
    for direction in (plane.along, plane.across):
        length = float(np.linalg.norm(direction))
        unit = np.array(direction) / length
        at, spread = middle @ unit, np.abs(lean @ unit) * reach + np.abs(side @ unit) * wide
        boxes += [np.maximum((at - spread) / length, -1), np.minimum((at + spread) / length, 1)]
    seen = (boxes[0] < boxes[1]) & (boxes[2] < boxes[3])
    if plane.centre[2] < -0.5 and deck[0] < deck[1]:  # the water: pools that fall wholly on the deck never reach it
        on_deck = apex + axis * (apex[:, 2] / np.maximum(-axis[:, 2], 1e-3))[:, None]
        spill = wide * np.maximum(apex[:, 2], 0) / np.maximum(height, 1e-3)
        inside = (
            (on_deck[:, 0] - spill > deck[0])
            & (on_deck[:, 0] + spill < deck[1])
            & (on_deck[:, 1] - spill > deck[2])
            & (on_deck[:, 1] + spill < deck[3])
        )
        seen &= ~(inside & (apex[:, 2] > 0))
    return np.concatenate([packed[seen, :12], np.stack(boxes, axis=1)[seen]], axis=1)


def pack_beams(beams: Beams) -> NDArray[np.float64]:
    """(k, 12): virtual apex and T, direction and lens distance, colour and end, as the shaders want them."""
    tan = np.minimum(beams.tan, 4.0) * HULL
    lens = np.maximum(beams.lens, 0.02)
    back = lens / (tan * 0.9)
    apex = beams.origin - beams.direction * back[:, None]
    rgb = beams.rgb * (0.14 * (tan / 0.15) ** 0.30)[:, None]
    # a wide or weak beam is lost in the haze long before a narrow one
    reach = np.clip(REACH * np.sqrt(0.15 / tan) * np.maximum(beams.rgb.max(axis=1, initial=0.0), 1e-4) ** 0.25, 4.0, REACH)
    return np.concatenate([apex, tan[:, None], beams.direction, back[:, None], rgb, (reach + back)[:, None]], axis=1)


def _cone(sides: int) -> NDArray[np.float64]:
    angle = np.arange(sides) / sides * 2 * np.pi
    point = lambda i, z: (math.cos(angle[i % sides]), math.sin(angle[i % sides]), z)  # noqa: E731
    rows = []
    for i in range(sides):
        rows += [point(i, 0), point(i + 1, 0), point(i + 1, 1), point(i, 0), point(i + 1, 1), point(i, 1)]
        if 0 < i < sides - 1:
            rows += [point(0, 0), point(i + 1, 0), point(i, 0), point(0, 1), point(i, 1), point(i + 1, 1)]
    return np.array(rows, float)


def standalone_context() -> moderngl.Context:
    """A private EGL context: no window, no X. Raises whatever the driver raises."""
    return moderngl.create_context(standalone=True, backend="egl")  # type: ignore[arg-type]
