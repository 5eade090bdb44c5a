"""Models in the renderer's terms: their parts as meshes, their materials as layered surfaces."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats
from lithopos.core.geometry.model import MISSING, Material, Part, Texture
from lithopos.core.render.scene import StoodModel
from lithopos.core.render.translate.layered import LEAST_ALPHA, NAME, SHELL, SIZE, register, split_albedo
from lithopos.core.render.translate.mesh import flat, mesh

CLEAR, FROSTED_MOST = 0.05, 0.7  # roughness of glass: below that an image passes; the most of a pane
DULL = 0.6  # a roughness from which a mirror shows no image, only a glow

__all__ = ["CLEAR", "Made", "black_shapes", "is_glass_body", "lets_through", "model_shapes", "moved_values"]


Made = dict[tuple[int, int, bool, bool], Any]  # materials that are there already, by model and number


def model_shapes(mi: Any, thing: StoodModel, prefix: str, white: Floats, made: Made) -> dict[str, Any]:
    """A stood model's parts as shapes by name.

    Parameters
    ----------
    white : (3,) radiance of white paint in the scene's full light, beside which materials shine.
    made : what copies of a model share; filled here.
    """
    return _shapes(mi, thing, prefix, white, made)


def lets_through(thing: StoodModel) -> bool:
    """Whether light passes straight through: where something is cut out of a surface, or through a pane."""
    for part in thing.model.parts:
        material = thing.model.materials[part.material]
        cut_out = material.under is None and (isinstance(material.opacity, Texture) or material.opacity < 1)
        clear = _passes(material) and _mean_roughness(material) < CLEAR
        if cut_out or (clear and not _is_solid(material, part.closed)):
            return True
    return False


def black_shapes(mi: Any, thing: StoodModel, prefix: str) -> dict[str, Any]:
    """The same in black, with their cut-outs and nothing else."""
    return _shapes(mi, thing, prefix, None, {})


def _shapes(mi: Any, thing: StoodModel, prefix: str, white: Floats | None, made: Made) -> dict[str, Any]:
    """Black where there is no white to shine beside."""
    shapes = {}
    for index, part in enumerate(thing.model.parts):
        material, painted = thing.model.materials[part.material], part.colours is not None
        key = (id(thing.model), part.material, painted, part.closed)
        if key not in made:
            made[key] = mi.load_dict(
                _black(mi, material) if white is None else _surface(mi, material, painted, part.closed)
            )
        vertices, normals = _stood(part, thing.matrix)
        emitter = None if white is None else _glow(mi, material, white)
        colours = None if white is None else _painted(part, material)
        shapes[f"{prefix}part{index}"] = mesh(mi, vertices, normals, part.uv, part.faces, made[key], emitter, colours)
    return shapes


def _painted(part: Part, material: Material) -> Floats | None:
    """The colours of a part's vertices, with the material's own in them."""
    if part.colours is None or isinstance(material.base_colour, Texture):
        return part.colours
    return part.colours * material.base_colour


def moved_values(thing: StoodModel, prefix: str) -> dict[str, Any]:
    """What changes in a loaded scene when a model is stood elsewhere, by the renderer's parameter names."""
    values = {}
    for index, part in enumerate(thing.model.parts):
        vertices, normals = _stood(part, thing.matrix)
        values[f"{prefix}part{index}.vertex_positions"] = flat(vertices)
        values[f"{prefix}part{index}.vertex_normals"] = flat(normals)
    return values


def _stood(part: Part, matrix: Array) -> tuple[Array, Array]:
    linear = matrix[:3, :3]
    normals = part.normals @ np.linalg.inv(linear)
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return part.vertices @ linear.T + matrix[:3, 3], normals


def _surface(mi: Any, material: Material, painted: bool, closed: bool) -> dict[str, Any]:
    if material.under is not None:
        own = replace(material, under=None, opacity=1.0)
        return {
            "type": "blendbsdf",
            "weight": _texture(mi, material.opacity),
            "below": _surface(mi, material.under, painted, closed),
            "print": _surface(mi, own, False, closed),
        }
    if material.unlit:
        inner: dict[str, Any] = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}
    elif _is_matte(material) and not painted:
        inner = {"type": "diffuse", "reflectance": _base_colour(mi, material, painted)}
    elif _passes(material):
        return _cut_out(mi, material, _glass(mi, material, closed))
    elif material.diffuse_transmission > 0:
        return _cut_out(mi, material, _shell(mi, material))
    else:
        inner = _layered(mi, material, painted)
    if material.normal is not None:
        inner = {"type": "normalmap", "normalmap": _texture(mi, material.normal), "bsdf": inner}
    return _cut_out(mi, material, {"type": "twosided", "inner": inner})


def _layered(mi: Any, material: Material, painted: bool) -> dict[str, Any]:
    """Body, mirror, lacquer and fibres in one: our own surface, or the package's where ours is too slow."""
    sheen = float(np.max(material.sheen_colour))
    if not mi.variant().startswith("scalar"):
        register(mi)
        return {
            "type": NAME,
            "base_color": _loaded(mi, _base_colour(mi, material, painted)),
            "roughness": _as_texture(mi, material.roughness),
            "metallic": _as_texture(mi, material.metallic),
            "f0": float(np.clip(_at_right_angles(material), 0, 1)),
            "anisotropic": material.anisotropy,
            "brush_cos": float(np.cos(np.radians(material.anisotropy_turn_deg))),
            "brush_sin": float(np.sin(np.radians(material.anisotropy_turn_deg))),
            "coat": material.coat,
            "coat_alpha": max(material.coat_roughness**2, LEAST_ALPHA),
            "fibres": sheen,
            **{f"fibre_{c}": float(v) / max(sheen, 1e-6) for c, v in zip("rgb", material.sheen_colour, strict=True)},
            **{f"mirror_{c}": float(v) for c, v in zip("rgb", material.specular_colour, strict=True)},
        }
    left = _left_to_body(material)
    if _is_dull(material):
        # The package's body grows bright at grazing angles, where ours gives way to its mirror: an even one is nearer.
        colour = _with_white(_dimmed(material.base_colour, left), 1 - left)
        return {"type": "diffuse", "reflectance": _base_colour(mi, replace(material, base_colour=colour), painted)}
    # The package's adds its mirror to the body's light; the body gives way to it here, in the mean.
    material = replace(material, base_colour=_dimmed(material.base_colour, left))
    return {
        "type": "principled",
        "base_color": _base_colour(mi, material, painted),
        "roughness": _texture(mi, material.roughness),
        "metallic": _texture(mi, material.metallic),
        "specular": float(np.clip(_at_right_angles(material) / 0.08, 0, 1)),  # its own measure
        "spec_tint": 0.0,
        "anisotropic": material.anisotropy,
        "clearcoat": material.coat,
        "clearcoat_gloss": 1 - material.coat_roughness,
        "sheen": sheen,
        "sheen_tint": 0.0 if sheen == 0 or min(material.sheen_colour) > 0.8 * sheen else 1.0,
    }


def _is_dull(material: Material) -> bool:
    """Whether it is a body under a mirror so rough that nothing is told in it."""
    metal = isinstance(material.metallic, Texture) or material.metallic > 0
    return _mean_roughness(material) >= DULL and not (metal or material.coat or any(material.sheen_colour))


def _shell(mi: Any, material: Material) -> dict[str, Any]:
    """A sheet that scatters light through: our own, or the package's, which tells how much by a figure of 0 to 2."""
    if not mi.variant().startswith("scalar"):
        plain = replace(material, coat=0.0, metallic=0.0, anisotropy=0.0, sheen_colour=(0.0, 0.0, 0.0))
        return {**_layered(mi, plain, False), "type": SHELL, "through": material.diffuse_transmission}
    return {
        "type": "principledthin",
        "base_color": _texture(mi, material.base_colour),
        "roughness": _texture(mi, material.roughness),
        "eta": material.ior,
        "diff_trans": 2 * material.diffuse_transmission,
    }


def _is_matte(material: Material) -> bool:
    """Whether nothing but a diffuse body is there: the package's plain one throws back all that it should."""
    shine = (
        material.specular or material.coat or material.transmission or material.metallic or any(material.sheen_colour)
    )
    return not shine


def _at_right_angles(material: Material) -> float:
    """What a dielectric mirrors at right angles (Fresnel)."""
    return float(((material.ior - 1) / (material.ior + 1)) ** 2 * material.specular)


def _mean_roughness(material: Material) -> float:
    rough = material.roughness
    return float(rough.values.mean() if isinstance(rough, Texture) else rough)


def _base_colour(mi: Any, material: Material, painted: bool) -> Any:
    if material.missing and not isinstance(material.base_colour, Texture):
        return _texture(mi, MISSING)
    if painted and not isinstance(material.base_colour, Texture):
        return {"type": "mesh_attribute", "name": "vertex_colour"}
    return _texture(mi, material.base_colour)


def _passes(material: Material) -> bool:
    return isinstance(material.transmission, Texture) or material.transmission > 0.5


def _is_solid(material: Material, closed: bool) -> bool:
    return closed and material.thickness_m > 0


def is_glass_body(material: Material, closed: bool) -> bool:
    """Whether light runs on within it, bent: a body of glass or water, no pane."""
    return not material.unlit and _passes(material) and _is_solid(material, closed)


def _glass(mi: Any, material: Material, closed: bool) -> dict[str, Any]:
    """Glass: a pane tinted by its thickness, or a solid that bends light.

    What a solid takes of light by the way through it is the paths' to tell (`render.absorption`); in the package's own
    integrators, which can't, its thickness stands for that way.
    """
    tint = np.asarray(material.base_colour, np.float32) if not isinstance(material.base_colour, Texture) else np.ones(3)
    rough = _mean_roughness(material)
    solid = _is_solid(material, closed)
    through = tint
    if not solid:
        through = tint * _left_over(material)
    elif mi.variant().startswith("scalar"):
        through = tint * np.sqrt(_left_over(material))  # once in and once out
    value = {"type": "rgb", "value": np.clip(through, 0, 1).tolist()}
    if not solid and rough < CLEAR:
        return {"type": "thindielectric", "int_ior": material.ior, "specular_transmittance": value}
    if not solid:
        # Rougher ones lose light in the package's own way: a tenth at 0.7.
        look = {"roughness": min(rough, FROSTED_MOST), "spec_trans": 1.0, "diff_trans": 0.0, "eta": material.ior}
        return {"type": "principledthin", "base_color": value, **look}
    if rough < CLEAR:
        return {"type": "dielectric", "int_ior": material.ior, "specular_transmittance": value}
    return {
        "type": "roughdielectric",
        "int_ior": material.ior,
        "alpha": float(np.clip(rough**2, 0.01, 1)),
        "specular_transmittance": value,
    }


def _left_over(material: Material) -> Floats:
    """What is left of white light after the material's thickness (Beer and Lambert), (3,)."""
    if not np.isfinite(material.attenuation_m) or material.attenuation_m <= 0:
        return np.ones(3, np.float32)
    colour = np.clip(np.asarray(material.attenuation_colour, np.float32), 1e-4, 1)
    return np.asarray(colour ** (material.thickness_m / material.attenuation_m), np.float32)


def _glow(mi: Any, material: Material, white: Floats) -> Any:
    """The light that a part gives off itself, beside white paint's."""
    source = material.base_colour if material.unlit else material.emission
    if source is None:
        return None
    shone = replace(source, values=source.values * white) if isinstance(source, Texture) else source * white
    return mi.load_dict({"type": "area", "radiance": _texture(mi, shone, bounded=False)})


def _black(mi: Any, material: Material) -> dict[str, Any]:
    black = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}
    return _cut_out(mi, material, {"type": "twosided", "inner": black})


def _cut_out(mi: Any, material: Material, inner: dict[str, Any]) -> dict[str, Any]:
    if not isinstance(material.opacity, Texture) and material.opacity >= 1:
        return inner
    return {"type": "mask", "opacity": _texture(mi, material.opacity), "inner": inner}


def _left_to_body(material: Material) -> float:
    """The share of the light that a dielectric's mirror leaves to what is below it, over all directions."""
    if isinstance(material.metallic, Texture) or material.metallic > 0:
        return 1.0
    row = min(int(_mean_roughness(material) ** 2 * SIZE), SIZE - 1)
    a, b, _ = (table[row] for table in split_albedo())
    mu = (np.arange(SIZE) + 0.5) / SIZE
    return float(1 - ((_at_right_angles(material) * a + b) * 2 * mu / SIZE).sum())


def _with_white(colour: Floats | Texture, share: float) -> Floats | Texture:
    if isinstance(colour, Texture):
        return replace(colour, values=np.asarray(colour.values + np.float32(share), np.float32))
    return np.asarray(colour + np.float32(share), np.float32)


def _dimmed(colour: Floats | Texture, share: float) -> Floats | Texture:
    if isinstance(colour, Texture):
        return replace(colour, values=np.asarray(colour.values * np.float32(share), np.float32))
    return np.asarray(colour * np.float32(share), np.float32)


def _as_texture(mi: Any, value: float | Texture) -> Any:
    """A number as a texture of one value."""
    return _loaded(mi, _texture(mi, value if isinstance(value, Texture) else np.full(3, value, np.float32)))


def _loaded(mi: Any, told: dict[str, Any]) -> Any:
    """A texture itself: a surface of ours is not handed a colour as one."""
    return mi.load_dict(told)


def _texture(mi: Any, value: float | Floats | Texture, bounded: bool = True) -> Any:
    if isinstance(value, float | int):
        return float(value)
    if not isinstance(value, Texture):
        return {"type": "rgb", "value": (np.clip(value, 0, 1) if bounded else value).tolist()}
    values = value.values if value.values.ndim == 3 else value.values[..., None]
    turn = np.vstack([np.array(value.turn), [0, 0, 1]])  # the renderer's v runs with the rows, as ours
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(np.ascontiguousarray(values, np.float32)),
        "raw": True,
        "to_uv": mi.ScalarTransform3f(turn),
        "wrap_mode": value.wrap,
        "filter_type": "bilinear" if value.smooth else "nearest",
    }
