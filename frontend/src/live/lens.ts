import type { Material } from "three";

/** Radial distortion of the lens in force, shared by all materials of the live view. */
export const lens = { value: 0 };

/**
 * A material whose vertices move as the lens bends them: x_d = x_u (1 + k1 r²), r in focal lengths. The
 * shadow's own picture is drawn by another material and has no lens.
 */
export function bending<M extends Material>(material: M): M {
  material.onBeforeCompile = (shader) => {
    shader.uniforms.lensK1 = lens;
    shader.vertexShader = `uniform float lensK1;\n${shader.vertexShader}`.replace(
      "#include <project_vertex>",
      `#include <project_vertex>
      vec2 aside = mvPosition.xy / mvPosition.z;
      gl_Position = projectionMatrix * vec4(mvPosition.xy * (1.0 + lensK1 * dot(aside, aside)), mvPosition.zw);`,
    );
  };
  return material;
}
