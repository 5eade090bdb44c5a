"""Materials and their textures.

Source: glTF 2.0, section 3.9, and the ratified extensions by the names under which they are read here.
"""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from PIL import Image as Pictures

from lithopos.core.arrays import Floats
from lithopos.core.colour import decode_srgb
from lithopos.core.errors import InputError
from lithopos.core.geometry.gltf.container import EXTENSIONS, Document, MissingFile, few
from lithopos.core.geometry.model import Material, Texture, Turn, Wrap, plain_name
from lithopos.core.geometry.pictures import FORMATS, MOST_PIXELS

_WRAPS: dict[int, Wrap] = {10497: "repeat", 33071: "clamp", 33648: "mirror"}
_NEAREST = 9728

__all__ = ["Materials"]


class Materials:
    """The materials of a document; pictures are decoded once, however many materials use them."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self._pictures: dict[int, Floats] = {}
        self._made: dict[tuple[Any, ...], Floats] = {}
        self._pixels = 0

    def all(self) -> list[Material]:
        """Every material, in the document's order."""
        return [_One(self, spec).material() for spec in self.document.told.get("materials", [])]

    def coordinates(self, number: int) -> int:
        """Which of its texture coordinates a material's pictures lie by: those of its colour go first."""
        spec = self.document.item("materials", number)
        pbr = spec.get("pbrMetallicRoughness", {})
        infos = [
            pbr.get("baseColorTexture"),
            spec.get("normalTexture"),
            pbr.get("metallicRoughnessTexture"),
            spec.get("emissiveTexture"),
        ]
        used = [_coordinates(info) for info in infos if info]
        return used[0] if used else 0

    def picture(self, number: int) -> Floats:
        """A picture as encoded values 0..1, (H, W, 4)."""
        if number not in self._pictures:
            self._pictures[number] = self._decoded(self.document.item("images", number))
        return self._pictures[number]

    def derived(self, key: tuple[Any, ...], make: Any) -> Floats:
        """What is computed from a picture, once for all materials that ask for the same."""
        if key not in self._made:
            self._made[key] = np.ascontiguousarray(make(), np.float32)
        return self._made[key]

    def _decoded(self, spec: dict[str, Any]) -> Floats:
        data = (
            self.document.bytes_of(spec["bufferView"]) if "bufferView" in spec else self.document.resource(spec["uri"])
        )
        try:
            with Pictures.open(io.BytesIO(data), formats=FORMATS) as picture:
                self._pixels += picture.width * picture.height
                if self._pixels > MOST_PIXELS:
                    raise InputError("model", f"has textures of more than {MOST_PIXELS // 10**6} million pixels in all")
                return np.asarray(picture.convert("RGBA"), np.float32) / np.float32(255)
        except (OSError, SyntaxError) as error:
            raise MissingFile("a texture that can't be read (PNG, JPEG and WebP are)") from error


class _One:
    """One material's reading."""

    def __init__(self, materials: Materials, spec: dict[str, Any]) -> None:
        self.materials, self.spec, self.lost = materials, spec, materials.document.lost
        self.name = plain_name(spec.get("name", "material"))
        self.missing: list[str] = []

    def material(self) -> Material:
        spec, pbr = self.spec, self.spec.get("pbrMetallicRoughness", {})
        left_out = sorted(set(spec.get("extensions", {})) - EXTENSIONS)
        if left_out:
            self.lost.append(f"material {self.name!r}: {few(left_out)} left out")
        factor = self._numbers(pbr, "baseColorFactor", (1, 1, 1, 1))
        colour = self._colour(pbr.get("baseColorTexture"), factor[:3])
        strength = self._number(self._extension("emissive_strength"), "emissiveStrength", 1.0)
        glow = self._numbers(spec, "emissiveFactor", (0, 0, 0)) * np.float32(strength)
        metal_rough = pbr.get("metallicRoughnessTexture")
        volume, coat, sheen = (self._extension(name) for name in ("volume", "clearcoat", "sheen"))
        specular, bent = self._extension("specular"), self._extension("anisotropy")
        transmission = self._extension("transmission")
        return Material(
            name=self.name,
            base_colour=colour,
            roughness=self._channel(metal_rough, 1, self._number(pbr, "roughnessFactor", 1.0)),
            metallic=self._channel(metal_rough, 2, self._number(pbr, "metallicFactor", 1.0)),
            opacity=self._opacity(pbr.get("baseColorTexture"), float(factor[3])),
            normal=self._normal_map(spec.get("normalTexture")),
            emission=self._colour(spec.get("emissiveTexture"), glow) if glow.any() else None,
            transmission=self._channel(
                transmission.get("transmissionTexture"), 0, self._number(transmission, "transmissionFactor", 0.0)
            ),
            ior=self._number(self._extension("ior"), "ior", 1.5),
            thickness_m=self._number(volume, "thicknessFactor", 0.0),
            attenuation_colour=_three(self._numbers(volume, "attenuationColor", (1, 1, 1))),
            attenuation_m=self._number(volume, "attenuationDistance", np.inf),
            coat=self._mean(coat, "clearcoatTexture", 0, self._number(coat, "clearcoatFactor", 0.0)),
            coat_roughness=self._mean(
                coat, "clearcoatRoughnessTexture", 1, self._number(coat, "clearcoatRoughnessFactor", 0.0)
            ),
            sheen_colour=_three(self._numbers(sheen, "sheenColorFactor", (0, 0, 0))),
            sheen_roughness=self._mean(
                sheen, "sheenRoughnessTexture", 3, self._number(sheen, "sheenRoughnessFactor", 0.0)
            ),
            specular=self._mean(specular, "specularTexture", 3, self._number(specular, "specularFactor", 1.0)),
            specular_colour=_three(self._numbers(specular, "specularColorFactor", (1, 1, 1))),
            anisotropy=self._number(bent, "anisotropyStrength", 0.0),
            anisotropy_turn_deg=float(np.degrees(self._number(bent, "anisotropyRotation", 0.0))),
            unlit="KHR_materials_unlit" in spec.get("extensions", {}),
            missing=tuple(dict.fromkeys(self.missing)),
        )

    # Plain values

    def _extension(self, name: str) -> dict[str, Any]:
        found = self.spec.get("extensions", {}).get(f"KHR_materials_{name}", {})
        return found if isinstance(found, dict) else {}

    def _number(self, spec: dict[str, Any], name: str, default: float) -> float:
        value = float(spec.get(name, default))
        if np.isnan(value):
            raise InputError("model", f"material {self.name!r}: {name} is not a number")
        return value

    def _numbers(self, spec: dict[str, Any], name: str, default: tuple[float, ...]) -> Floats:
        values = np.asarray(spec.get(name, default), np.float32)
        if values.shape != (len(default),) or not np.isfinite(values).all():
            raise InputError("model", f"material {self.name!r}: {name} is not {len(default)} numbers")
        return values

    # Textures

    def _colour(self, info: Any, factor: Floats) -> Floats | Texture:
        """Linear colours times a factor (section 3.9.2: colour pictures are encoded as sRGB)."""
        return self._textured(
            info, ("colour", factor.tobytes()), lambda picture: decode_srgb(picture[..., :3]) * factor, factor
        )

    def _channel(self, info: Any, channel: int, factor: float) -> float | Texture:
        return self._textured(
            info, ("channel", channel, factor), lambda picture: picture[..., channel] * np.float32(factor), factor
        )

    def _mean(self, spec: dict[str, Any], name: str, channel: int, factor: float) -> float:
        made = self._channel(spec.get(name), channel, factor)
        if not isinstance(made, Texture):
            return made
        self.lost.append(f"material {self.name!r}: {name} is taken by its mean")
        return float(made.values.mean())

    def _opacity(self, info: Any, factor: float) -> float | Texture:
        mode = self.spec.get("alphaMode", "OPAQUE")
        if mode == "OPAQUE":
            return 1.0
        cut = float(self.spec.get("alphaCutoff", 0.5)) if mode == "MASK" else None

        def made(alpha: Any) -> Any:
            whole = alpha * np.float32(factor)
            return whole if cut is None else (whole >= cut).astype(np.float32)

        return self._textured(
            info, ("opacity", cut, factor), lambda picture: made(picture[..., 3]), float(made(np.float32(1)))
        )

    def _normal_map(self, info: Any) -> Texture | None:
        scale = np.float32(info.get("scale", 1.0)) if info else np.float32(1)

        def made(picture: Floats) -> Floats:
            way = (picture[..., :3] * 2 - 1) * np.array([scale, scale, 1], np.float32)
            return np.asarray(way / np.linalg.norm(way, axis=-1, keepdims=True) / 2 + 0.5, np.float32)

        found = self._textured(info, ("normal", float(scale)), made, None)
        return found if isinstance(found, Texture) else None

    def _textured(self, info: Any, what: tuple[Any, ...], make: Any, otherwise: Any) -> Any:
        """A texture made of a picture; what stands for it where there is none, or where it is missing."""
        if info is None:
            return otherwise
        texture = self.materials.document.item("textures", info["index"])
        source = texture.get("source", texture.get("extensions", {}).get("EXT_texture_webp", {}).get("source"))
        try:
            if source is None:
                raise MissingFile("a texture in a format that is not read")
            picture = self.materials.picture(source)
        except MissingFile as error:
            self.missing.append(error.name)
            self.lost.append(f"material {self.name!r} lacks {error.name}")
            return otherwise
        if _coordinates(info) != self._used():
            self.lost.append(f"material {self.name!r}: pictures by two sets of coordinates; its colour's are used")
        sampler = self.materials.document.item("samplers", texture["sampler"]) if "sampler" in texture else {}
        wraps = {_WRAPS.get(sampler.get(name, 10497), "repeat") for name in ("wrapS", "wrapT")}
        if len(wraps) > 1:
            self.lost.append(f"material {self.name!r}: a texture wraps differently each way; it repeats")
        return Texture(
            self.materials.derived((source, *what), lambda: make(picture)),
            _turn(info.get("extensions", {}).get("KHR_texture_transform", {})),
            wraps.pop() if len(wraps) == 1 else "repeat",
            sampler.get("magFilter") != _NEAREST,
        )

    def _used(self) -> int:
        return self.materials.coordinates(self.materials.document.told["materials"].index(self.spec))


def _coordinates(info: dict[str, Any]) -> int:
    changed = info.get("extensions", {}).get("KHR_texture_transform", {})
    return int(changed.get("texCoord", info.get("texCoord", 0)))


def _turn(spec: dict[str, Any]) -> Turn:
    """KHR_texture_transform: shift · rotation · scale, the rotation counter-clockwise as one looks at the picture."""
    (x, y), (across, down) = spec.get("offset", (0, 0)), spec.get("scale", (1, 1))
    angle = float(spec.get("rotation", 0.0))
    c, s = float(np.cos(angle)), float(np.sin(angle))
    return (c * across, s * down, float(x)), (-s * across, c * down, float(y))


def _three(values: Floats) -> tuple[float, float, float]:
    r, g, b = (float(value) for value in values)
    return r, g, b
