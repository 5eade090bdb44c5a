"""OBJ with its MTL, STL, PLY, OFF and 3MF, through a library that reads them; no unit but in 3MF."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from lithopos.core.arrays import Array, Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Y_TO_Z, Material, Model, Part, Texture, plain_name
from lithopos.core.geometry.pictures import is_texture
from lithopos.core.geometry.units import METRES, guessed, known

_UNITS = {"millimeter": "mm", "centimeter": "cm", "meter": "m", "inch": "inch", "foot": "foot", "micron": "micron"}
GREY = np.array([0.6, 0.6, 0.6], np.float32)

__all__ = ["read_3mf", "read_obj", "read_off", "read_ply", "read_stl"]


def read_obj(path: Path) -> Model:
    """Wavefront OBJ: y up by custom, its objects as parts, materials of its MTL and their pictures."""
    return _Meshes(path, "obj", split_objects=True).model(up="y")


def read_stl(path: Path) -> Model:
    """STL, of either kind: z up by custom."""
    _refuse_neither_stl(path)
    return _Meshes(path, "stl").model(up="z")


def read_ply(path: Path) -> Model:
    """PLY with the colours of its vertices: z up by custom."""
    return _Meshes(path, "ply").model(up="z")


def read_off(path: Path) -> Model:
    """OFF: z up by custom."""
    return _Meshes(path, "off").model(up="z")


def read_3mf(path: Path) -> Model:
    """3MF: z up, and its unit is told."""
    return _Meshes(path, "3mf").model(up="z")


class _Meshes:
    """A file as the library has it, turned into parts and materials."""

    def __init__(self, path: Path, kind: str, **how: Any) -> None:
        import trimesh

        self.path, self.kind = path, kind
        self.lost: list[str] = []
        self.materials: list[Material] = []
        self._known: dict[int, int] = {}
        resolver: Any = _OwnFolder(path.parent, self.lost)
        self.pictures: dict[str, str] = resolver.pictures
        try:
            with _opened(path, kind) as file:
                self.scene: Any = trimesh.load_scene(file, file_type=kind, resolver=resolver, process=False, **how)
        except (MemoryError, InputError):
            raise
        except Exception as error:  # the library's readers raise whatever they come across
            raise InputError("model", f"can't be read as {kind.upper()}: it is damaged or incomplete") from error

    def model(self, up: str) -> Model:
        parts = [part for name in self.scene.graph.nodes_geometry for part in self._parts(name)]
        if not parts:
            return Model([], [], self.lost)
        points = np.concatenate([part.vertices for part in parts])
        if not np.isfinite(points).all():
            raise InputError("model", "has positions that are not numbers")
        told = _UNITS.get(str(self.scene.units))
        unit = known(told) if told in METRES else guessed(float(np.ptp(points, axis=0).max()))
        turn = Y_TO_Z if up == "y" else np.eye(3)
        _refuse_cut_off(self.path, self.kind, sum(len(part.faces) for part in parts))
        stood = [
            Part(p.name, p.vertices @ turn.T * unit.metres, p.normals @ turn.T, p.uv, p.faces, p.material, p.colours)
            for p in parts
        ]
        return Model(stood, self.materials, list(dict.fromkeys(self.lost)), unit, "y" if up == "y" else "z")

    def _parts(self, node: str) -> list[Part]:
        import trimesh

        matrix, name = self.scene.graph[node]
        mesh = self.scene.geometry[name]
        if not isinstance(mesh, trimesh.Trimesh):
            self.lost.append("points and lines are left out")
            return []
        if self.kind == "stl":
            vertices, faces = _indexed(mesh)
        else:
            vertices, faces = np.asarray(mesh.vertices, float), np.asarray(mesh.faces, np.int64)
        normals: Array = np.zeros((0, 3))
        if "vertex_normals" in mesh._cache.cache and len(mesh._cache["vertex_normals"]) == len(vertices):
            normals = np.asarray(mesh._cache["vertex_normals"], float)
        linear = matrix[:3, :3]
        vertices = vertices @ linear.T + matrix[:3, 3]
        if len(normals):
            normals = normals @ np.linalg.pinv(linear)
        if np.linalg.det(linear) < 0:
            faces = faces[:, ::-1]
        uv, colours, material = self._dressed(mesh, len(vertices))
        return [Part(plain_name(node), vertices, normals, uv, faces, material, colours)]

    def _dressed(self, mesh: Any, count: int) -> tuple[Array, Floats | None, int]:
        """Coordinates, colours of the vertices, and the number of the material of a mesh."""
        visual, uv, colours = mesh.visual, np.zeros((count, 2)), None
        found = getattr(visual, "uv", None)
        if found is not None and np.shape(found) == (count, 2):
            uv = np.column_stack([found[:, 0], 1 - np.asarray(found[:, 1], float)])  # the library's v runs up
        if visual.kind == "vertex":
            colours = decode_srgb(np.asarray(visual.vertex_colors[:, :3], np.float32) / np.float32(255))
        if visual.kind == "face":
            colour = np.asarray(visual.face_colors[:, :3], np.float32) / np.float32(255)
            if len(np.unique(colour, axis=0)) > 1:
                self.lost.append("colours of single faces are taken by their mean")
            return uv, None, self._material(None, lambda: Material("colour", decode_srgb(colour.mean(0)), 0.7))
        if visual.kind == "texture":
            return uv, None, self._material(visual.material, lambda: self._simple(visual.material))
        white = np.ones(3, np.float32)
        return (
            uv,
            colours,
            self._material(
                "painted" if colours is not None else "plain",
                lambda: Material("plain", white if colours is not None else GREY, 0.7),
            ),
        )

    def _material(self, source: Any, make: Callable[[], Material]) -> int:
        key = hash(source) if isinstance(source, str) else id(source)
        if source is None or key not in self._known:
            self.materials.append(make())
            self._known[key] = len(self.materials) - 1
            return len(self.materials) - 1
        return self._known[key]

    def _simple(self, spec: Any) -> Material:
        """A material of an MTL file: its older words by common custom, roughness and metal where it tells them."""
        told = getattr(spec, "kwargs", None) or {}
        name = plain_name(getattr(spec, "name", None) or "material")
        if not hasattr(spec, "diffuse"):  # 3MF and others give metal/rough materials
            colour = getattr(spec, "baseColorFactor", None)
            factor = np.asarray([204, 204, 204] if colour is None else colour, np.float32)[:3] / np.float32(255)
            return Material(name, decode_srgb(factor), float(spec.roughnessFactor or 0.7))
        colour = decode_srgb(np.asarray(spec.diffuse, np.float32)[:3] / np.float32(255))
        shine = float(spec.glossiness if spec.glossiness is not None else 0.0)
        rough = _number(told, "pr", float(np.sqrt(2 / (max(shine, 0.0) + 2))))
        through = _number(told, "d", 1 - _number(told, "tr", 0.0))
        for key, words in (("map_bump", "relief"), ("bump", "relief"), ("map_d", "cut-out"), ("disp", "relief")):
            if key in told:
                self.lost.append(f"material {name!r}: its picture of {words} is left out")
        picture = getattr(spec, "image", None)
        base: Floats | Texture = colour
        missing: tuple[str, ...] = ()
        if picture is not None:
            values = np.asarray(picture.convert("RGB"), np.float32) / np.float32(255)
            base = Texture(np.ascontiguousarray(decode_srgb(values)))
        elif name in self.pictures:
            missing = (self.pictures[name],)
            self.lost.append(f"material {name!r} lacks {missing[0]}")
        return Material(
            name,
            base,
            float(np.clip(rough, 0, 1)),
            _number(told, "pm", 0.0),
            float(np.clip(through, 0, 1)),
            missing=missing,
        )


def _indexed(mesh: Any) -> tuple[Array, NDArray[np.int64]]:
    """Vertices and faces of which those at one place are one: STL has each triangle's own, six times too many."""
    import meshoptimizer

    points = np.ascontiguousarray(mesh.vertices, float) + 0.0  # -0 is 0
    corners = np.ascontiguousarray(mesh.faces, np.uint32).ravel()
    remap = np.empty(len(points), np.uint32)
    count = meshoptimizer.generate_vertex_remap(remap, corners, len(corners), points, len(points), points.strides[0])
    vertices = np.empty((count, 3))
    vertices[remap[corners]] = points[corners]
    return vertices, remap[corners].reshape(-1, 3).astype(np.int64)


def _opened(path: Path, kind: str) -> IO[Any]:
    """The file; text of another encoding than UTF-8 decoded, as old drawing programs write it."""
    if kind != "obj":
        return path.open("rb")
    data = path.read_bytes()
    for encoding in ("utf-16",) if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "latin-1"):
        try:
            return io.BytesIO(data.decode(encoding).encode())
        except UnicodeDecodeError:
            continue
    raise InputError("model", "is text in an encoding that is not read")


def _refuse_neither_stl(path: Path) -> None:
    """Binary STL tells its length; the library takes one of another length for text and finds nothing in it."""
    with path.open("rb") as file:
        head = file.read(1 << 12)
    told = 84 + 50 * int.from_bytes(head[80:84], "little")
    if b"\0" in head and path.stat().st_size != told:
        raise InputError("model", "can't be read as STL: it is damaged or incomplete")


def _refuse_cut_off(path: Path, kind: str, triangles: int) -> None:
    """PLY and OFF tell how many faces there are; the library takes fewer without a word."""
    with path.open("rb") as file:
        head = file.read(1 << 14)
    found = None
    if kind == "ply":
        found = re.search(rb"element\s+face\s+(\d+)", head)
    elif kind == "off":
        found = re.match(rb"\s*\w*OFF\b(?:\s*#[^\n]*)*\s*\d+\s+(\d+)", head)
    if found and triangles < int(found[1]):
        raise InputError("model", f"is cut off: {triangles:,} of {int(found[1]):,} faces are there")


class _OwnFolder:
    """Gives the library files of the model's own folder and nothing else.

    Attributes
    ----------
    pictures : of materials, by their names: the library forgets those that it can't have.
    """

    def __init__(self, folder: Path, lost: list[str]) -> None:
        self.folder, self.lost = folder.resolve(), lost
        self.pictures: dict[str, str] = {}

    def __getitem__(self, name: str) -> bytes:
        return self.get(name)

    def get(self, name: str) -> bytes:
        """A file's bytes by its relative name."""
        text = str(name)
        place = (self.folder / text.strip().replace("\\", "/")).resolve()
        if not place.is_relative_to(self.folder) or not place.is_file():
            if place.suffix.lower() == ".mtl" or not place.is_relative_to(self.folder):
                self.lost.append(f"{plain_name(text)[:80]} did not come with it")
            raise FileNotFoundError(text)
        data = place.read_bytes()
        if place.suffix.lower() == ".mtl":
            self._note_pictures(data.decode("utf-8", "replace"))
        elif not is_texture(data):  # the library would open every kind of picture, those that start programs too
            raise FileNotFoundError(text)
        return data

    def _note_pictures(self, text: str) -> None:
        material = ""
        for words in (line.split(None, 1) for line in text.splitlines()):
            if len(words) == 2 and words[0].lower() == "newmtl":
                material = plain_name(words[1].strip())
            elif len(words) == 2 and words[0].lower() == "map_kd":
                self.pictures[material] = plain_name(words[1].strip())[:80]

    def namespaced(self, _: str) -> _OwnFolder:
        """The library asks for one a sub-folder."""
        return self

    def keys(self) -> list[str]:
        """No list of files: what is named is asked for."""
        return []


def _number(told: dict[str, Any], name: str, default: float) -> float:
    try:
        value = float(np.atleast_1d(told[name])[0])
    except (KeyError, ValueError, TypeError, IndexError):
        return default
    return value if np.isfinite(value) else default
