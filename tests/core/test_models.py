"""Models of every format: a metre is a metre, materials say what the file says, what is wrong is mended or said."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import DracoPy
import meshoptimizer
import numpy as np
from PIL import Image

from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.geometry.decimate import decimated
from lithopos.core.geometry.gltf.write import glb_of
from lithopos.core.geometry.mend import mended
from lithopos.core.geometry.model import Material, Model, Part, Texture
from lithopos.core.geometry.readers.table import read_model
from lithopos.core.reading.ask import inspect_file
from tests.core.rendering import box
from tests.core.test_files import Folder, glb, triangle

CORNERS = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
QUADS = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
TRIANGLES = [(q[0], q[i], q[i + 1]) for q in QUADS for i in (1, 2)]


def png(pixels: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.asarray(pixels, np.uint8)).save(out, "PNG")
    return out.getvalue()


def obj(scale: float) -> bytes:
    lines = [f"v {x * scale} {y * scale} {z * scale}" for x, y, z in CORNERS]
    return "\n".join(lines + [f"f {' '.join(str(i + 1) for i in q)}" for q in QUADS]).encode()


def stl(scale: float) -> bytes:
    rows = [np.concatenate([np.zeros(3), (CORNERS[list(t)] * scale).ravel()]) for t in TRIANGLES]
    return b"\0" * 80 + struct.pack("<I", 12) + b"".join(struct.pack("<12fH", *row, 0) for row in rows)


def ply() -> bytes:
    head = "ply\nformat ascii 1.0\nelement vertex 8\nproperty float x\nproperty float y\nproperty float z\n"
    head += "property uchar red\nproperty uchar green\nproperty uchar blue\n"
    head += "element face 12\nproperty list uchar int vertex_indices\nend_header\n"
    points = "".join(f"{x} {y} {z} 188 0 255\n" for x, y, z in CORNERS)
    return (head + points + "".join(f"3 {a} {b} {c}\n" for a, b, c in TRIANGLES)).encode()


def off() -> bytes:
    points = "".join(f"{x} {y} {z}\n" for x, y, z in CORNERS)
    return f"OFF\n8 12 0\n{points}{''.join(f'3 {a} {b} {c}{chr(10)}' for a, b, c in TRIANGLES)}".encode()


def three_mf(unit: str, scale: float) -> bytes:
    points = "".join(f'<vertex x="{x * scale}" y="{y * scale}" z="{z * scale}"/>' for x, y, z in CORNERS)
    faces = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in TRIANGLES)
    core = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
    text = (
        f'<?xml version="1.0"?><model unit="{unit}" xmlns="{core}"><resources><object id="1" type="model"><mesh>'
        f"<vertices>{points}</vertices><triangles>{faces}</triangles></mesh></object></resources>"
        '<build><item objectid="1"/></build></model>'
    )
    return zipped({"3D/3dmodel.model": text.encode()})


def usda(metres: float, up: str) -> bytes:
    points = ", ".join(str(tuple((row / metres).tolist())) for row in CORNERS * [1, 2, 1])
    counts, indices = ", ".join(["4"] * 6), ", ".join(str(i) for q in QUADS for i in q)
    return (
        f'#usda 1.0\n(\n metersPerUnit = {metres}\n upAxis = "{up}"\n)\ndef Mesh "cube"\n{{\n'
        f" point3f[] points = [{points}]\n int[] faceVertexCounts = [{counts}]\n"
        f" int[] faceVertexIndices = [{indices}]\n color3f[] primvars:displayColor = [(0.2, 0.4, 0.6)]\n}}\n"
    ).encode()


def step(scale: float) -> bytes:
    """A cube with plane faces by ISO 10303-42, in millimetres."""
    lines: list[str] = []

    def add(text: str) -> str:
        lines.append(f"#{len(lines) + 1}={text};")
        return f"#{len(lines)}"

    def listed(items: Any) -> str:
        return ",".join(items)

    def point(p: Any) -> str:
        return add(f"CARTESIAN_POINT('',({listed(f'{float(v)}' for v in p)}))")

    def way(d: Any) -> str:
        return add(f"DIRECTION('',({listed(f'{float(v)}' for v in d)}))")

    spots = [point(p * scale) for p in CORNERS]
    vertices = [add(f"VERTEX_POINT('',{spot})") for spot in spots]
    edges: dict[tuple[int, int], str] = {}
    faces = []
    for quad in QUADS:
        a, b, c = (CORNERS[i] for i in quad[:3])
        oriented = []
        for i, j in zip(quad, (*quad[1:], quad[0]), strict=True):
            key = (min(i, j), max(i, j))
            if key not in edges:
                along = add(f"VECTOR('',{way(CORNERS[key[1]] - CORNERS[key[0]])},1.)")
                line = add(f"LINE('',{spots[key[0]]},{along})")
                edges[key] = add(f"EDGE_CURVE('',{vertices[key[0]]},{vertices[key[1]]},{line},.T.)")
            oriented.append(add(f"ORIENTED_EDGE('',*,*,{edges[key]},.{'T' if key == (i, j) else 'F'}.)"))
        bound = add(f"FACE_OUTER_BOUND('',{add(f'EDGE_LOOP({chr(39)}{chr(39)},({listed(oriented)}))')},.T.)")
        normal = np.cross(b - a, c - b)
        place = add(f"AXIS2_PLACEMENT_3D('',{spots[quad[0]]},{way(normal)},{way(b - a)})")
        plane = add(f"PLANE('',{place})")
        faces.append(add(f"ADVANCED_FACE('',({bound}),{plane},.T.)"))
    shell = add(f"CLOSED_SHELL('',({listed(faces)}))")
    solid = add(f"MANIFOLD_SOLID_BREP('cube',{shell})")
    length = add("(LENGTH_UNIT() NAMED_UNIT(*) SI_UNIT(.MILLI.,.METRE.))")
    angle = add("(NAMED_UNIT(*) PLANE_ANGLE_UNIT() SI_UNIT($,.RADIAN.))")
    solid_angle = add("(NAMED_UNIT(*) SI_UNIT($,.STERADIAN.) SOLID_ANGLE_UNIT())")
    sharp = add(f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-5),{length},'','')")
    context = add(
        f"(GEOMETRIC_REPRESENTATION_CONTEXT(3) GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({sharp})) "
        f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{angle},{solid_angle})) REPRESENTATION_CONTEXT('',''))"
    )
    origin = add(f"AXIS2_PLACEMENT_3D('',{point((0, 0, 0))},{way((0, 0, 1))},{way((1, 0, 0))})")
    shape = add(f"ADVANCED_BREP_SHAPE_REPRESENTATION('',({origin},{solid}),{context})")
    application = add("APPLICATION_CONTEXT('')")
    product = add(f"PRODUCT('cube','cube','',({add(f'PRODUCT_CONTEXT({chr(39) * 2},{application},{chr(39) * 2})')}))")
    formation = add(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
    design = add(f"PRODUCT_DEFINITION_CONTEXT('',{application},'design')")
    definition = add(f"PRODUCT_DEFINITION('','',{formation},{design})")
    defined = add(f"PRODUCT_DEFINITION_SHAPE('','',{definition})")
    add(f"SHAPE_DEFINITION_REPRESENTATION({defined},{shape})")
    head = "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\n"
    head += "FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n"
    return (head + "\n".join(lines) + "\nENDSEC;\nEND-ISO-10303-21;\n").encode()


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as package:
        for name, data in files.items():
            package.writestr(name, data)
    return out.getvalue()


class Sizes(Folder):
    def test_a_metre_is_a_metre_in_every_format(self) -> None:
        document, binary = cube_document()
        cases = [
            ("c.glb", glb(document, binary), "m", "file"),
            ("cm.obj", obj(100), "cm", "guess"),
            ("m.obj", obj(1), "m", "guess"),
            ("mm.stl", stl(1000), "mm", "guess"),
            ("c.ply", ply(), "m", "guess"),
            ("c.off", off(), "m", "guess"),
            ("mm.3mf", three_mf("millimeter", 1000), "mm", "file"),
            ("inch.3mf", three_mf("inch", 1 / 0.0254), "inch", "file"),
            ("mm.step", step(1000), "mm", "file"),
        ]
        for name, data, unit, source in cases:
            with self.subTest(name):
                model = read_model(self.file(name, data))
                np.testing.assert_allclose(np.ptp(model.bounds(), axis=0), 1, atol=1e-5)
                self.assertEqual((model.unit.name, model.unit.source, model.triangles), (unit, source, 12))
                self.assertEqual(model.mended, [])

    def test_usd_by_its_own_metre_and_axis(self) -> None:
        for metres, up, size in ((0.01, "Z", (1, 2, 1)), (1.0, "Y", (1, 1, 2)), (0.001, "Y", (1, 1, 2))):
            with self.subTest(metres=metres, up=up):
                model = read_model(self.file("c.usda", usda(metres, up)))
                np.testing.assert_allclose(np.ptp(model.bounds(), axis=0), size, atol=1e-5)
                np.testing.assert_allclose(np.asarray(model.materials[0].base_colour), [0.2, 0.4, 0.6], atol=1e-6)

    def test_a_zip_of_several_files_and_what_is_missing_of_them(self) -> None:
        lines = obj(1).decode().splitlines()
        text = "mtllib c.mtl\nusemtl oak\n" + "\n".join([*lines[:8], "vt 0 0", "vt 1 1", "vt 0 1"])
        text += "\nf 1/1 2/2 4/3\nf 5/1 7/2 8/3\n"
        oak = b"newmtl oak\nKd 1 1 1\nNs 200\nmap_Kd oak.png\n"
        files = {"a/c.obj": text.encode(), "a/c.mtl": oak, "a/oak.png": png(np.full((4, 4, 3), 128))}
        material = read_model(self.file("a.zip", zipped(files))).materials[0]
        self.assertEqual(material.name, "oak")
        assert isinstance(material.base_colour, Texture)
        np.testing.assert_allclose(material.base_colour.values, decode_srgb(np.float32(128 / 255)), atol=1e-3)
        # A picture of a kind that could start a program is not opened, whatever it is called.
        script = {**files, "a/oak.png": b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 9 9\nshowpage"}
        self.assertEqual(read_model(self.file("s.zip", zipped(script))).materials[0].missing, ("oak.png",))
        del files["a/oak.png"]
        told = inspect_file(self.file("b.zip", zipped(files)))
        self.assertEqual(told["lost"], ["material 'oak' lacks oak.png"])
        for bad in ({"../c.obj": text.encode()}, {"readme.txt": b"nothing"}):
            with self.subTest(list(bad)), self.assertRaises(InputError):
                inspect_file(self.file("bad.zip", zipped(bad)))

    def test_what_is_broken_is_refused_by_one_true_line(self) -> None:
        stage = b"#usda 1.0\n(\n subLayers = [@%s@]\n)\n"
        entities = "".join(f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True))
        laughs = f'<?xml version="1.0"?><!DOCTYPE m [<!ENTITY a "haha">{entities}]><model unit="&i;"/>'
        cases = [
            ("cut.stl", stl(1)[:-30], "can't be read as STL"),
            ("nan.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers"),
            ("range.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99\n", "can't be read as OBJ"),
            ("huge.obj", b"v 0 0 0\nv 1e30 0 0\nv 0 1e30 0\nf 1 2 3\n", "beyond 100,000 m"),
            ("cut.ply", ply()[:-60], "cut off: 4 of 12 faces"),
            ("cut.off", off()[:-40], "cut off: 7 of 12 faces"),
            ("laughs.3mf", zipped({"3D/3dmodel.model": laughs.encode()}), "can't be read as 3MF"),
            ("cut.step", step(1)[:2000], "can't be read as STEP"),
            ("outside.usda", stage % b"/etc/passwd", "outside its folder: /etc/passwd"),
            ("far.usda", stage % b"http://example.invalid/a.usda", "outside its folder: http"),
            ("negative.usda", usda(1, "Z").replace(b"Indices = [0", b"Indices = [-5"), "has no triangles"),
        ]
        for name, data, words in cases:
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                read_model(self.file(name, data))

    def test_painted_vertices(self) -> None:
        part = read_model(self.file("c.ply", ply())).parts[0]
        assert part.colours is not None
        np.testing.assert_allclose(part.colours[0], [0.503, 0, 1], atol=2e-3)


def cube_document() -> tuple[dict[str, Any], bytes]:
    points = CORNERS.astype("<f4").tobytes()
    indices = np.array(TRIANGLES, "<u2").tobytes()
    return {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(points + indices)}],
        "bufferViews": [
            {"buffer": 0, "byteLength": len(points)},
            {"buffer": 0, "byteOffset": len(points), "byteLength": len(indices)},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "nodes": [{"mesh": 0}],
    }, points + indices


class Gltf(Folder):
    """Features against values written by hand."""

    def test_materials_by_every_extension_that_is_read(self) -> None:
        document, binary = triangle()
        material = {
            "name": "all",
            "pbrMetallicRoughness": {"baseColorFactor": [0.1, 0.2, 0.3, 0.4], "roughnessFactor": 0.6},
            "alphaMode": "BLEND",
            "emissiveFactor": [0.5, 0.25, 0],
            "extensions": {
                "KHR_materials_transmission": {"transmissionFactor": 0.9},
                "KHR_materials_volume": {
                    "thicknessFactor": 0.01,
                    "attenuationColor": [0.9, 0.5, 0.1],
                    "attenuationDistance": 0.2,
                },
                "KHR_materials_ior": {"ior": 1.33},
                "KHR_materials_emissive_strength": {"emissiveStrength": 8},
                "KHR_materials_clearcoat": {"clearcoatFactor": 0.7, "clearcoatRoughnessFactor": 0.2},
                "KHR_materials_sheen": {"sheenColorFactor": [0.3, 0.2, 0.1], "sheenRoughnessFactor": 0.5},
                "KHR_materials_specular": {"specularFactor": 0.4, "specularColorFactor": [1, 0.5, 0.2]},
                "KHR_materials_anisotropy": {"anisotropyStrength": 0.8, "anisotropyRotation": 1.5707963},
                "KHR_materials_unlit": {},
            },
        }
        document |= {"materials": [material]}
        document["meshes"][0]["primitives"][0]["material"] = 0
        model = read_model(self.file("all.glb", glb(document, binary)))
        read = model.materials[0]
        self.check_all(read)
        self.assertEqual(model.lost, [])
        # And back: our own model written and read again says the same.
        again = read_model(self.file("again.glb", glb_of(model)))
        self.check_all(again.materials[0])
        np.testing.assert_allclose(again.parts[0].vertices, model.parts[0].vertices, atol=1e-6)
        np.testing.assert_allclose(again.parts[0].normals, model.parts[0].normals, atol=1e-6)

    def check_all(self, read: Material) -> None:
        np.testing.assert_allclose(np.asarray(read.base_colour), [0.1, 0.2, 0.3], atol=1e-6)
        assert read.emission is not None
        np.testing.assert_allclose(np.asarray(read.emission), [4, 2, 0], atol=1e-6)
        numbers = [read.opacity, read.roughness, read.metallic, read.transmission, read.ior, read.thickness_m]
        np.testing.assert_allclose(np.array(numbers, float), [0.4, 0.6, 1, 0.9, 1.33, 0.01], atol=1e-6)
        numbers = [read.attenuation_m, read.coat, read.coat_roughness, read.sheen_roughness, read.specular]
        np.testing.assert_allclose(np.array(numbers, float), [0.2, 0.7, 0.2, 0.5, 0.4], atol=1e-6)
        np.testing.assert_allclose([read.anisotropy, read.anisotropy_turn_deg], [0.8, 90], atol=1e-4)
        triples = [read.attenuation_colour, read.sheen_colour, read.specular_colour]
        np.testing.assert_allclose(triples, [[0.9, 0.5, 0.1], [0.3, 0.2, 0.1], [1, 0.5, 0.2]], atol=1e-6)
        self.assertTrue(read.unlit)

    def test_textures_transforms_samplers_and_second_coordinates(self) -> None:
        document, binary = triangle()
        picture = png([[[255, 0, 0, 255], [0, 128, 0, 128]]])
        uv = np.array([[0, 0], [1, 0], [0, 1]], "<f4")
        views = [uv.tobytes(), (uv * 3).astype("<f4").tobytes(), picture + b"\0" * (-len(picture) % 4)]
        at = len(binary)
        for data in views:
            document["bufferViews"].append({"buffer": 0, "byteOffset": at, "byteLength": len(data)})
            at += len(data)
        attributes = document["meshes"][0]["primitives"][0]["attributes"]
        for number in (0, 1):
            document["accessors"].append({"bufferView": 1 + number, "componentType": 5126, "count": 3, "type": "VEC2"})
            attributes[f"TEXCOORD_{number}"] = 1 + number
        turned = {"offset": [0.25, 0.5], "rotation": float(np.pi / 2), "scale": [2, 4]}
        info = {"index": 0, "texCoord": 1, "extensions": {"KHR_texture_transform": turned}}
        document |= {
            "images": [{"bufferView": 3, "mimeType": "image/png"}],
            "samplers": [{"wrapS": 33648, "wrapT": 33648, "magFilter": 9728}],
            "textures": [{"source": 0, "sampler": 0}],
            "materials": [
                {
                    "alphaMode": "MASK",
                    "pbrMetallicRoughness": {"baseColorTexture": info, "metallicRoughnessTexture": info},
                }
            ],
        }
        document["meshes"][0]["primitives"][0]["material"] = 0
        model = read_model(self.file("t.glb", glb(document, binary + b"".join(views))))
        colour, opacity = model.materials[0].base_colour, model.materials[0].opacity
        assert isinstance(colour, Texture) and isinstance(opacity, Texture)
        half = float(decode_srgb(np.float32(128 / 255)))
        np.testing.assert_allclose(colour.values, np.array([[[1, 0, 0], [0, half, 0]]]), atol=1e-5)
        np.testing.assert_array_equal(opacity.values, [[1, 1]])
        self.assertEqual((colour.wrap, colour.smooth), ("mirror", False))
        np.testing.assert_allclose(np.unique(model.parts[0].uv), [0, 3])
        # A quarter turn counter-clockwise as one sees the picture, whose v runs down: u goes up, v to the right.
        np.testing.assert_allclose(colour.turn, [[0, 4, 0.25], [-2, 0, 0.5]], atol=1e-6)
        again = read_model(self.file("a.glb", glb_of(model))).materials[0].base_colour
        assert isinstance(again, Texture)
        np.testing.assert_allclose(again.values, colour.values, atol=3e-3)
        np.testing.assert_allclose(again.turn, colour.turn, atol=1e-6)

    def test_packed_meshes_are_as_the_plain_one(self) -> None:
        document, binary = cube_document()
        plain = read_model(self.file("plain.glb", glb(document, binary)))
        draco = DracoPy.encode(CORNERS.astype(np.float32), np.array(TRIANGLES, np.uint32), quantization_bits=16)
        packed, _ = cube_document()
        packed["buffers"][0]["byteLength"] = len(draco)
        packed["bufferViews"] = [{"buffer": 0, "byteLength": len(draco)}]
        for spec in packed["accessors"]:
            del spec["bufferView"]
        packed["meshes"][0]["primitives"][0]["extensions"] = {
            "KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}
        }
        packed["extensionsRequired"] = ["KHR_draco_mesh_compression"]
        self.same(plain, read_model(self.file("draco.glb", glb(packed, draco))))
        rows = np.zeros((8, 4), np.float32)
        rows[:, :3] = CORNERS
        points = bytes(meshoptimizer.encode_vertex_buffer(rows, 8, 16))
        indices = bytes(meshoptimizer.encode_index_buffer(np.array(TRIANGLES, np.uint32).ravel(), 36, 8))
        packed, _ = cube_document()
        at = 0
        for view, data, stride, count, mode in zip(
            packed["bufferViews"], (points, indices), (16, 4), (8, 36), ("ATTRIBUTES", "TRIANGLES"), strict=True
        ):
            view |= {"buffer": 0, "byteOffset": 0, "byteLength": stride * count}
            told = {"buffer": 0, "byteOffset": at, "byteLength": len(data), "byteStride": stride}
            view["extensions"] = {"EXT_meshopt_compression": {**told, "count": count, "mode": mode}}
            at += len(data)
        packed["accessors"][1]["componentType"] = 5125
        self.same(plain, read_model(self.file("meshopt.glb", glb(packed, points + indices))))

    def same(self, one: Model, other: Model) -> None:
        self.assertEqual(other.triangles, one.triangles)
        corners = [np.unique(model.parts[0].vertices.round(4), axis=0) for model in (one, other)]
        np.testing.assert_allclose(corners[0], corners[1], atol=1e-4)

    def test_copies_by_nodes(self) -> None:
        document, binary = triangle()
        places = np.array([[0, 0, 0], [10, 0, 0], [0, 0, 10]], "<f4").tobytes()
        document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(places)})
        document["accessors"].append({"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC3"})
        document["nodes"][0]["extensions"] = {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 1}}}
        model = read_model(self.file("i.glb", glb(document, binary + places)))
        # Scale 2 and a rise of 5 come from the tree; y up becomes z up.
        lows = [
            part.vertices[:, :2].min(0) + [0, part.vertices[:, 1].max() - part.vertices[:, 1].min()]
            for part in model.parts
        ]
        np.testing.assert_allclose([low[0] for low in lows], [0, 20, 0], atol=1e-4)
        np.testing.assert_allclose(model.parts[2].vertices[:, 1], -20, atol=1e-4)

    def test_missing_pictures_and_addresses_are_said_and_never_followed(self) -> None:
        document, binary = triangle()
        document |= {
            "images": [{"uri": "https://example.invalid/x.png"}, {"uri": "gone.png"}],
            "textures": [{"source": 0}, {"source": 1}],
            "materials": [
                {
                    "name": "sign",
                    "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}},
                    "normalTexture": {"index": 1},
                }
            ],
        }
        document["meshes"][0]["primitives"][0]["material"] = 0
        model = read_model(self.file("m.glb", glb(document, binary)))
        self.assertEqual(len(model.materials[0].missing), 2)
        self.assertRegex(" ".join(model.lost), "not followed.*gone.png")


class Mending(unittest.TestCase):
    def test_what_is_wrong_is_put_right_and_said(self) -> None:
        good = box((1, 1, 1))
        part = good.parts[0]
        inside_out = replace(part, faces=part.faces[:, ::-1], normals=-part.normals)
        doubled = replace(part, faces=np.concatenate([part.faces, part.faces[:4, ::-1]]))
        nowhere = replace(part, normals=np.where(np.arange(24)[:, None] < 4, np.nan, part.normals))
        far = replace(part, vertices=part.vertices + [4.5e6, 5e5, 0])
        bare = replace(part, normals=np.zeros((0, 3)))
        cases: list[tuple[Part, str]] = [
            (part, ""),
            (inside_out, "inside out"),
            (doubled, "twice"),
            (nowhere, "no numbers"),
            (replace(part, normals=-part.normals), "wrong side"),
            (far, "own origin"),
            (bare, ""),
            (replace(part, faces=part.faces[2:]), "open shells"),
        ]
        for bad, words in cases:
            with self.subTest(words):
                model = mended(Model([bad], good.materials))
                self.assertIn(words, " ".join(model.mended))
                self.assertEqual(bool(words), bool(model.mended))
                made = model.parts[0]
                low, high = model.bounds()
                out = made.vertices - (low + high) / 2
                self.assertTrue((np.einsum("ij,ij->i", made.normals, out) > 0).all())
                corners = made.vertices[made.faces]
                across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                self.assertTrue((np.einsum("ij,ij->i", across, corners.mean(1) - (low + high) / 2) > 0).all())
                np.testing.assert_allclose(np.linalg.norm(made.normals, axis=1), 1, atol=1e-5)

    def test_a_ball_without_normals_is_smooth_and_a_box_is_not(self) -> None:
        ball = mended(Model([sphere(24)], [Material("grey", np.full(3, 0.5, np.float32))])).parts[0]
        straight = ball.vertices / np.linalg.norm(ball.vertices, axis=1, keepdims=True)
        self.assertGreater(float(np.einsum("ij,ij->i", ball.normals, straight).min()), 0.99)
        self.assertLess(len(ball.vertices), 24 * 24)  # corners that agree are one vertex again
        bare = replace(box((1, 2, 3)).parts[0], normals=np.zeros((0, 3)))
        edged = mended(Model([bare], [Material("grey", np.full(3, 0.5, np.float32))])).parts[0]
        np.testing.assert_allclose(np.abs(edged.normals).max(1), 1, atol=1e-6)

    def test_fewer_triangles_keep_the_shape(self) -> None:
        for steps in (120, 400):  # of very many, a grid thins them first
            with self.subTest(steps=steps):
                ball = mended(Model([sphere(steps)], [Material("grey", np.full(3, 0.5, np.float32))]))
                few = decimated(ball, 2000)
                self.assertLess(few.triangles, 2600)
                np.testing.assert_allclose(few.bounds(), ball.bounds(), atol=0.02)
                reach = np.linalg.norm(few.parts[0].vertices, axis=1)
                np.testing.assert_allclose(reach, 1, atol=0.02)

    def test_corners_of_an_stl_at_one_place_are_one_vertex_however_far_away(self) -> None:
        ball, far = sphere(24), np.array([412_000.0, 5_630_000.0, 80.0])  # as a surveyor's map has it
        lines = ["solid ball"]
        for corners in ball.vertices[ball.faces] + far:
            rows = "".join(f"vertex {x!r} {y!r} {z!r}\n" for x, y, z in corners.tolist())
            lines.append(f"facet normal 0 0 0\nouter loop\n{rows}endloop\nendfacet")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "ball.stl"
            path.write_text("\n".join([*lines, "endsolid ball\n"]))
            part = read_model(path).parts[0]
        self.assertEqual(len(part.vertices), len(np.unique(np.round(ball.vertices, 6), axis=0)))
        reach = np.linalg.norm(part.vertices - (part.vertices.min(0) + part.vertices.max(0)) / 2, axis=1)
        np.testing.assert_allclose(reach, 1, atol=1e-5)


def sphere(steps: int) -> Part:
    """A ball of radius 1 about the origin, without normals."""
    tilt, turn = np.meshgrid(np.linspace(0, np.pi, steps // 2 + 1), np.arange(steps) / steps * 2 * np.pi, indexing="ij")
    points = np.stack([np.sin(tilt) * np.cos(turn), np.sin(tilt) * np.sin(turn), np.cos(tilt)], -1).reshape(-1, 3)
    at = np.arange(steps // 2 * steps)
    right = at // steps * steps + (at + 1) % steps
    quads = np.stack([at, at + steps, right + steps, right], 1)
    faces = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return Part("ball", points, np.zeros((0, 3)), np.zeros((len(points), 2)), faces, 0)


if __name__ == "__main__":
    unittest.main()
