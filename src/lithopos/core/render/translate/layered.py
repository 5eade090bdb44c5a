"""Layered surfaces that neither lose nor make light: a body, what it mirrors, a lacquer, fibres; or a shell.

Directional albedos of the mirroring lobes are tabulated, so that what a lobe does not throw back is left for what lies
below it, exactly:

    body      (1 - E(o)) (1 - E(i)) / (π (1 - E̅)) · reflectance     (Kelemen and Szirmay-Kalos 2001, section 2.2)
    metal     what the rough surface throws to and fro among its facets (Kulla and Conty 2017, "Revisiting Physically
              Based Shading at Imageworks", slides 14 to 16)
    mirror    GGX (Walter et al. 2007), sampled by visible normals (Heitz 2018), Fresnel by Schlick 1994; its albedo
              split into F₀ A(μ, α) + B(μ, α) (Karis 2013, "Real Shading in Unreal", equation 8)
    fibres    a lobe of light caught at grazing angles, 4 g(o) g(i) / π with g(μ) = (1 - μ)³, whose albedo is 0.4 g(o)
    lacquer   leaves the body what the mirror does; of what is mirrored below it, the share that lets both ways through,
              beside what it lets out of all that the rough mirror throws from there: (1 - k(i)) (1 - k(o)) / (1 - K(i))
    shell     a body of which a share goes on to the other side, under the same mirror there

The package's own principled surfaces return up to 1.3 times the light that falls on a white one, and half of it from
a rough metal (measured; docs/methods/materials.md).
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from lithopos.core.arrays import Array, Floats

SIZE = 32  # of the tables, by cosine and by roughness
LEAST_ALPHA = 0.002
LACQUER = 0.04  # what it mirrors at right angles
FIBRES = 0.4  # the fibres' albedo at grazing light
NAME, SHELL = "lithopos_layered", "lithopos_shell"

__all__ = ["LEAST_ALPHA", "NAME", "SHELL", "SIZE", "register", "split_albedo"]


@cache
def split_albedo() -> tuple[Floats, Floats, Floats]:
    """A, B and K by cosine (columns) and α (rows), (SIZE, SIZE), at the middles of their fields.

    K is the mean of what a sharp lacquer keeps of what a rough metal throws.
    """
    a, b, kept = np.zeros((3, SIZE, SIZE))
    n = 1024
    u = (np.arange(n) + 0.5) / n
    v = np.array([_radical_inverse(i) for i in range(n)])
    for row in range(SIZE):
        alpha = max((row + 0.5) / SIZE, LEAST_ALPHA)
        for column in range(SIZE):
            mu = (column + 0.5) / SIZE
            a[row, column], b[row, column], kept[row, column] = _albedo(mu, alpha, u, v)
    return a.astype(np.float32), b.astype(np.float32), kept.astype(np.float32)


def _radical_inverse(number: int) -> float:
    """Van der Corput's sequence in base 2."""
    return int(f"{number:032b}"[::-1], 2) / 2**32


def _albedo(mu: float, alpha: float, u: Array, v: Array) -> tuple[float, float, float]:
    """A, B and K at one cosine and α, by visible normals (Heitz 2018, listing 1)."""
    wi = np.array([np.sqrt(1 - mu * mu), 0.0, mu])
    stretched = np.array([alpha * wi[0], 0, wi[2]])
    stretched /= np.linalg.norm(stretched)
    t1 = np.array([0.0, 1, 0]) if stretched[2] > 0.9999 else np.cross([0, 0, 1], stretched)
    t1 = t1 / np.linalg.norm(t1)
    t2 = np.cross(stretched, t1)
    radius, angle = np.sqrt(u), 2 * np.pi * v
    p1, p2 = radius * np.cos(angle), radius * np.sin(angle)
    s = 0.5 * (1 + stretched[2])
    p2 = (1 - s) * np.sqrt(1 - p1**2) + s * p2
    normal = p1[:, None] * t1 + p2[:, None] * t2 + np.sqrt(np.maximum(0, 1 - p1**2 - p2**2))[:, None] * stretched
    m = normal * [alpha, alpha, 1]
    m /= np.linalg.norm(m, axis=1, keepdims=True)
    wo = 2 * (m @ wi)[:, None] * m - wi
    seen = wo[:, 2] > 0
    mu_o = np.maximum(wo[:, 2], 1e-6)
    # The package's masking and shadowing are taken to be independent: of G / G₁ that of the way out is left.
    weight = np.where(seen, 1 / (1 + _lambda(mu_o, alpha)), 0)
    schlick = (1 - np.clip(m @ wi, 0, 1)) ** 5
    lacquer = LACQUER + (1 - LACQUER) * (1 - np.clip(mu_o, 0, 1)) ** 5
    kept = float((weight * lacquer).sum() / max(float(weight.sum()), 1e-9))
    return float((weight * (1 - schlick)).mean()), float((weight * schlick).mean()), kept


def _lambda(mu: Any, alpha: float) -> Any:
    tangent = (1 - mu * mu) / (mu * mu)
    return 0.5 * (np.sqrt(1 + alpha * alpha * tangent) - 1)


@cache
def register(mi: Any) -> None:
    """Make the surfaces known to the renderer's package, once for its variant."""
    import drjit as dr

    a, b, kept = split_albedo()
    table = np.ascontiguousarray(np.stack([a, b], axis=-1))
    mu = (np.arange(SIZE) + 0.5) / SIZE
    weights = 2 * mu / SIZE  # ∫ 2 μ dμ
    sharp = float(((LACQUER * a[0] + b[0]) * weights).sum())  # what a sharp lacquer keeps in the mean
    means = np.ascontiguousarray(np.tile((table * weights[None, :, None]).sum(1)[:, None, :], (1, 2, 1)))

    class Layered(mi.BSDF):  # type: ignore[misc]
        """See the module."""

        def __init__(self, props: Any) -> None:
            mi.BSDF.__init__(self, props)
            self.body = props["base_color"]
            self.rough = props["roughness"]
            self.metal = props["metallic"]
            self.tables = mi.Texture2f(mi.TensorXf(table), wrap_mode=dr.WrapMode.Clamp)
            self.kept = mi.Texture2f(mi.TensorXf(np.ascontiguousarray(kept[..., None])), wrap_mode=dr.WrapMode.Clamp)
            self.means = mi.Texture2f(mi.TensorXf(means), wrap_mode=dr.WrapMode.Clamp)
            for name in ("f0", "anisotropic", "brush_cos", "brush_sin", "coat", "coat_alpha", "fibres"):
                setattr(self, name, dr.opaque(mi.Float, float(props[name])))
            self.lacquered = float(props["coat"]) > 0  # nothing is reckoned for a lacquer that isn't there
            self.fibre_tint = mi.Color3f(*(dr.opaque(mi.Float, float(props[f"fibre_{c}"])) for c in "rgb"))
            self.mirror_tint = mi.Color3f(*(dr.opaque(mi.Float, float(props[f"mirror_{c}"])) for c in "rgb"))
            flags = mi.BSDFFlags
            self.m_components = [flags.GlossyReflection | flags.FrontSide, flags.DiffuseReflection | flags.FrontSide]
            self.m_flags = self.m_components[0] | self.m_components[1]

        def traverse(self, callback: Any) -> None:
            for name in ("body", "rough", "metal"):
                callback.put(name, getattr(self, name), mi.ParamFlags.NonDifferentiable)

        # Albedos

        def _split(self, mu: Any, alpha: Any) -> tuple[Any, Any]:
            return tuple(self.tables.eval(mi.Point2f(mu, alpha)))

        def _mean(self, alpha: Any) -> tuple[Any, Any]:
            return tuple(self.means.eval(mi.Point2f(mi.Float(0.5), alpha)))

        def _state(self, si: Any, active: Any) -> dict[str, Any]:
            """What the textures say at a place."""
            body = dr.clip(self.body.eval(si, active), 0, 1)
            rough = dr.clip(self.rough.eval_1(si, active), 0.0, 1.0)
            metal = dr.clip(self.metal.eval_1(si, active), 0.0, 1.0)
            alpha = dr.maximum(rough * rough, LEAST_ALPHA)
            aspect = dr.sqrt(1 - 0.9 * self.anisotropic)
            f0 = dr.lerp(self.f0 * self.mirror_tint, body, metal)
            return {
                "body": body,
                "metal": metal,
                "alpha": alpha,
                "lobe": mi.MicrofacetDistribution(
                    mi.MicrofacetType.GGX,
                    dr.maximum(alpha / aspect, LEAST_ALPHA),
                    dr.maximum(alpha * aspect, LEAST_ALPHA),
                    True,
                ),
                "coat": mi.MicrofacetDistribution(mi.MicrofacetType.GGX, self.coat_alpha, True),
                "f0": f0,
            }

        def _brushed(self, way: Any, back: float = 1.0) -> Any:
            """A direction seen from the axes along which the roughness runs (or back from them)."""
            c, s = self.brush_cos, back * self.brush_sin
            return mi.Vector3f(c * way.x + s * way.y, c * way.y - s * way.x, way.z)

        def _shares(self, state: dict[str, Any], mu: Any) -> tuple[Any, Any, Any]:
            """How likely each lobe is looked into: lacquer, mirror, body."""
            a, b = self._split(mu, state["alpha"])
            coat = mi.Float(0)
            if self.lacquered:
                ac, bc = self._split(mu, self.coat_alpha)
                coat = self.coat * (LACQUER * ac + bc)
            mirror = (1 - coat) * dr.mean(state["f0"] * a + b)
            body = (1 - coat) * dr.mean(state["body"]) * (1 - 0.7 * state["metal"] * (a + b)) + 0.05 + self.fibres
            whole = coat + mirror + body
            return coat / whole, mirror / whole, body / whole

        # What the renderer asks

        def _light(self, state: dict[str, Any], wi: Any, wo: Any) -> Any:
            """The surface's function times the cosine."""
            mu_i, mu_o = wi.z, wo.z
            half = dr.normalize(wi + wo)
            schlick = (1 - dr.clip(dr.dot(wi, half), 0, 1)) ** 5

            def lobe(shape: Any, f0: Any) -> Any:
                fresnel = f0 + (1 - f0) * schlick
                return fresnel * (shape.eval(half) * shape.G(wi, wo, half) / (4 * mu_i))

            alpha, metal = state["alpha"], state["metal"]
            (ai, bi), (ao, bo) = self._split(mu_i, alpha), self._split(mu_o, alpha)
            am, bm = self._mean(alpha)
            body = (1 - metal) * self._below_mirror(state, (ai, bi), (ao, bo), (am, bm))
            # What a rough metal throws among its facets.
            mean_f = state["body"] + (1 - state["body"]) / 21
            lost = (1 - ai - bi) * (1 - ao - bo) / (dr.pi * dr.maximum(1 - am - bm, 1e-3))
            again = mean_f * mean_f * (am + bm) / dr.maximum(1 - mean_f * (1 - am - bm), 1e-3)
            body += metal * again * dr.maximum(lost, 0)
            mirror = dr.select((self.f0 > 0) | (metal > 0), lobe(state["lobe"], state["f0"]), 0)
            below = body * mu_o
            # Fibres over that.
            g_i, g_o = (1 - mu_i) ** 3, (1 - mu_o) ** 3
            fibres = self.fibre_tint * (self.fibres * 10 * FIBRES * g_i * g_o / dr.pi * mu_o)
            f = FIBRES * self.fibres * dr.max(self.fibre_tint)
            caught = (1 - f * g_i) * (1 - f * g_o) / (1 - 0.1 * f)
            below, mirror = fibres + below * caught, mirror * caught
            if not self.lacquered:
                return below + mirror
            (ci, di), (co, do) = self._split(mu_i, self.coat_alpha), self._split(mu_o, self.coat_alpha)
            cm, dm = self._mean(self.coat_alpha)
            k_i, k_o, k_m = (self.coat * (LACQUER * one + two) for one, two in ((ci, di), (co, do), (cm, dm)))
            lacquer = self.coat * lobe(state["coat"], mi.Color3f(LACQUER))
            let_out = 1 - k_m / sharp * self.kept.eval(mi.Point2f(mu_i, alpha))[0]
            return lacquer + (below / (1 - k_m) + mirror / let_out) * ((1 - k_i) * (1 - k_o))

        def _below_mirror(self, state: dict[str, Any], *splits: tuple[Any, Any]) -> Any:
            """A body's function below a dielectric's mirror, of splits on the ways in and out and in the mean."""
            e_i, e_o, e_m = (dr.select(self.f0 > 0, self.f0 * a + b, 0) for a, b in splits)
            left = (1 - e_i) * (1 - e_o) / (dr.pi * dr.maximum(1 - e_m, 1e-3))
            return state["body"] * left

        def _density(self, state: dict[str, Any], wi: Any, wo: Any) -> Any:
            half = dr.normalize(wi + wo)
            coat, mirror, body = self._shares(state, wi.z)
            jacobian = 1 / dr.maximum(4 * dr.dot(wo, half), 1e-8)
            density = mirror * state["lobe"].pdf(wi, half) * jacobian + body * wo.z * dr.inv_pi
            return density + coat * state["coat"].pdf(wi, half) * jacobian if self.lacquered else density

        def sample(self, _ctx: Any, si: Any, sample1: Any, sample2: Any, active: Any = True) -> tuple[Any, Any]:
            active = active & (si.wi.z > 1e-4)
            state, wi = self._state(si, active), self._brushed(si.wi)
            coat, mirror, _ = self._shares(state, wi.z)
            mirrored = sample1 < coat + mirror
            facet, _p = state["lobe"].sample(wi, sample2)
            if self.lacquered:
                m_coat, _q = state["coat"].sample(wi, sample2)
                facet = dr.select(sample1 < coat, m_coat, facet)
            wo = dr.select(mirrored, mi.reflect(wi, facet), mi.warp.square_to_cosine_hemisphere(sample2))
            active &= wo.z > 1e-4
            found = mi.BSDFSample3f(self._brushed(wo, -1.0))
            found.pdf = self._density(state, wi, wo)
            found.eta = 1.0
            flags = mi.BSDFFlags
            found.sampled_type = dr.select(
                mirrored, mi.UInt32(+flags.GlossyReflection), mi.UInt32(+flags.DiffuseReflection)
            )
            found.sampled_component = dr.select(mirrored, mi.UInt32(0), mi.UInt32(1))
            active &= found.pdf > 1e-8
            value = self._light(state, wi, wo) / dr.maximum(found.pdf, 1e-8)
            return found, dr.select(active, value, 0)

        def eval(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
            return self.eval_pdf(ctx, si, wo, active)[0]

        def pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
            return self.eval_pdf(ctx, si, wo, active)[1]

        def eval_pdf(self, _ctx: Any, si: Any, wo: Any, active: Any = True) -> tuple[Any, Any]:
            active = active & (si.wi.z > 1e-4) & (wo.z > 1e-4)
            state, wi, wo = self._state(si, active), self._brushed(si.wi), self._brushed(wo)
            return (
                dr.select(active, self._light(state, wi, wo), 0),
                dr.select(active, self._density(state, wi, wo), 0),
            )

        def eval_diffuse_reflectance(self, si: Any, active: Any = True) -> Any:
            return self.body.eval(si, active)

        def to_string(self) -> str:
            return "Layered[]"

    class Shell(Layered):
        """Both its sides are alike; of the body's light `through` leaves on the other."""

        def __init__(self, props: Any) -> None:
            super().__init__(props)
            self.through = dr.opaque(mi.Float, float(props["through"]))
            flags = mi.BSDFFlags
            both = flags.FrontSide | flags.BackSide
            self.m_components = [
                flags.GlossyReflection | both,
                flags.DiffuseReflection | both,
                flags.DiffuseTransmission | both,
            ]
            self.m_flags = self.m_components[0] | self.m_components[1] | self.m_components[2]

        def _told(self, state: dict[str, Any], wi: Any, wo: Any) -> tuple[Any, Any]:
            """The function times the cosine, and its density; `wi` lies above, `wo` on either side."""
            over = mi.Vector3f(wo.x, wo.y, dr.abs(wo.z))
            passed = wo.z < 0
            kept = {**state, "body": state["body"] * (1 - self.through)}
            alpha = state["alpha"]
            splits = self._split(wi.z, alpha), self._split(over.z, alpha), self._mean(alpha)
            through = self.through * self._below_mirror(state, *splits) * over.z
            share = self._shares(state, wi.z)[2] * over.z * dr.inv_pi
            density = self._density(state, wi, over) - share * self.through
            return (
                dr.select(passed, through, self._light(kept, wi, over)),
                dr.select(passed, share * self.through, density),
            )

        def sample(self, _ctx: Any, si: Any, sample1: Any, sample2: Any, active: Any = True) -> tuple[Any, Any]:
            active = active & (dr.abs(si.wi.z) > 1e-4)
            side = dr.select(si.wi.z > 0, mi.Float(1), mi.Float(-1))
            state, wi = self._state(si, active), si.wi * mi.Vector3f(1, 1, side)
            _, mirror, body = self._shares(state, wi.z)
            mirrored, passed = sample1 < mirror, sample1 > 1 - body * self.through
            facet, _p = state["lobe"].sample(wi, sample2)
            over = dr.select(mirrored, mi.reflect(wi, facet), mi.warp.square_to_cosine_hemisphere(sample2))
            active &= over.z > 1e-4
            wo = mi.Vector3f(over.x, over.y, dr.select(passed, -over.z, over.z))
            value, density = self._told(state, wi, wo)
            found = mi.BSDFSample3f(wo * mi.Vector3f(1, 1, side))
            found.pdf, found.eta = density, 1.0
            kinds, flags = [mi.UInt32(n) for n in range(3)], mi.BSDFFlags
            types = (flags.GlossyReflection, flags.DiffuseReflection, flags.DiffuseTransmission)
            found.sampled_component = dr.select(mirrored, kinds[0], dr.select(passed, kinds[2], kinds[1]))
            whole = [mi.UInt32(+one) for one in types]
            found.sampled_type = dr.select(mirrored, whole[0], dr.select(passed, whole[2], whole[1]))
            active &= density > 1e-8
            return found, dr.select(active, value / dr.maximum(density, 1e-8), 0)

        def eval_pdf(self, _ctx: Any, si: Any, wo: Any, active: Any = True) -> tuple[Any, Any]:
            active = active & (dr.abs(si.wi.z) > 1e-4) & (dr.abs(wo.z) > 1e-4)
            turn = mi.Vector3f(1, 1, dr.select(si.wi.z > 0, mi.Float(1), mi.Float(-1)))
            value, density = self._told(self._state(si, active), si.wi * turn, wo * turn)
            return dr.select(active, value, 0), dr.select(active, density, 0)

        def to_string(self) -> str:
            return "Shell[]"

    mi.register_bsdf(NAME, Layered)
    mi.register_bsdf(SHELL, Shell)
