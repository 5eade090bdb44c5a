"""Writing a model as one GLB: for the live view, for others, and as the other half of the reader's round trip.

Source: glTF 2.0, section 4 (GLB), and the material extensions by the names under which they are written.
"""

from __future__ import annotations

import io
import json
import struct
from typing import Any

import numpy as np
from PIL import Image

from lithopos.core.arrays import Floats
from lithopos.core.colour import encode_srgb
from lithopos.core.geometry.model import MISSING, STRAIGHT, Y_TO_Z, Material, Model, Part, Texture

_FLOAT, _UINT = 5126, 5125
_WRAPS = {"repeat": 10497, "clamp": 33071, "mirror": 33648}

__all__ = ["glb_of"]


Beside = tuple[list[dict[str, Any]], dict[str, Any]]


def glb_of(model: Model, widest_texture: int | None = None, beside: Beside = ([], {})) -> bytes:
    """A model as the bytes of a GLB, y up, in metres.

    Parameters
    ----------
    widest_texture : larger ones are written smaller [px].
    beside : nodes beside the model's, and what they refer to: cameras, lights.
    """
    return _Writer(widest_texture).glb(model, beside)


class _Writer:
    def __init__(self, widest_texture: int | None) -> None:
        self.widest = widest_texture
        self.binary = bytearray()
        self.told: dict[str, Any] = {"asset": {"version": "2.0", "generator": "Lithopos"}}
        self.used: set[str] = set()
        self._images: dict[tuple[Any, ...], int] = {}

    def glb(self, model: Model, beside: Beside) -> bytes:
        materials = [self._material(material) for material in model.materials]
        meshes = [self._mesh(part) for part in model.parts]
        self.told |= {
            "scene": 0,
            "scenes": [{"nodes": list(range(len(meshes) + len(beside[0])))}],
            "nodes": [*({"name": part.name, "mesh": number} for number, part in enumerate(model.parts)), *beside[0]],
            "meshes": meshes,
            "materials": materials,
            "buffers": [{"byteLength": len(self.binary)}],
        }
        self.told |= beside[1]
        self.used |= set(beside[1].get("extensions", {}))
        self.told["asset"]["extras"] = {"unit_m": model.unit.metres, "up": model.up}
        if self.used:
            self.told["extensionsUsed"] = sorted(self.used)
        text = json.dumps(self.told, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        self.binary += b"\0" * (-len(self.binary) % 4)
        chunks = struct.pack("<I4s", len(text), b"JSON") + text
        chunks += struct.pack("<I4s", len(self.binary), b"BIN\0") + bytes(self.binary)
        return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks

    def _list(self, name: str, item: dict[str, Any]) -> int:
        items: list[Any] = self.told.setdefault(name, [])
        items.append(item)
        return len(items) - 1

    def _view(self, data: bytes) -> int:
        self.binary += b"\0" * (-len(self.binary) % 4)
        at = len(self.binary)
        self.binary += data
        return self._list("bufferViews", {"buffer": 0, "byteOffset": at, "byteLength": len(data)})

    def _accessor(self, values: Any, kind: str, component: int) -> int:
        spec = {
            "bufferView": self._view(np.ascontiguousarray(values).tobytes()),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if kind == "VEC3":
            spec |= {"min": values.min(0).tolist(), "max": values.max(0).tolist()}
        return self._list("accessors", spec)

    def _mesh(self, part: Part) -> dict[str, Any]:
        attributes = {
            "POSITION": self._accessor((part.vertices @ Y_TO_Z).astype(np.float32), "VEC3", _FLOAT),
            "NORMAL": self._accessor((part.normals @ Y_TO_Z).astype(np.float32), "VEC3", _FLOAT),
        }
        if part.uv.any():
            attributes["TEXCOORD_0"] = self._accessor(part.uv.astype(np.float32), "VEC2", _FLOAT)
        if part.colours is not None:
            attributes["COLOR_0"] = self._accessor(part.colours.astype(np.float32), "VEC3", _FLOAT)
        indices = self._accessor(part.faces.astype(np.uint32).reshape(-1, 1), "SCALAR", _UINT)
        primitive = {"attributes": attributes, "indices": indices, "material": part.material}
        return {"name": part.name, "primitives": [primitive]}

    # Materials

    def _material(self, material: Material) -> dict[str, Any]:
        pbr: dict[str, Any] = {}
        spec: dict[str, Any] = {"name": material.name, "pbrMetallicRoughness": pbr, "doubleSided": True}
        colour, opacity = material.base_colour, material.opacity
        if material.missing and not isinstance(colour, Texture):
            colour = MISSING
        alpha = 1.0 if isinstance(opacity, Texture) else float(opacity)
        rgb = np.ones(3) if isinstance(colour, Texture) else np.asarray(colour, float)
        pbr["baseColorFactor"] = [*rgb.tolist(), alpha]
        if isinstance(colour, Texture) or isinstance(opacity, Texture):
            pbr["baseColorTexture"] = self._texture_of(colour, opacity)
        if isinstance(opacity, Texture) or alpha < 1:
            spec["alphaMode"] = "BLEND"
        rough, metal = material.roughness, material.metallic
        pbr["roughnessFactor"] = 1.0 if isinstance(rough, Texture) else float(rough)
        pbr["metallicFactor"] = 1.0 if isinstance(metal, Texture) else float(metal)
        if isinstance(rough, Texture) or isinstance(metal, Texture):
            pbr["metallicRoughnessTexture"] = self._packed(rough, metal)
        if material.normal is not None:
            spec["normalTexture"] = self._info(material.normal, material.normal.values, "normal")
        if isinstance(material.emission, Texture):
            strength = max(float(material.emission.values.max()), 1.0)
            spec["emissiveFactor"] = [1.0, 1.0, 1.0]
            spec["emissiveTexture"] = self._info(
                material.emission, encode_srgb(material.emission.values / np.float32(strength)), "emission"
            )
            self._extend(spec, "emissive_strength", {"emissiveStrength": strength}, {"emissiveStrength": 1.0})
        elif material.emission is not None:
            strength = max(float(np.max(material.emission)), 1.0)
            spec["emissiveFactor"] = (np.asarray(material.emission, float) / strength).tolist()
            self._extend(spec, "emissive_strength", {"emissiveStrength": strength}, {"emissiveStrength": 1.0})
        self._extensions(spec, material)
        return spec

    def _extensions(self, spec: dict[str, Any], material: Material) -> None:
        through = material.transmission
        self._extend(
            spec,
            "transmission",
            {"transmissionFactor": float(through.values.mean()) if isinstance(through, Texture) else float(through)},
            {"transmissionFactor": 0.0},
        )
        self._extend(spec, "ior", {"ior": material.ior}, {"ior": 1.5})
        volume: dict[str, Any] = {
            "thicknessFactor": material.thickness_m,
            "attenuationColor": list(material.attenuation_colour),
        }
        if np.isfinite(material.attenuation_m):
            volume["attenuationDistance"] = material.attenuation_m
        self._extend(spec, "volume", volume, {"thicknessFactor": 0.0, "attenuationColor": [1.0, 1.0, 1.0]})
        self._extend(
            spec,
            "clearcoat",
            {"clearcoatFactor": material.coat, "clearcoatRoughnessFactor": material.coat_roughness},
            {"clearcoatFactor": 0.0, "clearcoatRoughnessFactor": 0.0},
        )
        self._extend(
            spec,
            "sheen",
            {"sheenColorFactor": list(material.sheen_colour), "sheenRoughnessFactor": material.sheen_roughness},
            {"sheenColorFactor": [0.0, 0.0, 0.0], "sheenRoughnessFactor": 0.0},
        )
        self._extend(
            spec,
            "specular",
            {"specularFactor": material.specular, "specularColorFactor": list(material.specular_colour)},
            {"specularFactor": 1.0, "specularColorFactor": [1.0, 1.0, 1.0]},
        )
        self._extend(
            spec,
            "anisotropy",
            {
                "anisotropyStrength": material.anisotropy,
                "anisotropyRotation": float(np.radians(material.anisotropy_turn_deg)),
            },
            {"anisotropyStrength": 0.0, "anisotropyRotation": 0.0},
        )
        if material.unlit:
            self._extend(spec, "unlit", {}, None)

    def _extend(self, spec: dict[str, Any], name: str, values: dict[str, Any], default: dict[str, Any] | None) -> None:
        if values != default:
            spec.setdefault("extensions", {})[f"KHR_materials_{name}"] = values
            self.used.add(f"KHR_materials_{name}")

    # Textures

    def _texture_of(self, colour: Floats | Texture, opacity: float | Texture) -> dict[str, Any]:
        """Colour and opacity in one picture; where their sizes differ, the opacity is sized to the colour."""
        base = colour if isinstance(colour, Texture) else None
        veil = opacity if isinstance(opacity, Texture) else None
        shape = (base or veil).values.shape[:2]  # type: ignore[union-attr]
        rgb = encode_srgb(base.values) if base else np.ones((*shape, 3), np.float32)
        if veil is None:
            return self._info(base or veil, rgb, "colour")  # type: ignore[arg-type]
        alpha = _sized(veil.values, shape)
        return self._info(base or veil, np.concatenate([rgb, alpha[..., None]], axis=2), "colour and opacity")

    def _packed(self, rough: float | Texture, metal: float | Texture) -> dict[str, Any]:
        first = rough if isinstance(rough, Texture) else metal
        assert isinstance(first, Texture)
        shape = first.values.shape[:2]
        one = np.ones(shape, np.float32)
        green = _sized(rough.values, shape) if isinstance(rough, Texture) else one
        blue = _sized(metal.values, shape) if isinstance(metal, Texture) else one
        return self._info(first, np.stack([one, green, blue], axis=2), "roughness and metal")

    def _info(self, texture: Texture, encoded: Floats, use: str) -> dict[str, Any]:
        key = (id(texture.values), use, encoded.shape)
        if key not in self._images:
            self._images[key] = self._list("images", {"mimeType": "image/png", "bufferView": self._png(encoded)})
        nearest = {} if texture.smooth else {"magFilter": 9728, "minFilter": 9728}
        wrap = _WRAPS[texture.wrap]
        sampler = self._list("samplers", {"wrapS": wrap, "wrapT": wrap, **nearest})
        info: dict[str, Any] = {
            "index": self._list("textures", {"source": self._images[key], "sampler": sampler}),
        }
        turned = _turn_of(texture)
        if turned:
            info["extensions"] = {"KHR_texture_transform": turned}
            self.used.add("KHR_texture_transform")
        return info

    def _png(self, encoded: Floats) -> int:
        codes = (np.clip(encoded, 0, 1) * 255 + 0.5).astype(np.uint8)
        picture = Image.fromarray(codes)
        if self.widest and max(picture.size) > self.widest:
            picture.thumbnail((self.widest, self.widest), Image.Resampling.LANCZOS)
        out = io.BytesIO()
        picture.save(out, "PNG", compress_level=1)
        return self._view(out.getvalue())


def _turn_of(texture: Texture) -> dict[str, Any]:
    """KHR_texture_transform of a texture's turn; a skewed one is written as near as that allows."""
    (a, b, x), (c, d, y) = texture.turn
    if texture.turn == STRAIGHT:
        return {}
    across, angle = float(np.hypot(a, c)), float(np.arctan2(-c, a))
    down = float(np.sin(angle) * b + np.cos(angle) * d)
    return {"offset": [x, y], "rotation": angle, "scale": [across, down]}


def _sized(values: Floats, shape: tuple[int, ...]) -> Floats:
    if values.shape[:2] == shape:
        return values
    picture = Image.fromarray(values).resize((shape[1], shape[0]), Image.Resampling.BILINEAR)
    return np.asarray(picture, np.float32)
