"""USD and USDZ: meshes with their subsets, instances, and preview materials."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.errors import InputError
from lithopos.core.geometry.model import Y_TO_Z, Material, Model, Part, Texture, Unit
from lithopos.core.geometry.pictures import read_texture
from lithopos.core.geometry.units import METRES

GREY = np.array([0.6, 0.6, 0.6], np.float32)

__all__ = ["read_usd"]


def read_usd(path: Path) -> Model:
    """A stage's meshes in metres, z up; by its own `metersPerUnit` and `upAxis`.

    Raises
    ------
    InputError
        If it can't be read, or composes layers from outside its folder.
    """
    from pxr import Tf, Usd

    _refuse_outside(path)
    try:
        stage = Usd.Stage.Open(str(path), Usd.Stage.LoadAll)
    except Tf.ErrorException as error:
        raise InputError("model", "can't be read as USD: it is damaged or incomplete") from error
    if not stage:
        raise InputError("model", "can't be read as USD: it is damaged or incomplete")
    return _Reader(stage, path).model()


def _refuse_outside(path: Path) -> None:
    """Layers are composed by address: those that lead outside the file's folder are refused before they are opened."""
    from pxr import Sdf, Tf

    folder, waiting, seen = path.parent.resolve(), [path], set[Path]()
    while waiting:
        at = waiting.pop()
        if at in seen or at.suffix.lower() == ".usdz":
            continue
        seen.add(at)
        try:
            layer = Sdf.Layer.OpenAsAnonymous(str(at))
        except Tf.ErrorException as error:
            raise InputError("model", "can't be read as USD: it is damaged or incomplete") from error
        for name in layer.GetCompositionAssetDependencies() if layer else []:
            place = (at.parent / name).resolve()
            if ":" in name or not place.is_relative_to(folder):
                raise InputError("model", f"names a file outside its folder: {name[:80]}")
            if place.is_file():
                waiting.append(place)


class _Reader:
    def __init__(self, stage: Any, path: Path) -> None:
        from pxr import UsdGeom, UsdShade

        self.stage, self.path, self.lost = stage, path, list[str]()
        self.geom, self.shade = UsdGeom, UsdShade
        self.metres = float(UsdGeom.GetStageMetersPerUnit(stage))
        if not np.isfinite(self.metres) or self.metres <= 0:
            self.lost.append(f"its unit is {self.metres:g} m, which can't be: it is taken for metres")
            self.metres = 1.0
        self.up = "z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "y"
        self.places = UsdGeom.XformCache()
        self.materials: list[Material] = []
        self._known: dict[str, int] = {}

    def model(self) -> Model:
        from pxr import Usd

        parts: list[Part] = []
        for prim in Usd.PrimRange(self.stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
            if prim.IsA(self.geom.Mesh) and self._is_shown(prim):
                parts += self._parts(self.geom.Mesh(prim))
            elif prim.IsA(self.geom.PointInstancer) or prim.IsA(self.geom.Curves) or prim.IsA(self.geom.Points):
                self.lost.append("scattered copies, curves and points are left out")
            elif prim.IsA(self.geom.Gprim) and not prim.IsA(self.geom.Mesh):
                self.lost.append("shapes that are not meshes are left out")
        if not parts:
            lost = f" ({self.lost[0]})" if self.lost else ""
            raise InputError("model", f"has no triangles{lost}")
        name = next((name for name, metres in METRES.items() if abs(metres / self.metres - 1) < 1e-6), None)
        unit = Unit(name or f"{self.metres:g} m", self.metres, "file")
        return Model(parts, self.materials, list(dict.fromkeys(self.lost)), unit, "z" if self.up == "z" else "y")

    def _is_shown(self, prim: Any) -> bool:
        imageable = self.geom.Imageable(prim)
        return bool(
            imageable.ComputeVisibility() != self.geom.Tokens.invisible
            and imageable.ComputePurpose() not in (self.geom.Tokens.guide, self.geom.Tokens.proxy)
        )

    def _parts(self, mesh: Any) -> Iterator[Part]:
        points = np.asarray(mesh.GetPointsAttr().Get() or np.zeros((0, 3)), float)
        counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        indices = np.asarray(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        fits = len(counts) > 0 and counts.min() > 0 and counts.sum() == len(indices)
        if not fits or indices.min() < 0 or indices.max() >= len(points):
            self.lost.append(f"part {mesh.GetPrim().GetName()!r} is damaged and left out")
            return
        corners, owner = _fans(counts)
        matrix = np.array(self.places.GetLocalToWorldTransform(mesh.GetPrim()), float).T
        upright = self.metres * (Y_TO_Z if self.up == "y" else np.eye(3))
        linear, shift = upright @ matrix[:3, :3], upright @ matrix[:3, 3]
        # Every corner a vertex of its own: normals and coordinates may differ from face to face.
        vertices = (points @ linear.T + shift)[indices[corners]]
        normals = self._by_corner(mesh.GetNormalsAttr(), mesh.GetNormalsInterpolation(), indices, counts)
        uv = self._coordinates(mesh, indices, counts)
        if normals is not None:
            normals = normals[corners] @ np.linalg.pinv(linear)
        uv_corners = np.zeros((len(corners), 2)) if uv is None else np.column_stack([uv[:, 0], 1 - uv[:, 1]])[corners]
        flip = (np.linalg.det(linear) < 0) != (mesh.GetOrientationAttr().Get() == self.geom.Tokens.leftHanded)
        faces = np.arange(len(corners)).reshape(-1, 3)
        faces = faces[:, ::-1] if flip else faces
        for name, chosen, material in self._subsets(mesh, len(counts)):
            mask = chosen[owner]
            if mask.any():
                used = faces[mask]
                keep = np.sort(used.ravel())
                yield Part(
                    name,
                    vertices[keep],
                    np.zeros((0, 3)) if normals is None else normals[keep],
                    uv_corners[keep],
                    np.searchsorted(keep, used),
                    material,
                )

    def _subsets(self, mesh: Any, count: int) -> Iterator[tuple[str, Any, int]]:
        """Names, faces and materials of a mesh's parts."""
        prim, rest = mesh.GetPrim(), np.ones(count, bool)
        for subset in self.shade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            chosen = np.zeros(count, bool)
            chosen[np.asarray(subset.GetIndicesAttr().Get() or [], np.int64)] = True
            rest &= ~chosen
            yield f"{prim.GetName()} {subset.GetPrim().GetName()}", chosen, self._material(subset.GetPrim(), mesh)
        if rest.any():
            yield str(prim.GetName()), rest, self._material(prim, mesh)

    def _by_corner(self, attribute: Any, how: str, indices: Any, counts: Any) -> Array | None:
        values = attribute.Get()
        return None if values is None else _spread(np.asarray(values, float), str(how), indices, counts)

    def _coordinates(self, mesh: Any, indices: Any, counts: Any) -> Array | None:
        for primvar in self.geom.PrimvarsAPI(mesh).GetPrimvarsWithValues():
            if "texCoord2f" in str(primvar.GetTypeName()) or primvar.GetPrimvarName() in ("st", "uv"):
                values = np.asarray(primvar.ComputeFlattened(), float)
                if values.ndim == 2 and values.shape[1] == 2:
                    return _spread(values, str(primvar.GetInterpolation()), indices, counts)
        return None

    # Materials

    def _material(self, prim: Any, mesh: Any) -> int:
        bound, _ = self.shade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        key = str(bound.GetPath()) if bound else f"colour of {mesh.GetPath()}"
        if key not in self._known:
            self.materials.append(self._preview(bound) if bound else self._display_colour(mesh))
            self._known[key] = len(self.materials) - 1
        return self._known[key]

    def _display_colour(self, mesh: Any) -> Material:
        values = mesh.GetDisplayColorAttr().Get()
        colour = np.asarray(values, np.float32).mean(0) if values else GREY
        return Material("plain", np.ascontiguousarray(colour, np.float32), 0.7)

    def _preview(self, bound: Any) -> Material:
        """A preview surface (USD preview surface specification, version 2.6)."""
        name = str(bound.GetPrim().GetName())
        shader, _, _ = bound.ComputeSurfaceSource()
        if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
            self.lost.append(f"material {name!r} is of a kind that is not read; it is grey")
            return Material(name, GREY, 0.7)
        missing: list[str] = []

        def value(what: str, default: Any) -> Any:
            source = shader.GetInput(what)
            found = source.Get() if source else None
            return default if found is None else found

        def texture(what: str, channels: int) -> Texture | None:
            source = shader.GetInput(what)
            connected = source.GetConnectedSource() if source and source.HasConnectedSource() else None
            if not connected:
                return None
            node = self.shade.Shader(connected[0].GetPrim())
            file = node.GetInput("file").Get() if node.GetInput("file") else None
            if file is None:
                return None
            return self._picture(file, channels, what in ("diffuseColor", "emissiveColor"), connected[1], missing)

        diffuse = np.asarray(value("diffuseColor", (0.18, 0.18, 0.18)), np.float32)
        glow = np.asarray(value("emissiveColor", (0, 0, 0)), np.float32)
        opacity = float(value("opacity", 1.0))
        return Material(
            name,
            texture("diffuseColor", 3) or diffuse,
            texture("roughness", 1) or float(value("roughness", 0.5)),
            texture("metallic", 1) or float(value("metallic", 0.0)),
            texture("opacity", 1) or opacity,
            texture("normal", 3),
            texture("emissiveColor", 3) or (glow if glow.any() else None),
            ior=float(value("ior", 1.5)),
            coat=float(value("clearcoat", 0.0)),
            coat_roughness=float(value("clearcoatRoughness", 0.01)),
            missing=tuple(missing),
        )

    def _picture(self, file: Any, channels: int, colour: bool, output: str, missing: list[str]) -> Texture | None:
        name = file.path
        data = self._bytes(file)
        values = None if data is None else read_texture(data)
        if values is None:
            missing.append(name[:80])
            self.lost.append(f"a material lacks {name[:80]}")
            return None
        if channels == 1:
            return Texture(np.ascontiguousarray(values[..., {"r": 0, "g": 1, "b": 2, "a": 3}.get(output, 0)]))
        from lithopos.core.colour import decode_srgb

        part: Floats = np.ascontiguousarray(values[..., :3])
        return Texture(np.ascontiguousarray(decode_srgb(part)) if colour else part)

    def _bytes(self, file: Any) -> bytes | None:
        """A picture's bytes: out of the package that the file is, or of the file's own folder."""
        if self.path.suffix.lower() == ".usdz":
            with zipfile.ZipFile(self.path) as package:
                names = {entry.lstrip("./"): entry for entry in package.namelist()}
                entry = names.get(file.path.lstrip("./"))
                return package.read(entry) if entry and package.getinfo(entry).file_size < 1 << 28 else None
        place = (self.path.parent / file.path).resolve()
        inside = place.is_relative_to(self.path.parent.resolve())
        return place.read_bytes() if inside and place.is_file() else None


def _fans(counts: Any) -> tuple[Any, Any]:
    """Triangles of polygons as numbers of corners, (3 T,), and each triangle's polygon, (T,)."""
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    many = np.maximum(counts - 2, 0)
    owner = np.repeat(np.arange(len(counts)), many)
    within = np.arange(len(owner)) - np.repeat(np.concatenate([[0], np.cumsum(many)[:-1]]), many)
    first = starts[owner]
    return np.column_stack([first, first + within + 1, first + within + 2]).ravel(), owner


def _spread(values: Array, how: str, indices: Any, counts: Any) -> Array | None:
    """Values of an interpolation (constant, uniform, vertex, varying, faceVarying) for each corner."""
    if how == "constant":
        return np.repeat(values[:1], len(indices), axis=0) if len(values) else None
    if how == "uniform":
        return np.repeat(values, counts, axis=0) if len(values) == len(counts) else None
    if how in ("vertex", "varying"):
        return values[indices] if len(values) > indices.max(initial=-1) else None
    return values if len(values) == len(indices) else None
