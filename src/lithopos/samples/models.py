"""The sample product range, made by a program: the Marl bench and the Tern drinking fountain.

A product stands on z = 0 about the origin, metres, z up; `write_glb` turns it to glTF's y up.
"""

from __future__ import annotations

import io
import itertools
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pygltflib
from PIL import Image as Pictures

from lithopos.samples import meshes, textures
from lithopos.samples.meshes import Array, Mesh
from lithopos.samples.places import Material


@dataclass(frozen=True)
class Product:
    """Named parts with their materials."""

    name: str
    parts: list[tuple[str, Mesh, str]]
    materials: dict[str, Material]


def marl_bench(seed: int = 11) -> Product:
    """A bench 1.8 m long: a thick stone seat with a bronze inlay on two stone blocks with bronze feet."""
    rng = np.random.default_rng(seed)
    seat = meshes.bevelled_box((1.8, 0.46, 0.11), 0.014, 11).moved((0, 0, 0.415))
    blocks = [meshes.bevelled_box((0.24, 0.38, 0.33), 0.012, 10).moved((x, 0, 0.195)) for x in (-0.58, 0.58)]
    feet = [meshes.bevelled_box((0.27, 0.41, 0.03), 0.006, 6).moved((x, 0, 0.015)) for x in (-0.58, 0.58)]
    inlay = [meshes.bevelled_box((1.62, 0.016, 0.012), 0.003, 5).moved((0, y, 0.4665)) for y in (-0.12, 0.0, 0.12)]
    angle = np.linspace(0, np.pi, 40)
    arms = []
    for x in (-0.78, 0.78):
        hoop = np.stack([0 * angle + x, 0.17 * np.cos(angle), 0.455 + 0.21 * np.sin(angle) ** 0.6], -1)
        arms.append(meshes.tube(hoop, 0.014, 24))
    return Product(
        "Marl bench",
        [
            ("seat", seat, "pale stone"),
            ("blocks", meshes.join(blocks), "grey stone"),
            ("feet", meshes.join(feet), "bronze"),
            ("inlay", meshes.join(inlay), "bronze"),
            ("arms", meshes.join(arms), "bronze"),
        ],
        {
            "pale stone": Material(textures.stone(1024, (0.52, 0.47, 0.39), rng, 0.05), 0.75, tile_m=(1.0, 1.0)),
            "grey stone": Material(textures.stone(1024, (0.27, 0.26, 0.245), rng, 0.06), 0.8, tile_m=(0.8, 0.8)),
            "bronze": Material((0.56, 0.36, 0.19), 0.34, 1.0),
        },
    )


def tern_fountain(seed: int = 12) -> Product:
    """A drinking fountain 0.98 m high: a tapered stone column, a brushed steel basin, a bronze spout."""
    rng = np.random.default_rng(seed)
    column = _rounded_profile(
        [(0.0, 0.0), (0.2, 0.0), (0.2, 0.07), (0.165, 0.1), (0.12, 0.7), (0.15, 0.78), (0.0, 0.78)]
    )
    t = np.linspace(0, np.pi / 2, 14)
    bowl = [
        (0.0, 0.775),
        *zip(0.05 + 0.19 * np.sin(t), 0.9 - 0.12 * np.cos(t), strict=True),
        (0.242, 0.905),
        (0.238, 0.912),
        (0.226, 0.905),
        *zip((0.05 + 0.17 * np.sin(t))[::-1], (0.9 - 0.1 * np.cos(t))[::-1], strict=True),
        (0.0, 0.796),
    ]
    arc = np.linspace(0, 0.78 * np.pi, 40)
    spout = np.stack([0.15 - 0.065 * (1 - np.cos(arc)), 0 * arc, 0.9 + 0.1 * np.sin(arc)], -1)
    stem = np.stack([np.full(8, 0.15), np.zeros(8), np.linspace(0.8, 0.9, 8)], -1)
    return Product(
        "Tern drinking fountain",
        [
            ("column", meshes.lathe(column, 96), "pale stone"),
            ("basin", meshes.lathe([(float(r), float(z)) for r, z in bowl], 96), "steel"),
            ("spout", meshes.tube(np.concatenate([stem[:-1], spout]), 0.013, 24), "bronze"),
            (
                "button",
                meshes.lathe([(0.0, 0.0), (0.022, 0.0), (0.022, 0.014), (0.016, 0.02), (0.0, 0.02)], 32).transformed(
                    np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]]), (0.118, 0.0, 0.74)
                ),
                "bronze",
            ),
        ],
        {
            "pale stone": Material(textures.stone(1024, (0.5, 0.455, 0.385), rng, 0.05), 0.75, tile_m=(0.8, 0.8)),
            "steel": Material((0.6, 0.59, 0.57), 0.28, 1.0),
            "bronze": Material((0.56, 0.36, 0.19), 0.3, 1.0),
        },
    )


def _rounded_profile(
    corners: list[tuple[float, float]], radius: float = 0.012, steps: int = 6
) -> list[tuple[float, float]]:
    """A profile with its inner corners rounded, and points along its straight pieces."""
    points = np.asarray(corners)
    result = [points[0]]
    for before, here, after in zip(points[:-2], points[1:-1], points[2:], strict=True):
        to_before, to_after = before - here, after - here
        cut = min(radius, 0.45 * np.linalg.norm(to_before), 0.45 * np.linalg.norm(to_after))
        start = here + to_before / np.linalg.norm(to_before) * cut
        end = here + to_after / np.linalg.norm(to_after) * cut
        last = result[-1]
        result += [last + (start - last) * f for f in np.linspace(0, 1, 8)[1:-1]]
        t = np.linspace(0, 1, steps)[:, None]
        result += list((1 - t) ** 2 * start + 2 * t * (1 - t) * here + t**2 * end)
    result.append(points[-1])
    return [(float(r), float(z)) for r, z in result]


def sill_planter(seed: int = 13) -> Product:
    """A planter for a sill, 0.42 m long: a tapered trough of zinc with a rolled rim, filled with earth."""
    rng = np.random.default_rng(seed)
    walls = []
    for x, y, along in ((0, -0.078, 0.42), (0, 0.078, 0.42)):
        walls.append(meshes.bevelled_box((along, 0.006, 0.15), 0.002, 3).moved((x, y, 0.075)))
    for end in (-0.207, 0.207):
        walls.append(meshes.bevelled_box((0.006, 0.162, 0.15), 0.002, 3).moved((end, 0, 0.075)))
    base = meshes.bevelled_box((0.42, 0.162, 0.006), 0.002, 3).moved((0, 0, 0.003))
    corners = [(-0.21, -0.081), (0.21, -0.081), (0.21, 0.081), (-0.21, 0.081), (-0.21, -0.081)]
    rim = [meshes.tube(np.array([[*a, 0.15], [*b, 0.15]]), 0.007, 16) for a, b in itertools.pairwise(corners)]
    earth = meshes.bevelled_box((0.408, 0.15, 0.11), 0.01, 4).moved((0, 0, 0.062))
    return Product(
        "Sill planter",
        [
            ("trough", meshes.join([*walls, base]), "zinc"),
            ("rim", meshes.join(rim), "zinc"),
            ("earth", earth, "earth"),
        ],
        {
            "zinc": Material((0.53, 0.55, 0.57), 0.45, 1.0),
            "earth": Material(textures.stone(512, (0.06, 0.042, 0.03), rng, 0.3), 0.95, tile_m=(0.3, 0.3)),
        },
    )


def drift_glass() -> Product:
    """A garden glass 0.62 m high: a ball of clear, faintly green glass in a steel cup on a turned stone foot."""
    angle = np.linspace(-np.pi / 2, np.pi / 2, 49)
    ball = [(float(0.19 * np.cos(a)), float(0.43 + 0.19 * np.sin(a))) for a in angle]
    cup = [(0.0, 0.215), (0.05, 0.215), (0.085, 0.245), (0.075, 0.25), (0.04, 0.232), (0.0, 0.232)]
    foot = _rounded_profile([(0.0, 0.0), (0.15, 0.0), (0.15, 0.05), (0.06, 0.1), (0.06, 0.215), (0.0, 0.215)])
    rng = np.random.default_rng(14)
    return Product(
        "Drift garden glass",
        [
            ("ball", meshes.lathe(ball, 96), "glass"),
            ("cup", meshes.lathe([(float(r), float(z)) for r, z in cup], 64), "steel"),
            ("foot", meshes.lathe(foot, 64), "pale stone"),
        ],
        {
            "glass": Material((0.86, 0.95, 0.9), 0.0, glass=True),
            "steel": Material((0.6, 0.59, 0.57), 0.28, 1.0),
            "pale stone": Material(textures.stone(512, (0.5, 0.455, 0.385), rng, 0.05), 0.9, tile_m=(0.8, 0.8)),
        },
    )


def buoy_globe() -> Product:
    """A polished steel globe 0.6 m high, flattened where it stands."""
    angle = np.linspace(-0.42 * np.pi, np.pi / 2, 49)
    lift = 0.31 * np.sin(0.42 * np.pi)
    globe = [(0.0, 0.0), *((float(0.31 * np.cos(a)), float(lift + 0.31 * np.sin(a))) for a in angle)]
    return Product(
        "Buoy globe",
        [("globe", meshes.lathe(globe, 128), "polished steel")],
        {"polished steel": Material((0.66, 0.65, 0.62), 0.14, 1.0)},
    )


MODELS = {"marl-bench": marl_bench, "tern-fountain": tern_fountain, "sill-planter": sill_planter}
PRODUCTS = {**MODELS, "drift-glass": drift_glass, "buoy-globe": buoy_globe}  # with those that only the bench stands


def encode_srgb(linear: Array | textures.Image) -> textures.Image:
    """Linear to sRGB-encoded values, IEC 61966-2-1 (written here on its own; see the package's note)."""
    clipped = np.clip(np.asarray(linear, np.float32), 0, 1)
    return np.where(clipped <= 0.0031308, 12.92 * clipped, 1.055 * clipped ** (1 / 2.4) - 0.055).astype(np.float32)


def write_glb(product: Product, path: Path) -> None:
    """Write a product as binary glTF 2, y up, textures inside."""
    gltf = pygltflib.GLTF2(asset=pygltflib.Asset(generator="Lithopos sample program"))
    blob = bytearray()
    names = list(product.materials)
    for name in names:
        gltf.materials.append(_gltf_material(gltf, blob, name, product.materials[name]))
    to_y_up = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    for name, mesh, material in product.parts:
        upright = mesh.transformed(to_y_up)
        tile = np.asarray(product.materials[material].tile_m)
        attributes = pygltflib.Attributes(
            POSITION=_accessor(gltf, blob, upright.vertices.astype("<f4"), "VEC3", bounds=True),
            NORMAL=_accessor(gltf, blob, upright.normals.astype("<f4"), "VEC3"),
            TEXCOORD_0=_accessor(gltf, blob, (mesh.uv / tile).astype("<f4"), "VEC2"),
        )
        indices = _accessor(gltf, blob, mesh.faces.astype("<u4").ravel(), "SCALAR")
        primitive = pygltflib.Primitive(attributes=attributes, indices=indices, material=names.index(material))
        gltf.meshes.append(pygltflib.Mesh(name=name, primitives=[primitive]))
        gltf.nodes.append(pygltflib.Node(name=name, mesh=len(gltf.meshes) - 1))
    gltf.nodes.append(pygltflib.Node(name=product.name, children=list(range(len(gltf.meshes)))))
    gltf.scenes.append(pygltflib.Scene(nodes=[len(gltf.nodes) - 1]))
    gltf.scene = 0
    gltf.buffers.append(pygltflib.Buffer(byteLength=len(blob)))
    gltf.set_binary_blob(bytes(blob))
    path.write_bytes(b"".join(gltf.save_to_bytes()))


def _view(gltf: pygltflib.GLTF2, blob: bytearray, data: bytes) -> int:
    blob.extend(b"\0" * (-len(blob) % 4))
    gltf.bufferViews.append(pygltflib.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data)))
    blob.extend(data)
    return len(gltf.bufferViews) - 1


def _accessor(gltf: pygltflib.GLTF2, blob: bytearray, values: np.ndarray, kind: str, bounds: bool = False) -> int:
    accessor = pygltflib.Accessor(
        bufferView=_view(gltf, blob, values.tobytes()),
        componentType=pygltflib.FLOAT if values.dtype.kind == "f" else pygltflib.UNSIGNED_INT,
        count=len(values),
        type=kind,
    )
    if bounds:
        accessor.min, accessor.max = values.min(0).tolist(), values.max(0).tolist()
    gltf.accessors.append(accessor)
    return len(gltf.accessors) - 1


def _gltf_material(gltf: pygltflib.GLTF2, blob: bytearray, name: str, material: Material) -> pygltflib.Material:
    told: dict[str, dict[str, float]] = {}
    if material.glass:
        told = {
            "KHR_materials_transmission": {"transmissionFactor": 1.0},
            "KHR_materials_volume": {"thicknessFactor": 0.1},
        }
    elif not material.metallic:
        # As the sample program photographs it: a whole dielectric's would be 0.5.
        told = {"KHR_materials_specular": {"specularFactor": 0.0 if material.dull else 2 * material.specular}}
    gltf.extensionsUsed = sorted({*(gltf.extensionsUsed or []), *told})
    pbr = pygltflib.PbrMetallicRoughness(metallicFactor=material.metallic, roughnessFactor=material.roughness)
    if isinstance(material.colour, tuple):
        # A solid glass's colour is what goes through both its sides; a file tells of one.
        one = [value**0.5 for value in material.colour] if material.glass else material.colour
        pbr.baseColorFactor = [*one, 1.0]
    else:
        buffer = io.BytesIO()
        codes = (encode_srgb(material.colour[::-1]) * 255 + 0.5).astype(np.uint8)  # a file's first row has v = 0
        Pictures.fromarray(codes).save(buffer, "JPEG", quality=92, subsampling=0)
        gltf.images.append(pygltflib.Image(bufferView=_view(gltf, blob, buffer.getvalue()), mimeType="image/jpeg"))
        if not gltf.samplers:
            gltf.samplers.append(pygltflib.Sampler(wrapS=pygltflib.REPEAT, wrapT=pygltflib.REPEAT))
        gltf.textures.append(pygltflib.Texture(source=len(gltf.images) - 1, sampler=0))
        pbr.baseColorTexture = pygltflib.TextureInfo(index=len(gltf.textures) - 1)
    return pygltflib.Material(name=name, pbrMetallicRoughness=pbr, extensions=told)
